"""Values as JSON (RFC 8259), a whole Arrow array at a time."""

from __future__ import annotations

import json

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, bytes_of, changed_texts, flags, is_text, joined, word
from yurt.core.text import lexical

SHORT = {"\b": "\\b", "\t": "\\t", "\n": "\\n", "\f": "\\f", "\r": "\\r"}


def escaped(texts: pa.Array) -> pa.Array:
    """Return the texts with quotes, backslashes, and control characters escaped."""
    data = bytes_of(texts)
    controls = sorted(set(data[data < 0x20].tolist()))
    if not controls and not (data == ord('"')).any() and not (data == ord("\\")).any():
        return texts
    found = pc.replace_substring(texts, pattern="\\", replacement="\\\\")
    found = pc.replace_substring(found, pattern='"', replacement='\\"')
    for code in controls:
        found = pc.replace_substring(found, pattern=chr(code), replacement=SHORT.get(chr(code), f"\\u{code:04x}"))
    return found


def value(column: pa.Array) -> tuple[pa.Array, str]:
    """Return the values as JSON texts without the quotes around each, and the quote; `null` for a missing one."""
    kind = column.type
    if pa.types.is_large_string(kind):
        return pc.fill_null(pc.cast(column, pa.string()), word("null")), ""
    if pa.types.is_list(kind):
        texts, quote = list_text(column), ""
    elif pa.types.is_struct(kind):
        texts, quote = object_text([each.name for each in kind], column.flatten()), ""
    elif is_text(column):
        texts, quote = changed_texts(column, escaped), '"'
    else:
        texts = lexical.scalar_text(column)
        quote = '"' if pa.types.is_temporal(kind) else ""
    if not column.null_count:
        return texts, quote
    shown = joined(quote, texts, quote) if quote else texts
    if texts.null_count < column.null_count:
        shown = pc.if_else(pc.is_valid(column), shown, word("null"))
    return pc.fill_null(shown, word("null")), ""


def tokens(column: pa.Array) -> pa.Array:
    """Return the values as they are in a file, with quotes around texts."""
    texts, quote = value(column)
    return joined(quote, texts, quote) if quote else texts


def list_text(column: pa.ListArray) -> pa.Array:
    """Return lists as JSON arrays; a missing one stays missing."""
    texts, quote = value(pc.list_flatten(column))
    tokens = joined(quote, texts, quote) if quote else texts
    offsets = column.offsets
    first = offsets[0].as_py()
    if first:
        offsets = pc.subtract(offsets, offsets[0])
    inside = pc.binary_join(pa.ListArray.from_arrays(offsets, tokens), word(", "))
    found = joined("[", inside, "]")
    return pc.if_else(pc.is_valid(column), found, pa.nulls(1, pa.string())[0]) if column.null_count else found


def object_text(names: list[str], columns: list[pa.Array], indent: int = 0) -> pa.Array:
    """Return JSON objects of columns, one member per name; an empty finished value stands for an absent name.

    With `indent`, each member is on a line of its own.
    """
    line, end = (f"\n{' ' * indent}", "\n") if indent else ("", "")
    after = "," if indent else ", "
    if any(_absent(each).any() for each in columns):
        return _with_absent(names, columns, after + line, end)
    parts: list[pa.Array | str] = []
    between = "{" + line
    for name, column in zip(names, columns, strict=True):
        texts, quote = value(column)
        parts += [f"{between}{json.dumps(name, ensure_ascii=False)}: {quote}", texts]
        between = f"{quote}{after}{line}"
    parts.append(between.removesuffix(after + line) + end + "}")
    return joined(*parts)


def _absent(column: pa.Array) -> NDArray[np.bool_]:
    if not pa.types.is_large_string(column.type):
        return np.zeros(len(column), dtype=np.bool_)
    return flags(pc.equal(column, word("")))


def _with_absent(names: list[str], columns: list[pa.Array], before: str, end: str) -> pa.Array:
    members = []
    for name, column in zip(names, columns, strict=True):
        member = joined(f"{before}{json.dumps(name, ensure_ascii=False)}: ", tokens(column))
        members.append(pc.if_else(arrow(_absent(column)), word(""), member))
    inside = pc.utf8_slice_codeunits(joined(*members), start=before.index(",") + (1 if end else len(before)))
    return joined("{", inside, end + "}")
