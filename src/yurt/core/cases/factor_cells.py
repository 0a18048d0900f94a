"""Combinations of values of some factors: which levels may have values for which a condition holds.

A level that stands for several values is examined with all of them, if they are few, else with sample values: its ends
are among them, which decide a comparison of sums.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, time
from math import prod
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.arrays import strings
from yurt.core.base.data_classes import dataclass, replace
from yurt.core.base.types import (
    BOOLEAN,
    NULL,
    TEXT,
    Type,
)
from yurt.core.cases.factor_reads import axes_of, bounds_of, follows, is_monotonic, names_of, nodes, only_value
from yurt.core.cases.factors import ABSENT, Factor, Level
from yurt.core.cases.subject import Subject
from yurt.core.columns.column import Column, Mask, Places, cast, coded, constant
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import RowFault
from yurt.core.engine.grid import in_units
from yurt.core.engine.heads.ranged import kind_of
from yurt.core.model import Ranged
from yurt.core.model.expressions import (
    Call,
    Draw,
    Expression,
    Literal,
    Member,
    Name,
    walk,
)
from yurt.core.planning.bounds import steps

# The combinations of values that are examined, the values of a level that are all examined, and the sample values of
# any other one.
MOST_CELLS, MOST_VALUES, MOST_SAMPLES = 1_000_000, 400, 24
# Values inside a range whose ends differ by row: this many steps from its minimum, or (negative) from its maximum.
INSIDE = (1, 2, 3, -3, -2, -1)
COMPARISONS = ("<", "<=", ">", ">=")


@dataclass(frozen=True)
class Sample:
    """A value of a level. Where it depends on others, `place` counts steps from the minimum of its range, or from the
    maximum if it is negative; None for a value that is unknown.
    """

    level: int
    value: str | int | bool | None = None
    place: int | None = None


class Grid:
    """Combinations of values as a scope for expressions; what is not a factor has no value and is unknown."""

    def __init__(self, columns: dict[str, Column], size: int, subject: Subject) -> None:
        self.columns, self.subject = columns, subject
        self.rows: NDArray[np.uint64] = np.arange(size, dtype=np.uint64)

    def named(self, name: str) -> Column:
        if name in self.columns:
            return self.columns[name]
        if name in ("today", "now"):
            today = self.subject.today
            return constant(today if name == "today" else datetime.combine(today, time()))
        if (fixed := only_value(name, self.subject)) is not None:
            return fixed
        if follows(name, self.subject) is not None:
            self._compute(name)
            return self.columns[name]
        return constant(None)

    def _compute(self, name: str) -> None:
        """Compute a field that follows from others, after those: a long chain of them must not nest."""
        waiting = [name]
        while waiting:
            each = waiting[-1]
            expression = follows(each, self.subject)
            assert expression is not None
            read = (node.name for node in walk(expression) if isinstance(node, Name))
            needed = [name for name in read if name not in self.columns and follows(name, self.subject) is not None]
            if needed:
                waiting += needed
                continue
            waiting.pop()
            self.columns[each] = cast(evaluate(expression, self).spread(len(self.rows)), self.subject.type(each))

    def member(self, reference: str, name: str) -> Column:
        return constant(None)

    def select(self, places: Places) -> Grid:
        if len(places) == len(self.rows):
            return self
        found = Grid({name: each.take(places) for name, each in self.columns.items()}, 0, self.subject)
        found.rows = self.rows[places]
        return found

    def siblings(self, call: Call) -> Column:
        return constant(None)

    def drawn(self, draw: Draw) -> Column:
        return constant(None)


class Cells:
    """All combinations of the values of some factors' levels."""

    def __init__(
        self, axes: list[int], factors: list[Factor], conditions: list[Expression], subject: Subject, exact: bool
    ) -> None:
        self.axes, self.factors, self.subject = axes, factors, subject
        # Factors whose ranges depend on others come behind them.
        self.order = _in_order(axes, factors, subject)
        own = [factors[each] for each in axes]
        self.samples: list[list[Sample]] = []
        # The levels of which every value is examined, by factor.
        self.whole: list[NDArray[np.bool_]] = []
        for most in (MOST_VALUES, 0):
            found = [_samples(factors[axis], own, conditions, subject, exact, most) for axis in self.order]
            self.samples, self.whole = [each for each, _ in found], [np.array(whole) for _, whole in found]
            if prod(map(len, self.samples)) <= MOST_CELLS:
                break
        else:
            # Too many: a level that stands for several values may then satisfy any condition.
            self.samples = [
                [Sample(at, None if each.between else each.value) for at, each in enumerate(factors[axis].levels)]
                for axis in self.order
            ]
        self.shape = tuple(map(len, self.samples))
        self.size = prod(self.shape)
        self.places: Sequence[Places] = np.unravel_index(np.arange(self.size), self.shape) if axes else ()
        # Which combinations there are: all but those with a range that has no such value; and where a value is unknown.
        self.there = np.ones(self.size, dtype=np.bool_)
        self.several = np.zeros(self.size, dtype=np.bool_)
        self.grid = Grid({}, self.size, subject)
        if self.size <= MOST_CELLS:
            for axis, samples, at in zip(self.order, self.samples, self.places, strict=True):
                self._enter(factors[axis], samples, at)

    def _enter(self, factor: Factor, samples: list[Sample], at: Places) -> None:
        """Add the values of a factor to the grid."""
        column = _column([each.value for each in samples], self.subject.type(factor.name)).take(at)
        names = [factor.levels[each.level].name for each in samples]
        unknown = np.array([
            each.value is None and name not in (ABSENT, "missing") for each, name in zip(samples, names, strict=True)
        ])[at]  # fmt: skip
        if any(each.place is not None for each in samples):
            column, unknown = self._placed(factor, samples, at, column, unknown)
        self.grid.columns[factor.name] = column
        self.several |= unknown

    def _placed(
        self, factor: Factor, samples: list[Sample], at: Places, column: Column, unknown: Mask
    ) -> tuple[Column, Mask]:  # fmt: skip
        """Return the values that depend on the ends of a range, and where they are unknown."""
        kind = self.subject.type(factor.name)
        values = np.array(column.spread(self.size).values)
        nulls = np.zeros(self.size, dtype=np.bool_) if column.nulls is None else np.array(column.nulls)
        for number in {each.level for each in samples if each.place is not None}:
            head = _head_of(factor.levels[number])
            cells = np.flatnonzero(np.array([each.level == number for each in samples])[at])
            part = self.grid.select(cells)
            try:
                ends = [evaluate(each, part).spread(len(cells)) for each in (head.range.low, head.range.high)]
                if NULL in (ends[0].type, ends[1].type):
                    continue
                low, high = (in_units(each, kind, up) for each, up in zip(ends, (True, False), strict=True))
            except (RowFault, AttributeError, TypeError, AssertionError):
                # An unknown value has no type to compute with.
                continue
            step = steps(head)
            place = np.array([0 if each.place is None else each.place for each in samples])[at[cells]]
            inside = factor.levels[number].name.endswith("inside")
            last = (high - low) // step
            # Counted from the maximum, -1 is the value below it; the maximum itself is ~0.
            place = np.where(place == TOP, last, np.where(place < 0, last + place, place))
            known = np.ones(len(cells), dtype=np.bool_)
            for each in ends:
                known &= True if each.nulls is None else ~each.nulls
            fits = (place > 0) & (place < last) if inside else last >= 0
            values[cells] = np.where(known, low + step * place, 0)
            nulls[cells], unknown[cells] = ~known, ~known
            self.there[cells] &= fits | ~known
        return Column(kind, values, nulls if nulls.any() else None), unknown

    def told(self, condition: Expression) -> tuple[Mask, Mask, Mask]:
        """Return where a condition may be true, where it may be false, and where it is null."""
        maybe = np.ones(self.size, dtype=np.bool_)
        try:
            column = evaluate(condition, self.grid).spread(self.size)
        except (RowFault, AttributeError, TypeError, AssertionError):
            # An unknown value has no type to compute with.
            return maybe, maybe, maybe
        nulls = maybe if column.type == NULL else column.nulls if column.nulls is not None else ~maybe
        # No condition holds for an absent field; any may hold for a level that stands for several values.
        open_ = (self._reads_more(condition) | self.several) & nulls
        true = np.asarray(column.values).astype(bool) & ~nulls if column.type == BOOLEAN else ~maybe
        return true | open_, ~true | open_, nulls

    def _reads_more(self, condition: Expression) -> bool:
        """Return whether a condition reads a value that is unknown in all cells, so that a null may be anything."""
        known = {self.factors[axis].name for axis in self.axes} | {"today", "now"}
        return any(
            isinstance(node, Member | Draw)
            or (isinstance(node, Name) and node.name not in known and only_value(node.name, self.subject) is None)
            for node in nodes(condition, self.subject)
        )

    def by_level(self, cells: Mask) -> NDArray[np.bool_]:
        """Return the levels for which something holds for at least one of their values, in the order of `axes`."""
        found = (cells & self.there).reshape(self.shape)
        for axis, own in enumerate(self.samples):
            levels = np.array([each.level for each in own])
            starts = np.flatnonzero(np.concatenate(([True], levels[1:] != levels[:-1])))
            found = np.logical_or.reduceat(found, starts, axis=axis)
        return self._sorted(found)

    def _sorted(self, found: NDArray[np.bool_]) -> NDArray[np.bool_]:
        return np.transpose(found, [self.order.index(each) for each in self.axes]) if self.axes else found

    def proven(self, conditions: Sequence[Expression]) -> NDArray[np.bool_]:
        """Return the levels of which every value is examined, or whose ends decide the conditions.

        For these, it is certain that no value meets a condition if no examined one does.
        """
        whole = self.whole
        if len(conditions) == 1 and is_monotonic(conditions[0], self.subject):
            whole = [np.ones_like(each) for each in whole]
        found = np.ones(tuple(map(len, whole)), dtype=np.bool_)
        for axis, own in enumerate(whole):
            found &= own.reshape([-1 if each == axis else 1 for each in range(len(whole))])
        return self._sorted(found)


