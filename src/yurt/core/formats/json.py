"""JSON as in RFC 8259: one array, one record a line.

Numbers are written with all their places, dates and moments as texts in ISO 8601, a missing value as null. Lists are
arrays, records inside records are objects.
"""

from __future__ import annotations

import pyarrow as pa

from yurt.core.formats.format import Format
from yurt.core.text.json_text import object_text, tokens


def records(_record: str, batch: pa.RecordBatch, _first_row: int) -> pa.Array:
    """Return one JSON object a record."""
    return object_text(batch.schema.names, batch.columns)


JSON = Format(
    "json", ".json", lambda _record, _names: "[\n", records, ",\n", "\n]\n", typed=True, nests=True, finish=tokens
)
