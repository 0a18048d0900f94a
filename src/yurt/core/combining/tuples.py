"""Arrays of strength 3 and more: from algebra if possible, and made smaller by search if they are small.

Orthogonal arrays of strength t: polynomials below degree t over a field, at all its elements and at infinity (K. A.
Bush, 1952), and for t + 1 factors the rows whose sum is zero. Two levels: at strength 3 the matrix of order 12 in the
sense of J. Hadamard, from the squares modulo 11 (R. E. A. C. Paley, 1933), at strength 4 such a matrix and its
complement. The search is that of K. Nurmela (2004): it takes a combination that occurs in no row and puts it into the
row where that costs least.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations
from math import prod

import numpy as np
from numpy.typing import NDArray

from yurt.core.combining.algebra import POWERS, tables

Array = NDArray[np.int64]
# Orders of such matrices, less one; no four columns of them lack a combination, if the complement is added.
PALEY = (11, 19, 23)
# The number of combinations in a search, and its steps.
MOST_TUPLES, STEPS = 3_000, 40_000
# The maximum number of steps for which a changed cell is left alone.
ALONE = 6


def orthogonal(levels: int, factors: int, strength: int) -> Array | None:
    """Return the smallest array from algebra for factors with this many levels; None if there is none."""
    if levels == 2 and strength == 3 and factors <= 11:
        return _paley(11)[:, :factors]
    if factors <= strength + 1:
        rows = np.array(list(np.ndindex(*(levels,) * strength)), dtype=np.int64)
        return np.concatenate((rows, (-rows.sum(axis=1) % levels)[:, None]), axis=1)[:, :factors]
    if levels in POWERS and levels >= strength and factors <= levels + 1:
        return _polynomials(levels, strength)[:, :factors]
    if levels == 2 and strength == 4 and factors <= PALEY[-1] + 1:
        matrix = _paley(next(each for each in PALEY if factors <= each + 1))
        matrix = np.column_stack((matrix, np.ones(len(matrix), dtype=np.int64)))
        return np.concatenate((matrix, 1 - matrix))[:, :factors]
    return None


def _paley(q: int) -> Array:
    """Return the matrix of order q + 1, without its column of ones."""
    squares = {each * each % q for each in range(1, q)}
    row = [1 if each in squares else 0 for each in range(q)]
    return np.array([*(row[at:] + row[:at] for at in range(q)), [1] * q], dtype=np.int64)


def _polynomials(q: int, strength: int) -> Array:
    plus, times = tables(q)
    coefficients = np.array(list(np.ndindex(*(q,) * strength)), dtype=np.int64)
    columns = []
    for point in range(q):
        value = coefficients[:, -1]
        for at in range(strength - 2, -1, -1):
            value = plus[times[value, point], coefficients[:, at]]
        columns.append(value)
    # The value at infinity is the leading coefficient.
    return np.stack([*columns, coefficients[:, -1]], axis=1)


class TupleSearch:
    """An array in which combinations of `strength` factors are repaired."""

    def __init__(self, array: Array, levels: Sequence[int], strength: int, dice: np.random.Generator) -> None:
        self.array, self.dice = array.copy(), dice
        self.sets = np.array(list(combinations(range(len(levels)), strength)), dtype=np.int64)
        sizes = np.array(levels, dtype=np.int64)[self.sets]
        # The number of a combination: its position among those of its factors, after those of the sets before.
        self.weights = np.concatenate(
            (np.cumprod(sizes[:, ::-1], axis=1)[:, -2::-1], np.ones((len(sizes), 1), np.int64)), axis=1
        )
        totals = sizes.prod(axis=1)
        self.starts = np.concatenate(([0], np.cumsum(totals)[:-1]))
        self.total = int(totals.sum())
        self.set_of = np.repeat(np.arange(len(totals)), totals)
        self.with_factor = [np.flatnonzero((self.sets == at).any(axis=1)) for at in range(len(levels))]
        self.counts = np.bincount(self._numbers(self.array).ravel(), minlength=self.total)

    def _numbers(self, rows: Array, chosen: NDArray[np.intp] | slice = slice(None)) -> Array:
        found: Array = (rows[:, self.sets[chosen]] * self.weights[chosen]).sum(axis=2) + self.starts[chosen]
        return found

    def mended(self, steps: int) -> bool:
        """Continue until no combination is missing, or for a number of steps; return whether none is."""
        free_at = np.zeros(len(self.array), dtype=np.int64)
        for step in range(steps):
            missing = np.flatnonzero(self.counts == 0)
            if not len(missing):
                return True
            number = int(missing[int(self.dice.integers(len(missing)))])
            at = int(self.set_of[number])
            wanted = (number - self.starts[at]) // self.weights[at]
            for place in range(len(wanted) - 1, 0, -1):
                wanted[place] -= wanted[place - 1] * (self.weights[at][place - 1] // self.weights[at][place])
            factors = self.sets[at]
            changed = self.array.copy()
            changed[:, factors] = wanted
            distance = (self.array[:, factors] != wanted).sum(axis=1)
            near = np.flatnonzero(distance == distance[free_at <= step].min(initial=len(factors)))
            near = near[free_at[near] <= step] if (free_at[near] <= step).any() else near
            before, after = self._numbers(self.array[near]), self._numbers(changed[near])
            moved = before != after
            cost = (moved & (self.counts[before] == 1)).sum(axis=1) - (moved & (self.counts[after] == 0)).sum(axis=1)
            best = int(near[np.argmin(cost + self.dice.random(len(near)) * 0.9)])
            np.subtract.at(self.counts, self._numbers(self.array[best : best + 1])[0], 1)
            self.array[best] = changed[best]
            np.add.at(self.counts, self._numbers(self.array[best : best + 1])[0], 1)
            free_at[best] = step + 1 + int(self.dice.integers(ALONE))
        return bool((self.counts > 0).all())


def fewer(array: Array, levels: Sequence[int], strength: int, seed: int = 1) -> Array:
    """Return an array with fewer rows, as few as the steps allow; large problems are unchanged."""
    total = sum(prod(levels[at] for at in each) for each in combinations(range(len(levels)), strength))
    if total > MOST_TUPLES:
        return array
    dice = np.random.default_rng(seed)
    least = prod(sorted(levels)[-strength:])
    best, left = array, STEPS
    while len(best) > least and left > 0:
        # The row whose combinations mostly occur elsewhere is missed least.
        search = TupleSearch(best, levels, strength, dice)
        alone = (search.counts[search._numbers(best)] == 1).sum(axis=1)
        search = TupleSearch(np.delete(best, int(np.argmin(alone)), axis=0), levels, strength, dice)
        steps = max(left // 2, min(left, 4000))
        left -= steps
        if search.mended(steps):
            best, left = search.array, left + steps // 2
    return best
