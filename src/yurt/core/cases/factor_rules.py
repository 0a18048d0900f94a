"""The rules of combinatorial testing: which levels of some fields may occur together, given the conditions of a record.

A level that stands for all values between two ends is examined with sample values: a pair of levels is possible if it
is possible for one of them.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from datetime import datetime, time
from math import prod
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.arrays import strings
from yurt.core.base.types import BOOLEAN, NULL, TEXT, Type
from yurt.core.cases.factors import ABSENT, Factor, Level
from yurt.core.cases.subject import Subject
from yurt.core.columns.column import Column, Mask, Places, cast, coded, constant
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import RowFault
from yurt.core.combining.rules import Rule
from yurt.core.model import Derived, Phrase, Ranged, Table
from yurt.core.model.expressions import Call, Draw, Expression, Literal, Member, Name, walk
from yurt.core.planning.bounds import steps

# A sample value of a level: the number of the level, and the value; None if it is unknown.
Sample = tuple[int, str | int | bool | None]
# The number of combinations examined per condition, and of sample values per level.
MOST_CELLS, MOST_SAMPLES = 400_000, 24


def rules_of(factors: list[Factor], subject: Subject, exact: bool = False) -> list[Rule]:
    """Return the rules that follow from `always`, `present if`, and tables, if factors decide them.

    `exact` means that a level which stands for several values is examined only with its own value.
    """
    number = {factor.name: at for at, factor in enumerate(factors) if factor.field is not None}
    found = [_rule(condition, factors, number, subject, None, exact) for condition in subject.conditions]
    for factor in factors:
        if factor.field is None:
            continue
        if factor.field.present_if is not None and not factor.field.parent:
            found.append(_rule(factor.field.present_if, factors, number, subject, factor, exact))
        if isinstance(factor.field.body, Table):
            found.append(_table_rule(factor, factor.field.body, factors, number, subject, exact))
    return [each for each in found if each is not None and not each.allowed.all()]


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
        if (expression := _follows(name, self.subject)) is not None:
            self.columns[name] = cast(evaluate(expression, self).spread(len(self.rows)), self.subject.type(name))
            return self.columns[name]
        return constant(None)

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
    """All combinations of the sample values of some factors' levels."""

    def __init__(
        self, axes: list[int], factors: list[Factor], conditions: list[Expression], subject: Subject, exact: bool
    ) -> None:
        self.axes, self.factors = axes, factors
        # The level and the value of each cell along an axis.
        self.samples = [_samples(factors[axis], [factors[each] for each in axes], conditions, subject, exact)
                        for axis in axes]  # fmt: skip
        if prod(map(len, self.samples)) > MOST_CELLS:
            # Too many: a level that stands for several values may then satisfy any condition.
            self.samples = [
                [(at, None if each.between else each.value) for at, each in enumerate(factors[axis].levels)]
                for axis in axes
            ]
        self.shape = tuple(map(len, self.samples))
        self.size = prod(self.shape)
        self.places: Sequence[Places] = np.unravel_index(np.arange(self.size), self.shape) if axes else ()
        columns = {
            factors[axis].name: _column(own, subject.type(factors[axis].name)).take(at)
            for axis, own, at in zip(axes, self.samples, self.places, strict=True)
        }
        self.grid = Grid(columns, self.size, subject)

    def told(self, condition: Expression) -> tuple[Mask, Mask, Mask]:
        """Return where a condition may be true, where it may be false, and where it is null."""
        maybe = np.ones(self.size, dtype=np.bool_)
        try:
            column = evaluate(condition, self.grid).spread(self.size)
        except (RowFault, OverflowError, AttributeError, TypeError, AssertionError):
            # An unknown value has no type to compute with.
            return maybe, maybe, maybe
        nulls = maybe if column.type == NULL else column.nulls if column.nulls is not None else ~maybe
        # No condition holds for an absent field; any may hold for a level that stands for several values.
        open_ = self._unknown(condition) & nulls
        true = np.asarray(column.values).astype(bool) & ~nulls if column.type == BOOLEAN else ~maybe
        return true | open_, ~true | open_, nulls

    def _unknown(self, condition: Expression) -> Any:
        """Return where a condition reads an unknown value, so that a null may be anything."""
        known = {self.factors[axis].name for axis in self.axes}
        for node in _nodes(condition, self.grid.subject):
            if isinstance(node, Member | Draw) or (
                isinstance(node, Name) and node.name not in known | {"today", "now"}
            ):
                return np.array(True)
        found = np.array(False)
        for axis, own, at in zip(self.axes, self.samples, self.places, strict=True):
            names = [self.factors[axis].levels[level].name for level, _ in own]
            several = [
                value is None and name not in (ABSENT, "missing") for (_, value), name in zip(own, names, strict=True)
            ]
            found = found | np.array(several)[at]
        return found

    def by_level(self, cells: Mask) -> Mask:
        """Return the levels for which something holds for at least one of their values."""
        found = cells.reshape(self.shape)
        for axis, own in enumerate(self.samples):
            levels = np.array([level for level, _ in own])
            starts = np.flatnonzero(np.concatenate(([True], levels[1:] != levels[:-1])))
            found = np.logical_or.reduceat(found, starts, axis=axis)
        return found


