"""Conditions of cases that depend only on the row they refer to: `hut.beds < 20`, at its edge `hut.beds == 19`.

The matching rows are known before a record is made, so the case takes one of them.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import NoReturn

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.data_classes import dataclass
from yurt.core.cases.case import Case, Requirement
from yurt.core.columns.column import Column, Places, constant
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import where_possible
from yurt.core.engine.resolved import Resolved
from yurt.core.engine.run import Run
from yurt.core.model import Record, Reference
from yurt.core.model.expressions import Call, Draw, Expression, Member, Name, walk
from yurt.core.model.functions import OF_SIBLINGS

# Rows that are searched.
LOOKED_AT = 100_000


@dataclass(frozen=True)
class Asked:
    """The conditions that the cases of one record type place on the rows of a reference, by case.

    `room` is the number of cases that may refer to one row, 0 for any number.
    """

    reference: str
    target: str
    by_case: dict[int, tuple[tuple[Expression, bool], ...]]
    room: int

    def rows(self, run: Run) -> dict[int, Places]:
        """Return the rows that each case may refer to."""
        seen = _Seen(run, self.target)
        met: dict[tuple[int, bool], NDArray[np.bool_]] = {}
        found: dict[tuple[tuple[int, bool], ...], Places] = {}
        by_case: dict[int, Places] = {}
        for case, conditions in self.by_case.items():
            key = tuple((id(condition), truth) for condition, truth in conditions)
            for each, (condition, truth) in zip(key, conditions, strict=True):
                if each not in met:
                    met[each] = seen.meeting(condition, truth)
            if key not in found:
                found[key] = np.flatnonzero(np.logical_and.reduce([met[each] for each in key]))
            by_case[case] = found[key]
        return by_case


def asked(record: Record, cases: list[Case]) -> Iterator[Asked]:
    """Yield the conditions of the cases on the rows of each reference, if nothing else takes part in them."""
    known: dict[int, str] = {}
    found: dict[str, dict[int, tuple[tuple[Expression, bool], ...]]] = {}
    for at, case in enumerate(cases):
        for change in case.changes:
            if isinstance(change, Requirement):
                name = known.setdefault(id(change.condition), _only_reference(change.condition))
                if name:
                    of_case = found.setdefault(name, {})
                    of_case[at] = (*of_case.get(at, ()), (change.condition, change.truth))
    for name, by_case in found.items():
        head = record.by_name[name].head
        if isinstance(head, Reference) and head.record != record.name:
            parent = record.parent_field
            room = max(record.count.high, 1) if parent is not None and parent.name == name else 0
            yield Asked(name, head.record, by_case, room)


def _only_reference(condition: Expression) -> str:
    """Return the reference that a condition depends on, if it depends on nothing else."""
    nodes = list(walk(condition))
    own = (isinstance(each, Draw) or (isinstance(each, Call) and each.function in OF_SIBLINGS) for each in nodes)
    if any(own) or any(isinstance(each, Name) and each.name not in ("today", "now") for each in nodes):
        return ""
    names = {each.reference for each in nodes if isinstance(each, Member)}
    return names.pop() if len(names) == 1 else ""


class _Seen:
    """Rows of a record type as a scope for those that refer to them: `hut.beds` is evaluated for each hut."""

    def __init__(self, run: Run, target: str, among: Places | None = None, whole: Resolved | None = None) -> None:
        count = min(run.table(target).count, LOOKED_AT)
        self.run, self.target = run, target
        self.whole = Resolved(run.table(target), np.arange(count, dtype=np.uint64)) if whole is None else whole
        self.among: Places = np.arange(count) if among is None else among
        self.rows = self.among.astype(np.uint64)

    def meeting(self, condition: Expression, truth: bool) -> NDArray[np.bool_]:
        """Return the rows for which a condition has the wanted truth; it has none where it cannot be computed."""
        met = np.zeros(len(self.rows), dtype=np.bool_)
        places, found = where_possible(self, np.arange(len(self.rows)), partial(evaluate, condition))
        if found is not None:
            found = found.spread(len(places))
            good = np.asarray(found.values) == truth
            met[places] = good if found.nulls is None else good & ~found.nulls
        return met

    def member(self, reference: str, name: str) -> Column:
        return self.whole.field(name).spread(len(self.whole.rows)).take(self.among)

    def select(self, places: Places) -> _Seen:
        return _Seen(self.run, self.target, self.among[places], self.whole)

    def named(self, name: str) -> Column:
        return constant(self.run.today if name == "today" else self.run.now)

    def siblings(self, call: Call) -> Column:
        raise NotImplementedError(call)

    def drawn(self, draw: Draw) -> NoReturn:
        raise NotImplementedError(draw)
