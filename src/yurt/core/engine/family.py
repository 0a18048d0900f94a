"""Children of parents: which parent a child row has, without a table of all of them.

The children of one parent stand side by side. Their number is drawn from the parent's row number; sums are kept for
blocks of 65,536 parents, and the sums inside a block are made again when a row of it is asked for. So a billion
parents cost 15,000 numbers.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from yurt.core.engine.streams import Rows, Stream

BLOCK = 1 << 16


class Family(Protocol):
    """Knows how many children there are, and the parent of each."""

    total: int

    def parents(self, children: Rows) -> Rows:
        """Return the parent's row number for each child's row number."""
        ...


class FixedFamily:
    """Every parent has the same number of children."""

    def __init__(self, parents: int, each: int) -> None:
        self.each = each
        self.total = parents * each

    def parents(self, children: Rows) -> Rows:
        return children // np.uint64(max(self.each, 1))


class DrawnFamily:
    """Every parent has `low` to `high` children, each number alike."""

    def __init__(self, parents: int, low: int, high: int, source: Stream) -> None:
        self.count, self.low, self.size, self.source = parents, low, high - low + 1, source
        sums = [int(self._drawn(block).sum()) for block in range(-(-parents // BLOCK))]
        self.ends = np.cumsum(sums, dtype=np.uint64)
        self.total = int(self.ends[-1]) if len(self.ends) else 0
        self._inside = lru_cache(maxsize=64)(self._block_ends)

    def _drawn(self, block: int) -> NDArray[np.uint64]:
        rows = np.arange(block * BLOCK, min((block + 1) * BLOCK, self.count), dtype=np.uint64)
        return (self.source.unit(rows) * self.size).astype(np.uint64) + np.uint64(self.low)

    def _block_ends(self, block: int) -> NDArray[np.uint64]:
        before = self.ends[block - 1] if block else np.uint64(0)
        return np.cumsum(self._drawn(block), dtype=np.uint64) + before

    def parents(self, children: Rows) -> Rows:
        found = np.empty(len(children), dtype=np.uint64)
        blocks = np.searchsorted(self.ends, children, side="right")
        for block in np.unique(blocks):
            chosen = blocks == block
            inside = np.searchsorted(self._inside(int(block)), children[chosen], side="right")
            found[chosen] = inside.astype(np.uint64) + np.uint64(int(block) * BLOCK)
        return found
