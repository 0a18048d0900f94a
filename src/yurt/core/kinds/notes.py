"""Notes: sentences that are cut to a length."""

from __future__ import annotations

import pyarrow as pa
import pyarrow.compute as pc

from yurt.core.base.arrays import joined


def cut_at_word(texts: pa.Array, stop: pa.Array, shortest: int, longest: int) -> pa.Array:
    """Return the beginnings of texts, each with its full stop: cut at the end of a word if that leaves enough."""
    cut = pc.utf8_slice_codeunits(texts, 0, longest - 1)
    inside = pc.match_substring_regex(pc.utf8_slice_codeunits(texts, longest - 1, longest), r"[^\s]")
    whole = pc.if_else(inside, pc.replace_substring_regex(cut, r"\s+\S*$", ""), cut)
    whole = pc.replace_substring_regex(whole, r"[\s.,;:!?。।]+$", "")
    enough = pc.greater_equal(pc.utf8_length(whole), shortest - 1)
    return joined(pc.if_else(enough, whole, cut), stop)
