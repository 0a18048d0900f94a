"""Children of parents: the parent of each child row, without a table of all of them.

The children of one parent are consecutive rows. Their number is drawn from the parent's row number; sums are kept for
blocks of 65,536 parents, and the sums inside a block are recomputed on demand. So 134 million parents cost 2,048
numbers, which are computed once, on all cores. `large_family.py` is for more.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from functools import lru_cache
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.arrays import distinct
from yurt.core.base.threads import in_order
from yurt.core.sampling.streams import Rows, Stream, Unit

BLOCK = 1 << 16
# Fewer blocks are counted before threads have started.
WORTH_THREADS = 16
Ends = NDArray[np.uint64]
Draw = Callable[[Unit], NDArray[np.int64]]


class Family(Protocol):
    """Knows the number of children, and the parent of each."""

    total: int

    def places(self, children: Rows) -> tuple[Rows, Rows]:
        """Return the parent's row number for each child row, and its ordinal among the parent's children (from 0)."""
        ...

    def largest(self) -> int:
        """Return the maximum number of children of a parent."""
        ...

    def of_first(self, parents: int) -> int:
        """Return the number of children of the first parents."""
        ...


class FixedFamily:
    """Every parent has the same number of children."""

    def __init__(self, parents: int, each: int) -> None:
        self.each = each
        self.total = parents * each

    def places(self, children: Rows) -> tuple[Rows, Rows]:
        return np.divmod(children, np.uint64(max(self.each, 1)))

    def largest(self) -> int:
        return self.each

    def of_first(self, parents: int) -> int:
        return self.each * parents


class DrawnFamily:
    """Every parent has `low` to `high` children; `draw` turns numbers in (0, 1) into numbers from 0."""

    def __init__(self, parents: int, low: int, high: int, source: Stream, draw: Draw, ends: Ends | None = None) -> None:
        """`ends` are the sums up to each block, if somebody has them already."""
        self.count, self.low, self.high, self.source, self.draw = parents, low, high, source, draw
        blocks = range(-(-parents // BLOCK))
        if ends is None:
            workers = os.cpu_count() or 1 if len(blocks) > WORTH_THREADS else 1
            sums = [total for _, total in in_order(lambda block: int(self._drawn(block).sum()), blocks, workers)]
            ends = np.cumsum(sums, dtype=np.uint64)
        self.ends = ends
        self.total = int(self.ends[-1]) if len(self.ends) else 0
        self._inside = lru_cache(maxsize=64)(self._block_ends)

    def _drawn(self, block: int) -> NDArray[np.uint64]:
        rows = np.arange(block * BLOCK, min((block + 1) * BLOCK, self.count), dtype=np.uint64)
        return self.draw(self.source.unit(rows)).astype(np.uint64) + np.uint64(self.low)

    def _block_ends(self, block: int) -> NDArray[np.uint64]:
        before = self.ends[block - 1] if block else np.uint64(0)
        return np.cumsum(self._drawn(block), dtype=np.uint64) + before

    def largest(self) -> int:
        return self.high

    def of_first(self, parents: int) -> int:
        return int(self._inside((parents - 1) // BLOCK)[(parents - 1) % BLOCK]) if parents else 0

    def places(self, children: Rows) -> tuple[Rows, Rows]:
        found = np.empty(len(children), dtype=np.uint64)
        ordinals = np.empty(len(children), dtype=np.uint64)
        blocks = np.searchsorted(self.ends, children, side="right")
        for block in distinct(blocks):
            chosen = blocks == block
            ends = self._inside(int(block))
            inside = np.searchsorted(ends, children[chosen], side="right")
            found[chosen] = inside.astype(np.uint64) + np.uint64(int(block) * BLOCK)
            first = self.ends[block - 1] if block else np.uint64(0)
            ordinals[chosen] = children[chosen] - np.where(inside > 0, ends[inside - 1], first)
        return found, ordinals
