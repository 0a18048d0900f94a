"""Arrays of any strength that grow factor by factor (Y. Lei, K.-C. Tai, 1998: in-parameter-order).

The existing rows get a level of the next factor that covers as many new combinations as possible; the remaining
combinations go into free cells, then into new rows.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from yurt.core.combining.rules import FREE, Row, Rules

Array = NDArray[np.int64]
Subset = tuple[int, ...]


def subsets_with(factor: int, before: Sequence[int], strength: int, more: Sequence[tuple[Subset, int]]) -> list[Subset]:
    """Return the sets of earlier factors whose combinations with a factor must all be covered."""
    found = dict.fromkeys(combinations(before, min(strength, len(before) + 1) - 1))
    for chosen, own in more:
        if factor in chosen:
            inside = [each for each in before if each in chosen]
            found |= dict.fromkeys(combinations(inside, min(own, len(inside) + 1) - 1))
    # A subset of another set is covered with it.
    largest = max((len(each) for each in found), default=0)
    return [
        each for each in found
        if len(each) == largest or not any(len(other) > len(each) and set(each) < set(other) for other in found)
    ]  # fmt: skip


class Growth:
    """A growing array. The factors come in the order of their levels, most first."""

    def __init__(self, rules: Rules, strength: int, more: Sequence[tuple[Subset, int]] = ()) -> None:
        self.rules, self.strength, self.more = rules, strength, more
        self.levels = rules.levels
        self.rows: list[Row] = []

    def grown(self, seeds: Array, base: Array, first: Sequence[int]) -> Array:
        """Return rows with all combinations, seeds first; `base` covers those of the factors `first` already."""
        self.rows = [each.copy() for each in seeds]
        self.fixed = len(seeds)
        order = [*first, *(each for each in self._order() if each not in first)]
        if len(base):
            for each in base:
                row = np.full(len(self.levels), FREE, dtype=np.int64)
                row[list(first)] = each
                self.rows.append(row)
        for at, factor in enumerate(order):
            if at >= len(first):
                self._add(factor, order[:at])
        return self._filled()

    def _order(self) -> list[int]:
        return sorted(range(len(self.levels)), key=lambda each: (-self.levels[each], each))

    def _add(self, factor: int, before: list[int]) -> None:
        sets = subsets_with(factor, before, self.strength, self.more)
        open_: list[NDArray[np.bool_]] = []
        for each in sets:
            shape = (*(self.levels[one] for one in each), self.levels[factor])
            open_.append(np.ones(shape, dtype=np.bool_).reshape(-1, self.levels[factor]))
        if self.rules:
            self._close_impossible(factor, sets, open_)
        array = np.array(self.rows, dtype=np.int64).reshape(len(self.rows), len(self.levels))
        index = self._index(array, sets)
        for row in np.flatnonzero(array[:, factor] >= 0).tolist():
            self._cover(row, int(array[row, factor]), index, open_)
        self._across(array, factor, index, open_)
        self.rows = list(array)
        self._down(factor, sets, open_)

    def _index(self, array: Array, sets: list[Subset]) -> Array:
        """Return, for each row and set, the number of its combination; -1 if a cell is free."""
        found = np.full((len(array), len(sets)), -1, dtype=np.int64)
        for at, each in enumerate(sets):
            if not each:
                found[:, at] = 0
                continue
            chosen = array[:, list(each)]
            full = (chosen >= 0).all(axis=1)
            shape = tuple(self.levels[one] for one in each)
            found[full, at] = np.ravel_multi_index(tuple(chosen[full].T), shape)
        return found

    def _close_impossible(self, factor: int, sets: list[Subset], open_: list[NDArray[np.bool_]]) -> None:
        """Remove combinations that no row within the rules can have."""
        spoken = set(self.rules.of_factor)
        row = np.full(len(self.levels), FREE, dtype=np.int64)
        for each, left in zip(sets, open_, strict=True):
            if factor not in spoken and not spoken & set(each):
                continue
            shape = tuple(self.levels[one] for one in each)
            for number in range(len(left)):
                row[list(each)] = np.unravel_index(number, shape) if each else []
                for level in range(self.levels[factor]):
                    row[factor] = level
                    left[number, level] = self.rules.feasible(row)
                row[factor] = FREE
            row[list(each)] = FREE

    @staticmethod
    def _cover(row: int, level: int, index: Array, open_: list[NDArray[np.bool_]]) -> None:
        for at, left in enumerate(open_):
            if index[row, at] >= 0:
                left[index[row, at], level] = False

    def _across(self, array: Array, factor: int, index: Array, open_: list[NDArray[np.bool_]]) -> None:
        """Give each row the level that covers most; the row that gains most comes first."""
        waiting = np.flatnonzero(array[:, factor] < 0)
        used = np.zeros(self.levels[factor], dtype=np.int64)
        gains = self._gains(index[waiting], open_, self.levels[factor])
        while len(waiting):
            # Among equal gains, the least used level, so that none is left to the end.
            score = gains * 1000 - used
            flat = int(np.argmax(score))
            at, level = divmod(flat, self.levels[factor])
            if gains[at, level] <= 0:
                break
            row = int(waiting[at])
            array[row, factor] = level
            if self.rules and not self.rules.feasible(array[row]):
                array[row, factor] = FREE
                gains[at, level] = -1
                continue
            used[level] += 1
            for number, left in enumerate(open_):
                place = index[row, number]
                if place >= 0 and left[place, level]:
                    left[place, level] = False
                    same = index[waiting, number] == place
                    gains[same, level] -= 1
            gains = np.delete(gains, at, axis=0)
            waiting = np.delete(waiting, at)

    @staticmethod
    def _gains(index: Array, open_: list[NDArray[np.bool_]], levels: int) -> Array:
        found = np.zeros((len(index), levels), dtype=np.int64)
        for at, left in enumerate(open_):
            there = index[:, at] >= 0
            found[there] += left[index[there, at]]
        return found

    def _down(self, factor: int, sets: list[Subset], open_: list[NDArray[np.bool_]]) -> None:
        """Put the remaining combinations into free cells, or into new rows."""
        for each, left in zip(sets, open_, strict=True):
            shape = tuple(self.levels[one] for one in each)
            for number, level in zip(*(part.tolist() for part in np.nonzero(left)), strict=True):
                if not left[number, level]:
                    continue
                wanted = np.full(len(self.levels), FREE, dtype=np.int64)
                wanted[list(each)] = np.unravel_index(number, shape) if each else []
                wanted[factor] = level
                self._place(wanted)

    def _place(self, wanted: Row) -> None:
        chosen = np.flatnonzero(wanted >= 0)
        if len(self.rows) > self.fixed:
            array = np.array(self.rows[self.fixed :])
            fits = ((array[:, chosen] == wanted[chosen]) | (array[:, chosen] < 0)).all(axis=1)
            # The row that shares most of it keeps most cells free elsewhere.
            order = np.flatnonzero(fits)[np.argsort(-(array[fits][:, chosen] >= 0).sum(axis=1), kind="stable")]
            for at in order.tolist():
                merged = np.where(wanted >= 0, wanted, array[at])
                if self.rules.feasible(merged):
                    self.rows[self.fixed + at] = merged
                    return
        self.rows.append(wanted)

    def _filled(self) -> Array:
        """Give free cells a level: one that the rules require, else the levels in turn."""
        found = []
        for at, row in enumerate(self.rows):
            # Given rows may contain what no other row may have.
            full = self.rules.completed(row) if self.rules and (row < 0).any() else row
            assert full is not None
            found.append(np.where(full < 0, np.array([at % each for each in self.levels]), full))
        return np.array(found, dtype=np.int64).reshape(len(found), len(self.levels))
