"""Children of parents: which parent a child row has, without a table of all of them.

The children of one parent stand side by side. Their number is drawn from the parent's row number; sums are kept for
blocks of 65,536 parents, and the sums inside a block are made again when a row of it is asked for. So a billion
parents cost 15,000 numbers.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from yurt.core.sampling.streams import Rows, Stream, Unit

BLOCK = 1 << 16
Draw = Callable[[Unit], NDArray[np.int64]]


class Family(Protocol):
    """Knows how many children there are, and the parent of each."""

    total: int

    def places(self, children: Rows) -> tuple[Rows, Rows]:
        """Return the parent's row number for each child's row number, and which of its children it is (from 0)."""
        ...

    def largest(self) -> int:
        """Return how many children a parent has at most."""
        ...

    def of_first(self, parents: int) -> int:
        """Return how many children the first parents have together."""
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
    """Every parent has `low` to `high` children; `draw` makes numbers from 0 of numbers in (0, 1)."""

    def __init__(self, parents: int, low: int, high: int, source: Stream, draw: Draw) -> None:
        self.count, self.low, self.high, self.source, self.draw = parents, low, high, source, draw
        sums = [int(self._drawn(block).sum()) for block in range(-(-parents // BLOCK))]
        self.ends = np.cumsum(sums, dtype=np.uint64)
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
        for block in np.unique(blocks):
            chosen = blocks == block
            ends = self._inside(int(block))
            inside = np.searchsorted(ends, children[chosen], side="right")
            found[chosen] = inside.astype(np.uint64) + np.uint64(int(block) * BLOCK)
            first = self.ends[block - 1] if block else np.uint64(0)
            ordinals[chosen] = children[chosen] - np.where(inside > 0, ends[inside - 1], first)
        return found, ordinals
