"""The children in front of a case whose conditions ask for a later child of a parent: `ordinal() == 2`."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NoReturn

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.data_classes import dataclass, replace
from yurt.core.base.types import INTEGER
from yurt.core.cases.case import Beside, Case, Requirement, because
from yurt.core.columns.column import Column, Places
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import RowFault
from yurt.core.model import Field, Record, TimeSeries, expressions_in
from yurt.core.model.expressions import Binary, Call, Draw, Expression, Member, Name, Unary, walk
from yurt.core.model.functions import OF_SIBLINGS

# The latest child that is tried.
MOST = 20


def may_have_earlier_children(record: Record) -> bool:
    """Return whether a case can be a later child of a parent."""
    parent = record.parent_field
    return parent is not None and not parent.helper and record.count.high > 1


def with_earlier_children(cases: list[Case], record: Record) -> list[Case]:
    """Return the cases, with the children of the same parent in front of each that is not the first one."""
    parent = record.parent_field
    if parent is None or not may_have_earlier_children(record):
        return cases
    found: list[Case] = []
    for case in cases:
        place = _place(case, min(record.count.high, MOST))
        if place > 1 and not any(isinstance(each, Beside) for each in case.changes):
            found += [_before(case, parent, at) for at in range(place - 1)]
            case = replace(case, changes=(*case.changes, Beside(parent.name, case.id, place - 1)))
        found.append(case)
    return found


def in_order(record: Record) -> str:
    """Return the name of a record type whose cases depend on their place among the children of a parent; else nothing.

    Each of them is an only child then, or has the children before it in front.
    """
    parent = record.parent_field
    parts = tuple((each.body, each.present_if) for each in record.fields) + record.always
    calls = {node.function for each in expressions_in(parts) for node in walk(each) if isinstance(node, Call)}
    # Sums and earlier values are those of whole files.
    asks = calls & {*OF_SIBLINGS} == {"ordinal"}
    series = any(isinstance(phrase.head, TimeSeries) for field in record.fields for phrase in field.phrases)
    return record.name if parent is not None and not parent.helper and asks and not series else ""


def torn(cases: list[Case]) -> tuple[set[int], set[int]]:
    """Return the places of cases without one of the children before them, and of children without their case: some
    could not be made or written.
    """
    there = {each.id for each in cases}
    short: set[int] = set()
    orphans: set[int] = set()
    for at, case in enumerate(cases):
        name, mark, turn = case.id.partition("#")
        for each in case.changes:
            if not isinstance(each, Beside):
                continue
            before = (f"{each.group}/child-{number}{mark}{turn}" for number in range(1, each.place + 1))
            if each.group == name and not there.issuperset(before):
                short.add(at)
            if name == f"{each.group}/child-{each.place + 1}" and each.group + mark + turn not in there:
                orphans.add(at)
    return short, orphans


def _before(case: Case, parent: Field, at: int) -> Case:
    item = f"child {at + 1} before {case.coverage_item}"
    reason = because("child {number} of its parent, before the case {id}", number=at + 1, id=case.id)
    changes = (Beside(parent.name, case.id, at),)
    return Case(case.technique, case.target, item, reason, changes, id=f"{case.id}/child-{at + 1}")


def _place(case: Case, most: int) -> int:
    """Return the first place among the children of a parent where the conditions of a case can hold, from 1."""
    needs = [each for each in case.changes if isinstance(each, Requirement)]
    pure = [part for each in needs for part in _parts(each.condition, each.truth) if is_about_place(part[0])]
    good = np.ones(most, dtype=np.bool_)
    scope = _Children(np.arange(most, dtype=np.uint64))
    for condition, truth in pure:
        try:
            column = evaluate(condition, scope).spread(most)
        except RowFault:
            return 1
        good &= (column.values == truth) if column.nulls is None else (column.values == truth) & ~column.nulls
    return int(np.argmax(good)) + 1 if good.any() else 1


def _parts(condition: Expression, truth: bool) -> Iterator[tuple[Expression, bool]]:
    """Yield conditions that must all be as wanted if this one is."""
    match condition:
        case Unary("not", operand):
            yield from _parts(operand, not truth)
        case Binary("and" | "or" as word, left, right) if (word == "and") == truth:
            yield from _parts(left, truth)
            yield from _parts(right, truth)
        case _:
            yield condition, truth


def is_about_place(condition: Expression) -> bool:
    """Return whether a condition depends on nothing but the place of a child."""
    nodes = list(walk(condition))
    calls = [each.function for each in nodes if isinstance(each, Call)]
    others = any(isinstance(each, Name | Member | Draw) for each in nodes)
    return {*calls} & {*OF_SIBLINGS} == {"ordinal"} and not others


@dataclass
class _Children:
    """The children of a parent as a scope that knows only their places."""

    rows: NDArray[np.uint64]

    def siblings(self, call: Call) -> Column:
        return Column(INTEGER, self.rows.astype(np.int64) + 1)

    def select(self, places: Places) -> _Children:
        return _Children(self.rows[places])

    def named(self, name: str) -> NoReturn:
        raise NotImplementedError(name)

    def member(self, reference: str, name: str) -> NoReturn:
        raise NotImplementedError(name)

    def drawn(self, draw: Draw) -> NoReturn:
        raise NotImplementedError(draw)
