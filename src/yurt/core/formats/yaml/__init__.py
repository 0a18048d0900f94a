"""YAML 1.2: a sequence with one mapping per record.

Texts, dates, and times are in double quotes, so that no reader takes a code for a number or a word for a Boolean.
"""

from __future__ import annotations

from yurt.core.formats.common.format import TextFormat
from yurt.core.formats.common.settings import Chosen, complete
from yurt.core.formats.common.values import CHILDREN, FIELDS
from yurt.core.formats.json.reading import token
from yurt.core.formats.json.writing import MISSING
from yurt.core.formats.yaml.malformed import BREAKS
from yurt.core.formats.yaml.reading import read
from yurt.core.formats.yaml.writing import records, values, values_or_absent

SETTINGS = (FIELDS, CHILDREN, MISSING)


def _configured(chosen: Chosen) -> TextFormat:
    absent = chosen["missing"] == "absent"
    return TextFormat(
        name="yaml", suffixes=(".yaml", ".yml"), meaning="a sequence of mappings, as in YAML 1.2", settings=SETTINGS,
        configured=_configured, opening=lambda _record, _names: "", separator="\n", closing="\n", empty="[]\n",
        records=lambda _record, batch, _first_row: records(batch, absent),
        finish=values_or_absent if absent else values, token=token,
        cannot=lambda value: "", read=read, breaks=BREAKS, typed=True, nests=True,
        inside=chosen["children"] == "inside",
    )  # fmt: skip


FORMAT = _configured(complete("yaml", SETTINGS, {}))
