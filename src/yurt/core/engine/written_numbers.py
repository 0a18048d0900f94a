"""Numbers as texts: how they are written, and their values, for many at once."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, distinct, flags, numbers, word
from yurt.core.base.data_classes import dataclass

NUMBER_WANTED = "a number such as 12.50; `yurt extend` with `number(…)` writes it so"
NUMBER = r"^[+-]?[0-9]{1,15}([.,][0-9]{1,9})?$"


@dataclass(frozen=True)
class Written:
    """Numbers with the same decimal mark and places: where they are, and their values in units of the last place."""

    at: NDArray[np.int64]
    mark: str
    places: int
    values: NDArray[np.int64]

    def texts(self, values: NDArray[np.int64]) -> pa.Array:
        """Return other values in the same form."""
        digits = pc.cast(arrow(np.abs(values)), pa.string())
        if self.places:
            digits = pc.utf8_lpad(digits, self.places + 1, "0")
            whole = pc.utf8_slice_codeunits(digits, 0, -self.places)
            rest = pc.utf8_slice_codeunits(digits, -self.places, None)
            digits = pc.binary_join_element_wise(whole, rest, word(self.mark))
        signs = pc.if_else(arrow(values < 0), word("-"), word(""))
        return pc.binary_join_element_wise(signs, digits, word(""))


def written_numbers(texts: pa.Array) -> Iterator[Written]:
    """Yield the numbers among some texts, grouped by their form; other texts are in no group."""
    good = flags(pc.match_substring_regex(texts, NUMBER))
    for mark in (".", ","):
        at = numbers(pc.find_substring(texts, mark), np.int32).astype(np.int64)
        chosen = good & (at >= 0) if mark == "," else good & ((at >= 0) | ~flags(pc.match_substring(texts, ",")))
        lengths = numbers(pc.binary_length(texts), np.int32).astype(np.int64)
        places = np.where(at < 0, 0, lengths - at - 1)
        for count in distinct(places[chosen]).tolist():
            own = np.flatnonzero(chosen & (places == count)).astype(np.int64)
            plain = pc.replace_substring(pc.take(texts, arrow(own)), mark, "")
            values = numbers(pc.cast(pc.utf8_ltrim(plain, "+"), pa.int64()), np.int64)
            yield Written(own, mark, count, values)


def merged(parts: list[tuple[NDArray[np.int64], pa.Array]], size: int) -> pa.Array:
    """Return texts from groups of them; a text in no group is missing."""
    order = np.full(size, -1, dtype=np.int64)
    before = 0
    for at, found in parts:
        order[at] = np.arange(before, before + len(found))
        before += len(found)
    if not before:
        return pa.nulls(size, pa.string())
    every = pa.concat_arrays([found for _, found in parts])
    return pc.take(every, arrow(np.maximum(order, 0), order < 0))
