"""Several texts as one, so that two of them are equal exactly where all parts are: each part after its length."""

from __future__ import annotations

import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, flags, joined, word

# What stands before a part, after its length; and the part of a missing value.
MARK, MISSING = ":", "-"


def together(columns: list[pa.Array]) -> pa.Array:
    """Return one text for each row of some columns of texts; a missing value is a part of its own."""
    return joined(*map(_part, columns), "")


def _part(texts: pa.Array) -> pa.Array:
    lengths = pc.cast(pc.utf8_length(texts), pa.string())
    found = joined(lengths, MARK, texts)
    return pc.if_else(arrow(flags(pc.is_valid(found))), found, word(MISSING)) if texts.null_count else found


def apart(text: str) -> list[str | None]:
    """Return the parts of a text that `together` made."""
    found: list[str | None] = []
    while text:
        if text.startswith(MISSING):
            found.append(None)
            text = text[1:]
            continue
        length, _, rest = text.partition(MARK)
        found.append(rest[: int(length)])
        text = rest[int(length) :]
    return found
