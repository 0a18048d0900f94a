"""XLSX: a workbook with one sheet for each record type, for people with a spreadsheet.

Cells have types and number formats, the header is frozen and has filters. A spreadsheet cannot hold everything: whole
numbers of more than 15 digits, dates before 1900, instants with an offset, durations, and lists are texts, and an empty
text is an empty cell, like a missing value.
"""

from __future__ import annotations

import re

from yurt.core.formats.common.format import Format
from yurt.core.formats.common.settings import FLAG, Chosen, Setting, complete
from yurt.core.formats.common.values import FIELDS
from yurt.core.formats.xlsx.cells import MOST_ROWS
from yurt.core.formats.xlsx.reading import reader, titles
from yurt.core.formats.xlsx.writing import Xlsx

FORMATS = {"date": "yyyy-mm-dd", "datetime": "yyyy-mm-dd hh:mm:ss", "time": "hh:mm:ss"}


def _shape(value: str) -> str:
    return "" if 0 < len(value) <= 60 and not re.search(r"[\[\]\"]", value) else "a number format such as dd.mm.yyyy"


SETTINGS = (
    FIELDS,
    Setting("header", "whether the first row has the names of the fields", "true", "false", FLAG),
    Setting("date-shape", "the number format of dates", FORMATS["date"], "dd.mm.yyyy", wrong=_shape),
    Setting("datetime-shape", "the number format of date-times", FORMATS["datetime"], "dd.mm.yyyy hh:mm", wrong=_shape),
    Setting("time-shape", "the number format of times", FORMATS["time"], "hh:mm", wrong=_shape),
    Setting("sheet-per", "the field whose values have sheets of their own; without it, one sheet", "", "status"),
    Setting("formulas", "whether derived fields are values, or formulas over the other cells of their row", "values",
            "live", ("values", "live")),
    Setting("workbook", "an existing workbook whose other sheets the new one has as well", "", "summer.xlsx"),
)  # fmt: skip


def _configured(chosen: Chosen) -> Format:
    shapes = {name: chosen[f"{name}-shape"] for name in FORMATS}
    return Xlsx(
        name="xlsx", suffixes=(".xlsx",), only_read=(".ods",), meaning="a workbook with a sheet for each record type",
        settings=SETTINGS, configured=_configured, read=reader(bool(chosen["sheet-per"])), titles=titles,
        typed=True, binary=True, together=True,
        header=chosen["header"] == "true", shapes=shapes, rows_a_sheet=MOST_ROWS - (chosen["header"] == "true"),
        sheets_of=chosen["sheet-per"], live=chosen["formulas"] == "live", workbook=chosen["workbook"],
        ordered=not chosen["sheet-per"],
    )  # fmt: skip


FORMAT = _configured(complete("xlsx", SETTINGS, {}))