# The place of the maximum of a range.
TOP = -(10**9)


def _in_order(axes: list[int], factors: list[Factor], subject: Subject) -> list[int]:
    """Return axes so that those that the range of another depends on come before it."""
    order: list[int] = []
    names = {factors[axis].name: axis for axis in axes}

    def add(axis: int, above: tuple[int, ...]) -> None:
        if axis in order or axis in above:
            return
        for name in names_of(bounds_of(factors[axis]), subject):
            if name in names:
                add(names[name], (*above, axis))
        order.append(axis)

    for axis in axes:
        add(axis, ())
    return order


def _samples(
    factor: Factor, others: list[Factor], conditions: list[Expression], subject: Subject, exact: bool, most: int
) -> tuple[list[Sample], list[bool]]:
    """Return the values of a factor's levels that are examined, and whether these are all of a level.

    All of them are examined if a level has at most so many.
    """
    found: list[Sample] = []
    whole: list[bool] = []
    for at, level in enumerate(factor.levels):
        every = True
        if level.of is not None:
            places = _places(level, others, subject, most)
            every = places is not INSIDE
            found += [Sample(at, place=each) for each in places]
        elif level.between is None or exact:
            every = level.value is not None or level.name in (ABSENT, "missing")
            found.append(Sample(at, level.value))
        elif _count(factor, level) <= most:
            low, high = level.between
            found += [Sample(at, value) for value in range(low + _step(factor), high, _step(factor))]
        else:
            every = False
            values = _between(factor, level, level.between, others, conditions, subject)
            found += [Sample(at, value) for value in values]
        whole.append(every)
    return found, whole


