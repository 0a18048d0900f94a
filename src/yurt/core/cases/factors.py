"""What combinatorial testing combines: fields as factors, their valid partitions as levels, conditions as rules."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, time
from itertools import islice
from math import prod
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.base.arrays import strings
from yurt.core.base.types import BOOLEAN, NULL, TEXT, Type
from yurt.core.cases.case import Change, Const, Drawn, Edge, Gone
from yurt.core.cases.listed import scaled
from yurt.core.cases.subject import Subject
from yurt.core.cases.techniques.partition import may_be_missing
from yurt.core.cases.words import shown
from yurt.core.columns.column import Column, Mask, Places, coded, constant
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import RowFault
from yurt.core.combining.rules import Rule
from yurt.core.model import Field, Phrase, Table
from yurt.core.model.expressions import Call, Expression, Member, Name, Some, walk
from yurt.core.model.restriction import left_of_list
from yurt.core.planning.bounds import bounds, steps

# Levels of one factor, and combinations of levels that one condition is looked at for.
MOST_LEVELS, MOST_CELLS = 24, 400_000
ABSENT = "absent"


@dataclass(frozen=True, slots=True)
class Level:
    """One part of what a field takes: its name, the change that puts it there, the value where there is just one.

    `rows` are the rows of the field's table in which it is allowed; None says in all.
    """

    name: str
    changes: tuple[Change, ...]
    value: str | int | bool | None = None
    rows: frozenset[int] | None = None
    # Whether the value stands for all that are at neither end of a range.
    inside: bool = False


@dataclass(frozen=True, slots=True)
class Factor:
    """A field, or the fields that share the rows of a value list, with their levels."""

    name: str
    levels: tuple[Level, ...]
    field: Field | None = None


def factors_of(subject: Subject) -> list[Factor]:
    """Return the factors of a record type: every field with more than one part that it takes."""
    found = [*_lists(subject)]
    for field in subject.fields:
        if field.unique or isinstance(field.head, model.Nested | model.ListOf | model.FromList | model.Derived):
            continue
        if field.parent and any(field.name.startswith(each + ".") for each in subject.record.lists):
            continue
        levels = list(_levels(field, subject))
        if field.only_if is not None and not field.parent:
            levels.append(Level(ABSENT, (), None))
        elif may_be_missing(field, subject) and field.only_if is None and _can_go(field):
            levels.append(Level("missing", (Gone(field.name),)))
        if len(levels) > 1:
            found.append(Factor(field.name, tuple(levels[:MOST_LEVELS]), field))
    return found


def _can_go(field: Field) -> bool:
    return (
        isinstance(field.body, Phrase)
        and not isinstance(field.head, model.KindOf)
        and all(each.missing_if is None for each in field.phrases)
    )


def _lists(subject: Subject) -> Iterator[Factor]:
    """Yield a factor for each value list: the fields that take its columns share its rows."""
    for name, listed in subject.schema.lists.items():
        fields = [
            each for each in subject.fields
            if isinstance(each.head, model.FromList) and each.head.name == name and each.only_if is None
            and not each.unique and isinstance(each.body, Phrase) and each.body.narrowed is None
        ]  # fmt: skip
        if not fields or listed.size > MOST_LEVELS:
            continue
        columns = [listed.column(each.head.column) for each in fields if isinstance(each.head, model.FromList)]
        levels = []
        for row in dict.fromkeys(zip(*columns, strict=True)):
            changes = tuple(
                Const(each.name, value if isinstance(value, str | bool) else scaled(value, subject.type(each.name)))
                for each, value in zip(fields, row, strict=True)
            )
            levels.append(Level(" ".join(map(str, row)), changes))
        if len(levels) > 1:
            yield Factor("+".join(each.name for each in fields), tuple(levels))


def _levels(field: Field, subject: Subject) -> Iterator[Level]:
    if isinstance(field.body, Phrase):
        yield from _of_phrase(field, field.body, subject)
        return
    # The same value may stand in several rows of a table.
    merged: dict[str, Level] = {}
    for at, (_, phrase) in enumerate(field.body.rows):
        for level in _of_phrase(field, phrase, subject):
            name = level.name if level.value is not None else f"row {at + 1}: {level.name}"
            before = merged.get(name)
            rows = (before.rows or frozenset()) if before is not None else frozenset()
            merged[name] = replace(level, name=name, rows=rows | {at})
    yield from merged.values()


def _of_phrase(field: Field, phrase: Phrase, subject: Subject) -> Iterator[Level]:
    head = phrase.head
    kind = subject.type(field.name)
    there = replace(phrase, missing=0.0, missing_if=None)
    match head:
        case model.OneOf():
            left = left_of_list(head, phrase.narrowed)
            for value in islice(left.values if left is not None else (), MOST_LEVELS):
                held = value if isinstance(value, str | bool) else scaled(value, kind)
                yield Level(str(value), (Const(field.name, held),), held)
        case model.Boolean():
            yield Level("true", (Const(field.name, True),), True)
            yield Level("false", (Const(field.name, False),), False)
        case (
            model.Integer()
            | model.DecimalNumber()
            | model.Date()
            | model.Time()
            | model.DateTime()
            | model.DurationRange()
        ):
            ends = bounds(head, subject.today)
            if ends is None or phrase.days is not None:
                yield Level("low", (Edge(field.name, False, 0, phrase),))
                yield Level("inside", (Drawn(field.name, there),))
                yield Level("high", (Edge(field.name, True, 0, phrase),))
                return
            low, high = ends
            step = steps(head)
            size = (high - low) // step
            middle, top = low + size // 2 * step, low + size * step
            for value in dict.fromkeys((low, middle, top)):
                inside = low < value < top
                yield Level(shown(value, kind), (Const(field.name, value),), value, inside=inside)
        case model.Sequence() | model.Reference():
            return
        case _:
            yield Level("a value", (Drawn(field.name, there),))


# ---- rules -----------------------------------------------------------------------------------------------------------


class Grid:
    """Combinations of levels as a scope of expressions; what is no factor has no value, so that it is unknown."""

    def __init__(self, columns: dict[str, Column], size: int, today: Any) -> None:
        self.columns, self.today = columns, today
        self.rows: NDArray[np.uint64] = np.arange(size, dtype=np.uint64)

    def named(self, name: str) -> Column:
        if name in self.columns:
            return self.columns[name]
        if name in ("today", "now"):
            return constant(self.today if name == "today" else datetime.combine(self.today, time()))
        return constant(None)

    def member(self, reference: str, name: str) -> Column:
        return constant(None)

    def select(self, places: Places) -> Grid:
        if len(places) == len(self.rows):
            return self
        found = Grid({name: each.take(places) for name, each in self.columns.items()}, 0, self.today)
        found.rows = self.rows[places]
        return found

    def siblings(self, call: Call) -> Column:
        return constant(None)

    def drawn(self, some: Some) -> Column:
        return constant(None)


def rules_of(factors: list[Factor], subject: Subject) -> list[Rule]:
    """Return the rules that `always`, `only if` and tables make, as far as factors decide them."""
    number = {factor.name: at for at, factor in enumerate(factors) if factor.field is not None}
    found = [_rule(condition, factors, number, subject, None) for condition in subject.conditions]
    for factor in factors:
        if factor.field is None:
            continue
        if factor.field.only_if is not None and not factor.field.parent:
            found.append(_rule(factor.field.only_if, factors, number, subject, factor))
        if isinstance(factor.field.body, Table):
            found.append(_table_rule(factor, factor.field.body, factors, number, subject))
    return [each for each in found if each is not None and not each.allowed.all()]


def _axes(conditions: list[Expression], factors: list[Factor], number: dict[str, int]) -> list[int]:
    names = {
        node.name
        for condition in conditions
        for node in walk(condition)
        if isinstance(node, Name) and node.name in number
    }
    return sorted(number[name] for name in names)


def _told(
    conditions: list[Expression], axes: list[int], factors: list[Factor], subject: Subject
) -> list[tuple[Mask, Mask]] | None:
    """Return for each condition where it may be true, and where it may be false, over all combinations of the axes."""
    shape = tuple(len(factors[axis].levels) for axis in axes)
    if prod(shape) > MOST_CELLS:
        return None
    places = np.unravel_index(np.arange(prod(shape)), shape) if axes else ()
    columns = {
        factors[axis].name: _column(factors[axis], subject).take(at) for axis, at in zip(axes, places, strict=True)
    }
    grid = Grid(columns, prod(shape), subject.today)
    found = []
    for condition in conditions:
        maybe = np.ones(prod(shape), dtype=np.bool_)
        try:
            column = evaluate(condition, grid).spread(prod(shape))
        except (RowFault, OverflowError, AttributeError, TypeError, AssertionError):
            # Something unknown has no type that it could be computed with.
            found.append((maybe, maybe))
            continue
        nulls = maybe if column.type == NULL else column.nulls if column.nulls is not None else ~maybe
        # Of a field that is not there nothing holds; of a level that stands for several values anything may.
        open_ = _unknown(condition, axes, factors, places) & nulls
        true = np.asarray(column.values).astype(bool) & ~nulls if column.type == BOOLEAN else ~maybe
        found.append(((true | open_).reshape(shape), (~true | open_).reshape(shape)))
    return found


def _unknown(condition: Expression, axes: list[int], factors: list[Factor], places: Sequence[Places]) -> Any:
    """Return for which combinations a condition reads something that is not known, so that a null may be anything."""
    known = {factors[axis].name for axis in axes}
    for node in walk(condition):
        if isinstance(node, Member | Some) or (isinstance(node, Name) and node.name not in known | {"today", "now"}):
            return np.array(True)
    found = np.array(False)
    for axis, at in zip(axes, places, strict=True):
        several = [level.value is None and level.name not in (ABSENT, "missing") for level in factors[axis].levels]
        found = found | np.array(several)[at]
    return found


def _column(factor: Factor, subject: Subject) -> Column:
    """Return the values of a factor's levels; a level that stands for several values has none."""
    kind: Type = subject.type(factor.name)
    nulls = np.array([level.value is None for level in factor.levels])
    values = [level.value for level in factor.levels]
    if kind == TEXT:
        words = [str(each) if each is not None else "" for each in values]
        found = coded(np.arange(len(words)), strings(words))
        return replace(found, nulls=nulls if nulls.any() else None)
    dtype = np.bool_ if kind == BOOLEAN else np.float64 if kind.name == "real" else np.int64
    held = np.array([each if each is not None else 0 for each in values]).astype(dtype)
    return Column(kind, held, nulls if nulls.any() else None)


