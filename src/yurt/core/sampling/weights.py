"""Draws by weight: from positions, or within one of several groups of positions."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


class Weighted:
    """Draws positions 0 … n-1 by weight: a guide table finds most at once, a search the others.

    `ends` are the cumulative sums of the weights, from above 0 up to exactly 1.
    """

    def __init__(self, ends: Array) -> None:
        self.ends = ends
        self.cells = 1 << max(6, min(16, (4 * len(ends)).bit_length()))
        starts = np.arange(self.cells + 1) / self.cells
        self.guide = np.searchsorted(ends, starts, side="right").astype(np.int64)
        self.guide[-1] = np.searchsorted(ends, 1.0)
        self.sure = self.guide[:-1] == self.guide[1:]

    def __call__(self, u: Array) -> NDArray[np.int64]:
        cell = (u * self.cells).astype(np.int64)
        found = self.guide[cell]
        open_cells = np.flatnonzero(~self.sure[cell])
        found[open_cells] = np.searchsorted(self.ends, u[open_cells], side="right")
        return found


def weighted(weights: Array) -> Weighted:
    """Return an object that draws by these weights, which are not all 0."""
    ends = np.cumsum(weights) / np.sum(weights)
    ends[np.flatnonzero(weights)[-1] :] = 1.0
    return Weighted(ends)


class Grouped:
    """Draws by weight within one of several groups; the positions of each group are consecutive.

    Each group gets an equal interval of the numbers from 0 to 1. The ends of the intervals are exact, and draws keep
    2**-40 away from them, so that rounding never leads into the neighbouring group.
    """

    def __init__(self, weights: Array, group: NDArray[np.int64], groups: int) -> None:
        """Take positions sorted by `group`; every group has a position with a weight."""
        sums = np.bincount(group, weights, minlength=groups)
        ends = np.cumsum(weights / sums[group]) / groups
        last = np.searchsorted(group, np.arange(groups), side="right") - 1
        ends[last] = np.arange(1, groups + 1) / groups
        self.groups = groups
        self.inside = Weighted(ends)

    def __call__(self, u: Array, group: NDArray[np.int64] | int) -> NDArray[np.int64]:
        return self.inside((u * (1 - 2.0**-39) + 2.0**-40 + group) / self.groups)
