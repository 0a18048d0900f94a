"""Texts with a capital first letter."""

from __future__ import annotations

import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import joined
from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column


def capital(column: Column, rows: int, *languages: str) -> Column:
    """Return texts with a capital first letter, by the rules of their languages."""
    if pa.types.is_dictionary(column.values.type):
        words = column.values
        found = pa.DictionaryArray.from_arrays(words.indices, _capital(words.dictionary, "tr" in languages))
        return Column(TEXT, found)
    return Column(TEXT, _capital(column.text(rows), "tr" in languages))


def _capital(texts: pa.Array, turkish: bool) -> pa.Array:
    """Return texts with a capital first letter; that of the Turkish i has a dot."""
    if turkish:
        texts = pc.replace_substring_regex(texts, "^i", "İ")
    first, rest = pc.utf8_slice_codeunits(texts, 0, 1), pc.utf8_slice_codeunits(texts, 1)
    return joined(pc.utf8_upper(first), rest)
