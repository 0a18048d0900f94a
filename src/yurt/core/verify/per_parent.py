"""Values that are kept for each parent of the rows of a file; every block may add parents."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.arrays import Numbers, distinct
from yurt.core.columns.column import Column, Places


class PerParent:
    """A number or flag for each parent, by the number of its key; 0 until it is set."""

    def __init__(self, kind: np.dtype[Any] | type) -> None:
        self.values: NDArray[Any] = np.zeros(1, dtype=kind)

    def of(self, codes: Places) -> Numbers:
        """Return the values of some parents."""
        self._grow(codes)
        found: Numbers = self.values[codes]
        return found

    def put(self, codes: Places, values: Numbers) -> None:
        """Set the values of some parents."""
        self._grow(codes)
        self.values[codes] = values

    def _grow(self, codes: Places) -> None:
        size = int(codes.max(initial=0)) + 1
        if size > len(self.values):
            # Twice as many, so that values are copied only as often as their number doubles.
            grown = np.zeros(max(size, 2 * len(self.values)), dtype=self.values.dtype)
            grown[: len(self.values)] = self.values
            self.values = grown


class LastRows:
    """The last value of a field for each parent."""

    def __init__(self) -> None:
        # The last values of each block, and for each parent the block of the newest one, counted from 1.
        self.blocks: list[Column] = []
        self.block, self.place = PerParent(np.int64), PerParent(np.int64)

    def put(self, codes: Places, values: Column) -> None:
        """Keep the last values of a block, one for each of some parents."""
        self.blocks.append(values)
        self.block.put(codes, np.full(len(codes), len(self.blocks)))
        self.place.put(codes, np.arange(len(codes)))

    def of(self, codes: Places) -> list[tuple[Places, Column]]:
        """Return the last values of the parents that have one, with their positions among `codes`."""
        block, place = self.block.of(codes), self.place.of(codes)
        found = []
        for at in distinct(block[block > 0]).tolist():
            here = np.flatnonzero(block == at)
            found.append((here, self.blocks[at - 1].take(place[here])))
        return found

    @property
    def kept(self) -> int:
        """The number of bytes kept."""
        places = self.block.values.nbytes + self.place.values.nbytes
        return places + sum(int(each.values.nbytes) for each in self.blocks)