def _samples(
    factor: Factor, others: list[Factor], conditions: list[Expression], subject: Subject, exact: bool
) -> list[Sample]:
    """Return the sample values of a factor's levels, each with the number of its level."""
    found: list[Sample] = []
    for at, level in enumerate(factor.levels):
        if level.between is None or exact:
            found.append((at, level.value))
            continue
        found += [(at, value) for value in _between(factor, level, level.between, others, conditions, subject)]
    return found


def _between(
    factor: Factor, level: Level, ends: tuple[int, int], others: list[Factor], conditions: list[Expression],
    subject: Subject,
) -> list[int]:  # fmt: skip
    """Return values between two ends: the neighbours of the values the field is compared with, and some others."""
    low, high = ends
    kind = subject.type(factor.name)
    assert factor.field is not None
    head = next(each.head for each in factor.field.phrases if isinstance(each.head, Ranged))
    step = steps(head)
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
            except (RowFault, OverflowError, AttributeError, TypeError, AssertionError, KeyError, ValueError):
                # A number of another type: the field is not compared with it.
                continue
    for each in near:
        place = (each - low) // step
        wanted += [low + (place + side) * step for side in (-1, 0, 1, 2)]
    wanted += [low + (1 + (count - 1) * share // 6) * step for share in range(7)]
    return [each for each in dict.fromkeys(wanted) if low < each < high][:MOST_SAMPLES]


def _column(samples: list[Sample], kind: Type) -> Column:
    """Return the values; those that stand for several unknown ones become None."""
    values = [value for _, value in samples]
    nulls = np.array([each is None for each in values])
    if kind == TEXT:
        words = [str(each) if each is not None else "" for each in values]
        found = coded(np.arange(len(words)), strings(words))
        return replace(found, nulls=nulls if nulls.any() else None)
    dtype = np.bool_ if kind == BOOLEAN else np.float64 if kind.name == "real" else np.int64
    held = np.array([each if each is not None else 0 for each in values]).astype(dtype)
    return Column(kind, held, nulls if nulls.any() else None)


def axes_of(conditions: list[Expression], number: dict[str, int], subject: Subject) -> list[int]:
    """Return the numbers of the factors that conditions read, directly or through derived fields."""
    names = {
        node.name
        for condition in conditions
        for node in _nodes(condition, subject)
        if isinstance(node, Name) and node.name in number
    }
    return sorted(number[name] for name in names)


def _nodes(condition: Expression, subject: Subject) -> Iterator[Expression]:
    """Yield the parts of a condition, with the expressions of derived fields in place of those fields."""
    for node in walk(condition):
        expression = _follows(node.name, subject) if isinstance(node, Name) else None
        if expression is None:
            yield node
        else:
            yield from _nodes(expression, subject)


def _follows(name: str, subject: Subject) -> Expression | None:
    """Return the expression of a derived field; None for a field that is not derived or that may be missing."""
    field = subject.record.by_name.get(name)
    if field is None or field.present_if is not None or not isinstance(field.body, Phrase):
        return None
    head = field.head
    return head.expression if isinstance(head, Derived) and not field.phrases[0].missing else None


def _rule(
    condition: Expression, factors: list[Factor], number: dict[str, int], subject: Subject, field: Factor | None,
    exact: bool,
) -> Rule | None:  # fmt: skip
    """Return the rule of a condition: for all records, or for whether a field is present."""
    own = number[field.name] if field is not None else -1
    axes = [each for each in axes_of([condition], number, subject) if each != own]
    cells = Cells(axes, factors, [condition], subject, exact)
    if cells.size > MOST_CELLS or (not axes and field is None):
        return None
    may, may_not, null = cells.told(condition)
    why = subject.text(condition)
    if field is None:
        # A condition on all records also holds where it is unknown.
        return Rule(tuple(axes), cells.by_level(may | null), why)
    levels = [cells.by_level(may_not if level.name == ABSENT else may) for level in field.levels]
    return Rule((*axes, own), np.stack(levels, axis=-1), f"{field.name} present if {why}")


def _table_rule(
    factor: Factor, table: Table, factors: list[Factor], number: dict[str, int], subject: Subject, exact: bool
) -> Rule | None:
    """Return the levels that the table of a field allows: those of the rows that may decide."""
    own = number[factor.name]
    conditions = [each for each, _ in table.rows if each is not None]
    axes = [each for each in axes_of(conditions, number, subject) if each != own]
    cells = Cells(axes, factors, conditions, subject, exact)
    if cells.size > MOST_CELLS:
        return None
    every = np.ones(cells.size, dtype=np.bool_)
    waiting = every
    deciding: list[Mask] = []
    for condition, _ in table.rows:
        may, may_not, _ = cells.told(condition) if condition is not None else (every, ~every, ~every)
        deciding.append(waiting & may)
        waiting = waiting & may_not
    levels = []
    for level in factor.levels:
        rows = level.rows if level.rows is not None else range(len(table.rows)) if level.name != ABSENT else ()
        levels.append(cells.by_level(np.logical_or.reduce([deciding[each] for each in rows]) if rows else every))
    return Rule((*axes, own), np.stack(levels, axis=-1), f"the table of {factor.name}")