def _head_of(level: Level) -> Ranged:
    assert level.of is not None
    assert isinstance(level.of.head, Ranged)
    return level.of.head


def _places(level: Level, others: list[Factor], subject: Subject, most: int) -> Sequence[int]:
    """Return the places of a level in a range whose ends depend on the row."""
    if not level.name.endswith("inside"):
        return [0] if level.name.endswith("low") else [TOP]
    widest = _widest(_head_of(level), others, subject) if most else None
    return range(1, max(widest, 2)) if widest is not None and widest <= most else INSIDE


def _widest(head: Ranged, others: list[Factor], subject: Subject) -> int | None:
    """Return the number of steps of the widest range, for all values of the fields that its ends depend on."""
    if id(head) not in subject.widths:
        subject.widths[id(head)] = _measured(head, others, subject)
    return subject.widths[id(head)]


def _measured(head: Ranged, others: list[Factor], subject: Subject) -> int | None:
    number = {each.name: at for at, each in enumerate(others)}
    ends = [head.range.low, head.range.high]
    needed = [others[at] for at in axes_of(ends, number, subject, others)]
    cells = Cells(list(range(len(needed))), needed, [], subject, exact=False)
    if cells.size > MOST_CELLS or not all(each.all() for each in cells.whole):
        return None
    kind = kind_of(head)
    try:
        columns = [evaluate(each, cells.grid).spread(cells.size) for each in ends]
        low, high = (in_units(each, kind, up) for each, up in zip(columns, (True, False), strict=True))
    except (RowFault, AttributeError, TypeError, AssertionError):
        return None
    if any(each.type == NULL or each.nulls is not None for each in columns):
        return None
    wide = (high - low)[cells.there] // steps(head)
    return int(wide.max()) if wide.size else 0


