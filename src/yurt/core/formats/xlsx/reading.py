"""Reads workbooks: `.xlsx`, and `.ods` as other programs save it."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import IO

import numpy as np
import pyarrow as pa

from yurt.core.formats.common.raw import (
    BOOLEAN,
    CELL,
    NULL,
    NUMBER,
    Block,
    Fault,
    Raw,
    Reading,
    absent,
    meant,
    of_values,
)  # fmt: skip
from yurt.core.formats.common.tree import leaf_names
from yurt.core.formats.json.reading import DECODER
from yurt.core.formats.xlsx.cells import Row
from yurt.core.formats.xlsx.extent import too_far
from yurt.core.model import Boolean, ListOf, Record

ROWS = 1 << 14
OPEN_DOCUMENT = b"application/vnd.oasis.opendocument.spreadsheet"
Reader = Callable[[IO[bytes], Record, tuple[str, ...]], Reading]


def reader(by_value: bool) -> Reader:
    """Return how workbooks are read; `by_value` means that the sheets of a record type are named after values."""
    return lambda stream, record, labels: read(stream, record, labels, by_value)


def titles(stream: IO[bytes], record: str) -> list[str] | Fault:
    """Return the names in the first row of the sheet of a record type, or of the only sheet."""
    import python_calamine as calamine

    if (fault := too_far(stream)) is not None:
        return fault
    try:
        book = calamine.CalamineWorkbook.from_filelike(stream)
        names = book.sheet_names
        sheet = record if record in names else names[0] if len(names) == 1 else ""
        if not sheet:
            return Fault(None, f"no sheet is named `{record}`; there are {', '.join(names)}")
        header = [str(each) for each in next(iter(book.get_sheet_by_name(sheet).iter_rows()), [])]
    except calamine.CalamineError as error:
        return Fault(None, f"not a spreadsheet that can be read: {error}")
    while header and not header[-1]:
        header.pop()
    return header


def read(stream: IO[bytes], record: Record, labels: tuple[str, ...], by_value: bool) -> Reading:
    """Return the sheets of a record type; the first row has the names of the fields."""
    names = {record.column(name): name for name in leaf_names(record)}
    names |= {label: f"@{label}" for label in labels if label not in names}
    lists = frozenset(each.name for each in record.shown if isinstance(each.head, ListOf))
    booleans = frozenset(each.name for each in record.shown if isinstance(each.head, Boolean))

    def pieces() -> Iterator[Block]:
        import python_calamine as calamine

        stream.seek(0)
        # Programs that write OpenDocument turn the Booleans of other workbooks into the numbers 0 and 1.
        loose = booleans if OPEN_DOCUMENT in stream.read(200) else frozenset()
        stream.seek(0)
        if (fault := too_far(stream)) is not None:
            reading.faults.append(fault)
            return
        try:
            book = calamine.CalamineWorkbook.from_filelike(stream)
            more = " .*" if by_value else r" \d+"
            sheets = [each for each in book.sheet_names if re.fullmatch(f"{re.escape(record.name)}({more})?", each)]
            if not sheets and len(book.sheet_names) == 1:
                sheets = list(book.sheet_names)
            if not sheets:
                reading.faults.append(
                    Fault(None, f"no sheet is named `{record.name}`; there are {', '.join(book.sheet_names)}")
                )
            for sheet in sheets:
                yield from _sheet(book.get_sheet_by_name(sheet).iter_rows(), names, lists, loose, reading)
        except calamine.CalamineError as error:
            reading.faults.append(Fault(None, f"not a spreadsheet that can be read: {error}"))

    reading = Reading(pieces)
    return reading


def _sheet(
    rows: Iterator[Row], names: dict[str, str], lists: frozenset[str], booleans: frozenset[str], reading: Reading
) -> Iterator[Block]:  # fmt: skip
    header = [str(each) for each in next(rows, [])]
    reading.strangers |= {each: meant(each, names) for each in header if each and each not in names}
    if not set(header) & set(names):
        reading.faults.append(Fault(1, "no column has the name of a field; is the row with the names missing?"))
        return
    waiting: list[Row] = []
    for row in rows:
        waiting.append(row)
        if len(waiting) == ROWS:
            yield _block(waiting, header, names, lists, booleans)
            waiting = []
    if waiting:
        yield _block(waiting, header, names, lists, booleans)


def _block(
    rows: list[Row], header: list[str], names: dict[str, str], lists: frozenset[str], booleans: frozenset[str]
) -> Block:  # fmt: skip
    columns = {}
    for title, name in names.items():
        if title in header:
            at = header.index(title)
            values = [row[at] for row in rows]
            if name in booleans:
                values = [bool(each) if each in (0.0, 1.0) else each for each in values]
            columns[name] = of_values([_list(each) for each in values]) if name in lists else _raw(values)
        else:
            columns[name] = absent(len(rows))
    return Block(len(rows), columns)


def _raw(values: Row) -> Raw:
    sorts = np.fromiter((_sort(each) for each in values), dtype=np.uint8, count=len(values))
    texts = [None if sort == NULL else _text(each) for each, sort in zip(values, sorts.tolist(), strict=True)]
    return Raw(pa.array(texts, pa.string()), sorts)


def _list(value: object) -> object:
    """Return the list that a text in JSON is."""
    try:
        return None if value == "" else DECODER.decode(str(value))
    except ValueError:
        return str(value)


def _sort(value: object) -> int:
    if value is None or value == "":
        return NULL
    if isinstance(value, bool):
        return BOOLEAN
    # A text may be a number of many digits or an early date, which have no cells of their own.
    return NUMBER if isinstance(value, int | float) else CELL


def _text(value: object) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float):
        # Spreadsheets compute with 15 digits; those after them are not in the value that they show.
        return str(int(value)) if value.is_integer() else f"{Decimal(f'{value:.15g}'):f}"
    if isinstance(value, timedelta):
        value = (datetime(2000, 1, 1) + value).time()
    return value.isoformat() if isinstance(value, date | datetime | time) else str(value)
