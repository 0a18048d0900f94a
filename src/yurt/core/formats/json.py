"""JSON as in RFC 8259: one array, one record a line.

Numbers are written with all their places, dates and moments as texts in ISO 8601, a missing value as null.
"""

from __future__ import annotations

import json

import pyarrow as pa
import pyarrow.compute as pc

from yurt.core import lexical
from yurt.core.arrays import joined, word
from yurt.core.formats.format import Format, bytes_of, changed_texts, is_text

SHORT = {"\b": "\\b", "\t": "\\t", "\n": "\\n", "\f": "\\f", "\r": "\\r"}


def escaped(texts: pa.Array) -> pa.Array:
    """Return the texts with quotes, backslashes and control characters escaped."""
    data = bytes_of(texts)
    controls = sorted(set(data[data < 0x20].tolist()))
    if not controls and not (data == ord('"')).any() and not (data == ord("\\")).any():
        return texts
    found = pc.replace_substring(texts, pattern="\\", replacement="\\\\")
    found = pc.replace_substring(found, pattern='"', replacement='\\"')
    for code in controls:
        found = pc.replace_substring(found, pattern=chr(code), replacement=SHORT.get(chr(code), f"\\u{code:04x}"))
    return found


def _value(column: pa.Array) -> tuple[pa.Array, str]:
    """Return the values as texts, and the quote that goes around each."""
    if is_text(column):
        texts, quote = changed_texts(column, escaped), '"'
    else:
        texts = lexical.text_of(column)
        quote = '"' if pa.types.is_temporal(column.type) else ""
    if not column.null_count:
        return texts, quote
    shown = joined(quote, texts, quote) if quote else texts
    return pc.fill_null(shown, word("null")), ""


def records(_record: str, batch: pa.RecordBatch, _first_row: int) -> pa.Array:
    """Return one JSON object a record."""
    parts: list[pa.Array | str] = []
    between = "{"
    for name, column in zip(batch.schema.names, batch.columns, strict=True):
        texts, quote = _value(column)
        parts += [f"{between}{json.dumps(name, ensure_ascii=False)}: {quote}", texts]
        between = f"{quote}, "
    parts.append(between.removesuffix(", ") + "}")
    return joined(*parts)


JSON = Format("json", ".json", lambda _record, _names: "[\n", records, ",\n", "\n]\n")