def _rule(
    condition: Expression, factors: list[Factor], number: dict[str, int], subject: Subject, field: Factor | None
) -> Rule | None:
    """Return the rule of a condition: of all records, or of whether a field is there."""
    own = number[field.name] if field is not None else -1
    axes = [each for each in _axes([condition], factors, number) if each != own]
    told = _told([condition], axes, factors, subject)
    if told is None or (not axes and field is None):
        return None
    may, may_not = told[0]
    if field is None:
        # A condition of all records holds where it is unknown, too.
        return Rule(tuple(axes), may | _null(condition, axes, factors, subject, may.shape))
    levels = [may_not if level.name == ABSENT else may for level in field.levels]
    return Rule((*axes, own), np.stack(levels, axis=-1))


def _null(
    condition: Expression, axes: list[int], factors: list[Factor], subject: Subject, shape: tuple[int, ...]
) -> Mask:
    places = np.unravel_index(np.arange(prod(shape)), shape)
    columns = {
        factors[axis].name: _column(factors[axis], subject).take(at) for axis, at in zip(axes, places, strict=True)
    }
    try:
        column = evaluate(condition, Grid(columns, prod(shape), subject.today)).spread(prod(shape))
    except (RowFault, OverflowError, AttributeError, TypeError, AssertionError):
        return np.ones(shape, dtype=np.bool_)
    nulls = column.nulls if column.nulls is not None else np.zeros(prod(shape), dtype=np.bool_)
    return nulls.reshape(shape)


def _table_rule(
    factor: Factor, table: Table, factors: list[Factor], number: dict[str, int], subject: Subject
) -> Rule | None:
    """Return which levels of a field its table allows: those of the rows that may decide."""
    own = number[factor.name]
    conditions = [each for each, _ in table.rows if each is not None]
    axes = [each for each in _axes(conditions, factors, number) if each != own]
    told = _told(conditions, axes, factors, subject)
    if told is None:
        return None
    shape = tuple(len(factors[axis].levels) for axis in axes)
    waiting = np.ones(shape, dtype=np.bool_)
    deciding: list[Mask] = []
    at = 0
    for condition, _ in table.rows:
        may, may_not = (
            told[at] if condition is not None else (np.ones(shape, dtype=np.bool_), np.zeros(shape, dtype=np.bool_))
        )
        at += condition is not None
        deciding.append(waiting & may)
        waiting = waiting & may_not
    levels = []
    for level in factor.levels:
        rows = level.rows if level.rows is not None else range(len(table.rows)) if level.name != ABSENT else ()
        allowed = np.logical_or.reduce([deciding[each] for each in rows]) if rows else np.ones(shape, dtype=np.bool_)
        levels.append(allowed)
    return Rule((*axes, own), np.stack(levels, axis=-1))