def _step(factor: Factor) -> int:
    assert factor.field is not None
    return steps(next(each.head for each in factor.field.phrases if isinstance(each.head, Ranged)))


def _count(factor: Factor, level: Level) -> int:
    """Return the number of values between the ends of a level."""
    assert level.between is not None
    return max((level.between[1] - level.between[0]) // _step(factor) - 1, 0)


def _between(
    factor: Factor, level: Level, ends: tuple[int, int], others: list[Factor], conditions: list[Expression],
    subject: Subject,
) -> list[int]:  # fmt: skip
    """Return values between two ends: the neighbours of the values the field is compared with, and some others."""
    low, high = ends
    kind, step = subject.type(factor.name), _step(factor)
    count = (high - low) // step - 1
    assert isinstance(level.value, int)
    wanted = [level.value, low + step, low + count * step]
    near = [
        int(each.value)
        for other in others if subject.type(other.name) == kind
        for each in other.levels if isinstance(each.value, int)
    ]  # fmt: skip
    for node in (node for condition in conditions for node in walk(condition)):
        if isinstance(node, Literal) and not isinstance(node.value, str | bool) and node.value is not None:
            try:
                near.append(int(cast(constant(node.value), kind).spread(1).values[0]))
            except (RowFault, AttributeError, TypeError, AssertionError, KeyError, ValueError):
                # A number of another type: the field is not compared with it.
                continue
    for each in near:
        place = (each - low) // step
        wanted += [low + (place + side) * step for side in (-1, 0, 1, 2)]
    wanted += [low + (1 + (count - 1) * share // 6) * step for share in range(7)]
    return [each for each in dict.fromkeys(wanted) if low < each < high][:MOST_SAMPLES]


def _column(values: list[Any], kind: Type) -> Column:
    """Return the values; those that are unknown become None."""
    nulls = np.array([each is None for each in values])
    if kind == TEXT:
        words = [str(each) if each is not None else "" for each in values]
        found = coded(np.arange(len(words)), strings(words))
        return replace(found, nulls=nulls if nulls.any() else None)
    dtype = np.bool_ if kind == BOOLEAN else np.float64 if kind.name == "real" else np.int64
    held = np.array([each if each is not None else 0 for each in values]).astype(dtype)
    return Column(kind, held, nulls if nulls.any() else None)
