"""Notes: whole sentences, or their beginning, of a length in a range."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, distinct, joined, numbers

# The number of possible lengths that are aimed at.
STEPS = 64
Places = NDArray[np.int64]


def notes(
    sentences: list[pa.Array], blank: pa.Array, stop: pa.Array, u: NDArray[np.float64], shortest: int, longest: int
) -> Iterator[tuple[Places, pa.Array]]:
    """Yield notes, with their places: as many sentences as come close to a length, with `blank` between them.

    Where no sentence ends in the range, a word does. The same holds where the length is the minimum or the maximum, so
    that both occur. `u` chooses the length.
    """
    lengths = distinct(np.linspace(shortest, longest, STEPS).round().astype(np.int64))
    chosen = (u * len(lengths)).astype(np.int64)
    sizes = np.stack([numbers(pc.utf8_length(each), np.int32) for each in sentences])
    between = numbers(pc.utf8_length(blank), np.int32)
    # Enough repetitions of the shortest sentence for the longest note.
    many = longest // int(sizes.min(initial=longest)) + 1 if sizes.size else 1
    order = [number % len(sentences) for number in range(many)]
    ends = np.cumsum(sizes[order] + between, axis=0) - between
    counts = _counts(ends, lengths[chosen], shortest, longest)
    counts[(chosen == 0) | (chosen == len(lengths) - 1)] = 0
    for count in distinct(counts[counts > 0]).tolist():
        places = np.flatnonzero(counts == count)
        yield places, _text(sentences, blank, order[:count], places)
    for number in distinct(chosen[counts == 0]).tolist():
        places = np.flatnonzero((counts == 0) & (chosen == number))
        begins = _text(sentences, blank, order, places)
        yield places, _cut_at_word(begins, pc.take(stop, arrow(places)), shortest, int(lengths[number]))


def _counts(ends: NDArray[np.int32], wanted: Places, shortest: int, longest: int) -> Places:
    """Return how many sentences fit: up to the wanted length, or else up to the maximum; 0 if none does."""
    enough = ends >= shortest
    below = (ends <= wanted).sum(axis=0)
    first = np.where(enough.any(axis=0), enough.argmax(axis=0) + 1, len(ends))
    found = np.maximum(below, first)
    last = np.take_along_axis(ends, found[None] - 1, axis=0)[0]
    return np.where((last >= shortest) & (last <= longest), found, 0)


def _text(sentences: list[pa.Array], blank: pa.Array, order: list[int], places: Places) -> pa.Array:
    at = arrow(places)
    some, gap = {each: sentences[each].take(at) for each in set(order)}, blank.take(at)
    parts = [part for each in order for part in (gap, some[each])][1:]
    return joined(*parts) if len(parts) > 1 else parts[0]


def _cut_at_word(texts: pa.Array, stop: pa.Array, shortest: int, longest: int) -> pa.Array:
    """Return the beginnings of texts, each with its full stop: cut at the end of a word if that leaves enough."""
    cut = pc.utf8_slice_codeunits(texts, 0, longest - 1)
    inside = pc.match_substring_regex(pc.utf8_slice_codeunits(texts, longest - 1, longest), r"[^\s]")
    whole = pc.if_else(inside, pc.replace_substring_regex(cut, r"\s+\S*$", ""), cut)
    whole = pc.replace_substring_regex(whole, r"[\s.,;:!?。।]+$", "")
    enough = pc.greater_equal(pc.utf8_length(whole), shortest - 1)
    return joined(pc.if_else(enough, whole, cut), stop)
