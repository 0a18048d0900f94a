"""Cases whose requirements contradict one another, judged by sample values of each field.

They are drawn like the others, but without a long search for their records.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from yurt.core.base.data_classes import replace
from yurt.core.cases.case import Case, Const, Edge, Requirement
from yurt.core.cases.factor_cells import MOST_CELLS, Cells
from yurt.core.cases.factor_reads import axes_of, names_of, nodes
from yurt.core.cases.factors import ABSENT, Level, factors_of
from yurt.core.cases.subject import Subject
from yurt.core.columns.column import Mask
from yurt.core.model import Ranged
from yurt.core.model.expressions import Expression
from yurt.core.planning.bounds import bounds, steps

# The parts of conditions, with all that they follow from, that are examined.
MOST_NODES = 300


def _values(case: Case, subject: Subject) -> Iterator[tuple[str, str | int | bool]]:
    """Yield the fields that have a value of their own in a case, with it."""
    for change in case.changes:
        if isinstance(change, Const):
            yield change.field, change.value
        elif isinstance(change, Edge) and isinstance(change.phrase.head, Ranged) and change.phrase.days is None:
            ends = bounds(change.phrase.head, subject.today)
            step = steps(change.phrase.head)
            if ends is not None:
                top = ends[0] + (ends[1] - ends[0]) // step * step
                yield change.field, top - change.inside * step if change.upper else ends[0] + change.inside * step


def doubtful(cases: list[Case], subject: Subject) -> Mask:
    """Return the cases for which no combination of the sample values meets all requirements."""
    factors = [each for each in factors_of(subject) if each.field is not None]
    number = {factor.name: at for at, factor in enumerate(factors)}
    known: dict[tuple[tuple[int, bool], ...], bool] = {}

    def contradictory(asked: list[Requirement]) -> bool:
        conditions = [each.condition for each in asked]
        if sum(1 for each in conditions for _ in nodes(each, subject)) > MOST_NODES:
            return False
        axes = axes_of(conditions, number, subject, factors)
        there = [field.present_if for axis in axes if (field := factors[axis].field) is not None and field.present_if]
        axes = axes_of([*conditions, *there], number, subject, factors) + [axis for axis in axes if factors[axis].field]
        cells = Cells(sorted(set(axes)), factors, conditions, subject, exact=False)
        if cells.size > MOST_CELLS:
            return False
        left = cells.there.copy()
        for each in asked:
            may, may_not, _ = cells.told(each.condition)
            left &= may if each.truth else may_not
        for axis, own, at in zip(cells.order, cells.samples, cells.places, strict=True):
            field = factors[axis].field
            if field is None or field.present_if is None or field.parent:
                continue
            may, may_not, _ = cells.told(field.present_if)
            absent = np.array([factors[axis].levels[each.level].name == ABSENT for each in own])[at]
            left &= np.where(absent, may_not, may)
        return not left.any()

    tried: dict[tuple[str, object, int], bool] = {}

    def impossible(name: str, value: str | int | bool, condition: Expression) -> bool:
        """Return whether a condition holds for no sample values of the other fields, beside the value of a case."""
        key = (name, value, id(condition))
        if key not in tried:
            axes = axes_of([condition], number, subject, factors)
            own = [factors[axis] for axis in axes]
            own = [replace(each, levels=(Level("", (), value),)) if each.name == name else each for each in own]
            cells = Cells(list(range(len(own))), own, [condition], subject, exact=False)
            may, _, null = cells.told(condition) if cells.size <= MOST_CELLS else (np.array(True),) * 3
            tried[key] = not ((may | null) & cells.there).any()
        return tried[key]

    def judged(case: Case) -> bool:
        for name, value in _values(case, subject) if case.valid else ():
            reading = [each for each in subject.conditions if name in names_of([each], subject) and name in number]
            if any(impossible(name, value, each) for each in reading):
                return True
        asked = [each for each in case.changes if isinstance(each, Requirement)]
        given = {each.field for each in case.changes if not isinstance(each, Requirement)}
        axes = axes_of([each.condition for each in asked], number, subject, factors)
        if not asked or any(factors[axis].name in given for axis in axes):
            # The value in the case is not one that the field would have by itself.
            return False
        key = tuple((id(each.condition), each.truth) for each in asked)
        if key not in known:
            known[key] = contradictory(asked)
        return known[key]

    return np.array([judged(case) for case in cases], dtype=np.bool_)
