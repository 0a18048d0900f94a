"""Cases whose requirements contradict one another, judged by sample values of each field.

They are drawn like the others, but without a long search for their records.
"""

from __future__ import annotations

import numpy as np

from yurt.core.cases.case import Case, Requirement
from yurt.core.cases.factor_cells import MOST_CELLS, Cells
from yurt.core.cases.factor_reads import axes_of
from yurt.core.cases.factors import ABSENT, factors_of
from yurt.core.cases.subject import Subject
from yurt.core.columns.column import Mask


def doubtful(cases: list[Case], subject: Subject) -> Mask:
    """Return the cases for which no combination of the sample values meets all requirements."""
    factors = [each for each in factors_of(subject) if each.field is not None]
    number = {factor.name: at for at, factor in enumerate(factors)}
    known: dict[tuple[tuple[int, bool], ...], bool] = {}

    def contradictory(asked: list[Requirement]) -> bool:
        conditions = [each.condition for each in asked]
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

    def judged(case: Case) -> bool:
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
