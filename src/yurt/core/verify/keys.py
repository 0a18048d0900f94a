"""Finds keys among known ones, quickly and with memory only for the keys."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, bytes_of, flags, numbers_or, word

# Longer keys are not looked up by their hashes.
LONGEST = 64
# An odd number for each position of a key; sums of products with them distinguish most keys.
FACTORS = np.random.default_rng(7).integers(1 << 62, size=LONGEST, dtype=np.uint64) * np.uint64(2) + np.uint64(1)

Codes = NDArray[np.int64]


class Keys:
    """Different texts, for look-up."""

    def __init__(self, texts: pa.Array) -> None:
        self.texts = texts
        # The texts in the order of their hashes; None if they have none, or if two are equal, which is rare.
        self.order: NDArray[np.int64] | None = None
        marks = marks_of(texts)
        if marks is not None and len(texts):
            order = np.argsort(marks)
            self.marks = marks[order]
            self.order = order if not (self.marks[1:] == self.marks[:-1]).any() else None

    def places(self, texts: pa.Array) -> Codes:
        """Return the position of each text among the keys; -1 for none."""
        marks = marks_of(texts)
        if self.order is None or marks is None:
            return numbers_or(pc.index_in(texts, value_set=self.texts), np.int32, -1).astype(np.int64)
        # Sorted hashes are found several times as fast.
        order = np.argsort(marks)
        near = np.empty(len(marks), dtype=np.int64)
        near[order] = np.searchsorted(self.marks, marks[order])
        at = self.order[np.minimum(near, len(self.texts) - 1)]
        # The hash tells where the key must be; the key itself tells whether it is there.
        return np.where(flags(pc.equal(pc.take(self.texts, arrow(at)), texts)), at, -1)

    def numbers(self, other: Keys) -> Codes:
        """Return the position of each of some other keys among these; -1 for none."""
        if self.order is None or other.order is None:
            return self.places(other.texts)
        near = np.minimum(np.searchsorted(self.marks, other.marks), len(self.texts) - 1)
        hits = np.flatnonzero(self.marks[near] == other.marks)
        found = np.full(len(other.texts), -1, dtype=np.int64)
        at, there = self.order[near[hits]], other.order[hits]
        same = flags(pc.equal(pc.take(self.texts, arrow(at)), pc.take(other.texts, arrow(there))))
        found[there[same]] = at[same]
        return found


class NumberedKeys:
    """Texts that are numbered in the order of their first occurrence, one block of a file after another.

    They are kept in levels, each at least twice as large as the next: a key is sorted again only as often as the number
    of keys doubles.
    """

    def __init__(self) -> None:
        self.size = 0
        self.levels: list[Keys] = []

    @property
    def kept(self) -> int:
        """The number of bytes of the keys."""
        return sum(each.texts.nbytes for each in self.levels)

    def codes(self, keys: Keys) -> Codes:
        """Return the number of each key; new ones get the next numbers."""
        found = np.full(len(keys.texts), -1, dtype=np.int64)
        first = 0
        for level in self.levels:
            at = level.numbers(keys)
            found[at >= 0] = at[at >= 0] + first
            first += len(level.texts)
        new = np.flatnonzero(found < 0)
        if len(new):
            found[new] = np.arange(len(new)) + self.size
            self.size += len(new)
            self._keep(keys if len(new) == len(keys.texts) else Keys(pc.take(keys.texts, arrow(new))))
        return found

    def _keep(self, keys: Keys) -> None:
        while self.levels and len(self.levels[-1].texts) < 2 * len(keys.texts):
            keys = Keys(pa.concat_arrays([self.levels.pop().texts, keys.texts]))
        self.levels.append(keys)


def marks_of(texts: pa.Array) -> NDArray[np.uint64] | None:
    """Return a hash of each text that few others share; None if texts are long."""
    lengths = numbers_or(pc.binary_length(texts), np.int32, 0)
    widest = int(lengths.max()) if len(lengths) else 0
    if widest > LONGEST:
        return None
    data = bytes_of(texts)
    if widest and texts.null_count == 0 and int(lengths.min()) == widest:
        cells = data.reshape(-1, widest)
    else:
        cells = np.zeros((len(lengths), widest), dtype=np.uint8)
        cells[np.arange(widest) < lengths[:, None]] = bytes_of(pc.fill_null(texts, word("")))
    found = lengths.astype(np.uint64)
    for at in range(widest):
        found = found + cells[:, at].astype(np.uint64) * FACTORS[at]
    return found
