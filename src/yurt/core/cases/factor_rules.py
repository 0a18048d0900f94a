"""The rules of combinatorial testing: which levels of some fields may occur together, given the conditions of a record.

A level that stands for several values is possible beside another one if one of its values is.
"""

from __future__ import annotations

from collections.abc import Iterator
from math import prod

import numpy as np

from yurt.core.cases.factor_cells import MOST_CELLS, Cells
from yurt.core.cases.factor_reads import axes_of, bounds_of
from yurt.core.cases.factors import ABSENT, Factor
from yurt.core.cases.subject import Subject
from yurt.core.columns.column import Mask
from yurt.core.combining.rules import Rule
from yurt.core.model import Table
from yurt.core.model.expressions import Expression


def rules_of(factors: list[Factor], subject: Subject, exact: bool = False) -> list[Rule]:
    """Return the rules that follow from `always`, `present if`, and tables, if factors decide them.

    `exact` means that a level which stands for several values is examined only with its own value.
    """
    number = {factor.name: at for at, factor in enumerate(factors) if factor.field is not None}
    found = [_rule(condition, factors, number, subject, None, exact) for condition in subject.conditions]
    for factor in factors:
        if factor.field is None:
            continue
        if bounds_of(factor):
            found.append(_range_rule(factor, factors, number, subject, exact))
        if factor.field.present_if is not None and not factor.field.parent:
            found.append(_rule(factor.field.present_if, factors, number, subject, factor, exact))
        if isinstance(factor.field.body, Table):
            found.append(_table_rule(factor, factor.field.body, factors, number, subject, exact))
    found += _together(factors, number, subject, exact)
    return [each for each in found if each is not None and not each.allowed.all()]


def _together(factors: list[Factor], number: dict[str, int], subject: Subject, exact: bool) -> Iterator[Rule]:
    """Yield what conditions and ranges that read the same fields allow together, where that can be examined.

    Values that meet each of them may meet no two of them: the rules of single conditions do not tell.
    """
    parts = [
        (set(axes_of([each], number, subject, factors)), [each], [subject.text(each)]) for each in subject.conditions
    ]
    parts += [
        ({number[each.name], *axes_of(bounds_of(each), number, subject, factors)}, [], [f"the range of {each.name}"])
        for each in factors if bounds_of(each)
    ]  # fmt: skip
    groups: list[tuple[set[int], list[Expression], list[str]]] = []
    for axes, conditions, words in parts:
        near = [each for each in groups if each[0] & axes]
        groups = [each for each in groups if each not in near]
        for each in near:
            axes, conditions, words = axes | each[0], [*conditions, *each[1]], [*words, *each[2]]
        groups.append((axes, conditions, words))
    for among, conditions, words in groups:
        if len(words) < 2 or prod(len(factors[axis].levels) for axis in among) > MOST_CELLS:
            continue
        cells = Cells(sorted(among), factors, conditions, subject, exact)
        if cells.size > MOST_CELLS:
            continue
        allowed = np.ones(cells.size, dtype=np.bool_)
        for condition in conditions:
            may, _, null = cells.told(condition)
            allowed &= may | null
        yield Rule(tuple(sorted(among)), cells.by_level(allowed), " and ".join(words), cells.proven([]))


def _rule(
    condition: Expression, factors: list[Factor], number: dict[str, int], subject: Subject, field: Factor | None,
    exact: bool,
) -> Rule | None:  # fmt: skip
    """Return the rule of a condition: for all records, or for whether a field is present."""
    own = number[field.name] if field is not None else -1
    axes = [each for each in axes_of([condition], number, subject, factors) if each != own]
    cells = Cells(axes, factors, [condition], subject, exact)
    if cells.size > MOST_CELLS or (not axes and field is None):
        return None
    may, may_not, null = cells.told(condition)
    why = subject.text(condition)
    if field is None:
        # A condition on all records also holds where it is unknown.
        return Rule(tuple(axes), cells.by_level(may | null), why, cells.proven([condition]))
    levels = [cells.by_level(may_not if level.name == ABSENT else may) for level in field.levels]
    return Rule((*axes, own), np.stack(levels, axis=-1), f"{field.name} present if {why}", _proven(cells, len(levels)))


def _range_rule(
    factor: Factor, factors: list[Factor], number: dict[str, int], subject: Subject, exact: bool
) -> Rule | None:  # fmt: skip
    """Return the levels of a range that have a value, given the fields that its ends depend on."""
    axes = axes_of(bounds_of(factor), number, subject, factors)
    axes = sorted({*axes, number[factor.name]})
    cells = Cells(axes, factors, [], subject, exact)
    if cells.size > MOST_CELLS:
        return None
    every = np.ones(cells.size, dtype=np.bool_)
    return Rule(tuple(axes), cells.by_level(every), f"the range of {factor.name}", cells.proven([]))


def _table_rule(
    factor: Factor, table: Table, factors: list[Factor], number: dict[str, int], subject: Subject, exact: bool
) -> Rule | None:
    """Return the levels that the table of a field allows: those of the rows that may decide."""
    own = number[factor.name]
    conditions = [each for each, _ in table.rows if each is not None]
    axes = [each for each in axes_of(conditions, number, subject, factors) if each != own]
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
    return Rule((*axes, own), np.stack(levels, axis=-1), f"the table of {factor.name}", _proven(cells, len(levels)))


def _proven(cells: Cells, levels: int) -> Mask:
    """Return which combinations are proven, for each of some levels of one more factor."""
    found = cells.proven([])
    return np.broadcast_to(found[..., None], (*found.shape, levels))
