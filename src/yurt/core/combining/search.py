"""Makes pairwise arrays smaller: removes rows and repairs what is missing, by tabu search (F. Glover, 1989).

A step takes a missing pair and puts it into the row where that costs least; cells that were just changed are left alone
for a while. Everything is counted for all rows at once.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.int64]


class Search:
    """An array under repair."""

    def __init__(self, array: Array, levels: Sequence[int], dice: np.random.Generator) -> None:
        self.levels = np.array(levels, dtype=np.int64)
        self.starts = np.concatenate(([0], np.cumsum(self.levels)))[:-1]
        self.symbols = int(self.levels.sum())
        self.dice = dice
        self.array = array.copy()
        self.factor_of = np.repeat(np.arange(len(levels)), self.levels)
        self._count()

    def _count(self) -> None:
        """Count how often every two symbols (levels of factors) occur in one row."""
        rows, _ = self.array.shape
        one = np.zeros((rows, self.symbols), dtype=np.float32)
        one[np.arange(rows)[:, None], self.array + self.starts] = 1
        self.counts = (one.T @ one).astype(np.int32)
        same = np.equal.outer(self.factor_of, self.factor_of)
        # Two levels of one factor are not a pair.
        self.counts[same] = 1 << 20

    def missing(self) -> int:
        """Return the number of pairs that occur in no row."""
        return int(np.count_nonzero(self.counts == 0)) // 2

    def mended(self, steps: int) -> bool:
        """Continue until no pair is missing, or for a number of steps; return whether none is."""
        rows, factors = self.array.shape
        free_at = np.zeros((rows, factors), dtype=np.int64)
        symbols = self.array + self.starts
        for step in range(steps):
            zeros = np.flatnonzero(self.counts == 0)
            if not len(zeros):
                self.array = symbols - self.starts
                return True
            a, b = divmod(int(zeros[int(self.dice.integers(len(zeros)))]), self.symbols)
            f, g = int(self.factor_of[a]), int(self.factor_of[b])
            cost = self._cost(symbols, f, int(a)) + self._cost(symbols, g, int(b))
            tabu = ((free_at[:, f] > step) & (symbols[:, f] != a)) | ((free_at[:, g] > step) & (symbols[:, g] != b))
            cost = cost + tabu * 1000 + self.dice.random(rows) * 0.9
            row = int(np.argmin(cost))
            for factor, symbol in ((f, int(a)), (g, int(b))):
                if symbols[row, factor] != symbol:
                    self._set(symbols, row, factor, symbol)
                    free_at[row, factor] = step + 2 + int(self.dice.integers(8))
        self.array = symbols - self.starts
        return self.missing() == 0

    def _cost(self, symbols: Array, factor: int, symbol: int) -> NDArray[np.float64]:
        """Return, for each row, how many more pairs are missing when a factor takes a symbol there."""
        old = symbols[:, factor]
        lost = (self.counts[old[:, None], symbols] == 1).sum(axis=1)
        won = (self.counts[symbol][symbols] == 0).sum(axis=1)
        return np.where(old == symbol, 0.0, (lost - won).astype(np.float64))

    def _set(self, symbols: Array, row: int, factor: int, symbol: int) -> None:
        others = np.delete(symbols[row], factor)
        old = symbols[row, factor]
        self.counts[old, others] -= 1
        self.counts[others, old] -= 1
        self.counts[symbol, others] += 1
        self.counts[others, symbol] += 1
        symbols[row, factor] = symbol


def smaller(array: Array, levels: Sequence[int], steps: int, seed: int = 1) -> Array:
    """Return an array with fewer rows, as few as the steps allow."""
    dice = np.random.default_rng(seed)
    ordered = sorted(levels, reverse=True)
    least = ordered[0] * ordered[1] if len(ordered) > 1 else len(array)
    best, left = array, steps
    while len(best) > least and left > 0:
        # The row whose pairs mostly occur elsewhere is missed least.
        search = Search(best, levels, dice)
        symbols = best + search.starts
        alone = np.array([(search.counts[np.ix_(row, row)] == 1).sum() for row in symbols])
        kept = np.delete(best, int(np.argmin(alone)), axis=0)
        search = Search(kept, levels, dice)
        share = max(left // 2, min(left, 2000))
        if not search.mended(share):
            left -= share
            continue
        best = search.array
        left -= share // 4
    return best
