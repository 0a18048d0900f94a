"""Children of very many parents: their numbers are drawn from the top down, so that no sum over all parents is needed.

The number of all children is drawn first, then how many of them have parents in the first half, and so on down to
blocks of 65,536 parents: a sum of many independent counts is normal, and so is a part of it when the whole is known
(mean `s n1 / n`, variance `v n1 n2 / n`, for `n1` of `n` parents and the variance `v` of one count). Inside a block,
counts are drawn as ever, and some are one more or one less until they have the sum of the block. To find the parent of
a child takes as many steps as the number of blocks has binary digits.
"""

from __future__ import annotations

from functools import lru_cache
from math import sqrt

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.normal import inverse
from yurt.core.engine.family import BLOCK, Draw
from yurt.core.sampling.streams import Rows, Stream

# With more parents, their children are counted from the top down.
PARENTS = 1 << 27
# The places at which the mean and the variance of a count are measured.
PLACES = 1 << 16


class LargeFamily:
    """Every parent has `low` to `high` children. `source` draws the counts, `sums` those of blocks, and `evening` which
    parents have one child more or less.
    """

    def __init__(
        self, parents: int, low: int, high: int, source: Stream, sums: Stream, evening: Stream, draw: Draw
    ) -> None:  # fmt: skip
        self.count, self.low, self.high, self.draw = parents, low, high, draw
        self.source, self.sums, self.evening = source, sums, evening
        self.blocks = -(-parents // BLOCK)
        counts = draw((np.arange(PLACES) + 0.5) / PLACES)
        total, squares = int(counts.sum()), int((counts * counts).sum())
        # Whole numbers as long as possible: these sums are the same on every machine.
        self.variance = (squares * PLACES - total * total) / PLACES**2
        mean = low * parents + total * parents // PLACES
        # No block begins behind the last one, so that this number is free.
        drawn = mean + self._normal(self.blocks, sqrt(self.variance * parents))
        self.total = min(max(drawn, low * parents), high * parents)
        self._inside = lru_cache(maxsize=64)(self._block)

    def _normal(self, number: int, deviation: float) -> int:
        unit = self.sums.unit(np.array([number], dtype=np.uint64))
        return round(float(inverse(unit)[0]) * deviation)

    def _parents(self, first: int, blocks: int) -> int:
        return min((first + blocks) * BLOCK, self.count) - first * BLOCK

    def _halves(self, first: int, blocks: int, children: int) -> tuple[int, int]:
        """Return the number of blocks in the first part of some, and how many of their children have parents there."""
        half = 1 << (blocks - 1).bit_length() - 1
        parents = self._parents(first, blocks)
        left = half * BLOCK
        right = parents - left
        # Each border between blocks divides one part only.
        drawn = children * left // parents + self._normal(first + half, sqrt(self.variance * left * right / parents))
        least = max(self.low * left, children - self.high * right)
        return half, min(max(drawn, least), self.high * left, children - self.low * right)

    def _find(self, place: int, *, child: bool) -> tuple[int, int, int]:
        """Return the block of a child, or of a parent's number, with its first child and its number of children."""
        first, blocks, before, children = 0, self.blocks, 0, self.total
        while blocks > 1:
            half, left = self._halves(first, blocks, children)
            if place < before + left if child else place // BLOCK < first + half:
                blocks, children = half, left
            else:
                first, blocks, before, children = first + half, blocks - half, before + left, children - left
        return first, before, children

    def _block(self, block: int, before: int, children: int) -> NDArray[np.uint64]:
        """Return the number of children of all parents up to each one of a block."""
        rows = np.arange(block * BLOCK, min((block + 1) * BLOCK, self.count), dtype=np.uint64)
        counts = self.draw(self.source.unit(rows)) + self.low
        missing = children - int(counts.sum())
        keys = self.evening.bits(rows)
        while missing:
            step = 1 if missing > 0 else -1
            room = np.flatnonzero(counts < self.high if step > 0 else counts > self.low)
            many = min(abs(missing), len(room))
            chosen = room[np.argpartition(keys[room], many - 1)[:many]]
            counts[chosen] += step
            missing -= step * many
        return np.cumsum(counts, dtype=np.uint64) + np.uint64(before)

    def largest(self) -> int:
        """Return the maximum number of children of a parent."""
        return self.high

    def of_first(self, parents: int) -> int:
        """Return the number of children of the first parents."""
        if not parents:
            return 0
        found = self._find(parents - 1, child=False)
        return int(self._inside(*found)[(parents - 1) % BLOCK])

    def places(self, children: Rows) -> tuple[Rows, Rows]:
        """Return the parent's row number for each child row, and its ordinal among the parent's children (from 0)."""
        found, ordinals = np.empty(len(children), dtype=np.uint64), np.empty(len(children), dtype=np.uint64)
        waiting = np.ones(len(children), dtype=bool)
        while waiting.any():
            block, before, many = self._find(int(children[int(waiting.argmax())]), child=True)
            chosen = waiting & (children >= np.uint64(before)) & (children < np.uint64(before + many))
            ends = self._inside(block, before, many)
            inside = np.searchsorted(ends, children[chosen], side="right")
            found[chosen] = inside.astype(np.uint64) + np.uint64(block * BLOCK)
            ordinals[chosen] = children[chosen] - np.where(inside > 0, ends[inside - 1], np.uint64(before))
            waiting &= ~chosen
        return found, ordinals
