"""Values at the edges of conditions: they meet a rare condition sooner than the usual values."""

from __future__ import annotations

from typing import Any

import numpy as np

from yurt.core import model
from yurt.core.base.data_classes import replace
from yurt.core.base.types import Type
from yurt.core.cases.case import Case, Requirement
from yurt.core.columns.column import Column, Places, cast, units
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.model.expressions import Binary, Expression, Literal, Membership, Name, literal_type, walk
from yurt.core.planning.bounds import bounds, steps

# The share of values that are taken at edges.
OFTEN = 0.7


def edges_spoken_of(table: TableScope, cases: list[Case]) -> dict[str, Column]:
    """Return values at the edges of conditions, for each field that takes part in one."""
    record, run = table.record, table.run
    conditions = [*record.always]
    for case in cases:
        conditions += [each.condition for each in case.changes if isinstance(each, Requirement)]
    spoken: dict[str, set[int]] = {}
    for condition in {id(each): each for each in conditions}.values():
        for name, literal in _compared(condition):
            field = record.by_name.get(name)
            head = field.head if field is not None else None
            if field is None or not isinstance(head, model.Ranged) or field.unique:
                continue
            spoken.setdefault(name, set()).update(_around(literal, run.plan.types[record.name, name], steps(head)))
    found: dict[str, Column] = {}
    for name, values in spoken.items():
        field = record.by_name[name]
        head = field.head
        assert isinstance(head, model.Ranged)
        ends = bounds(head, run.today)
        if ends is None or field.phrases[0].days is not None:
            continue
        kind = run.plan.types[record.name, name]
        good = sorted(
            each for each in {*values, *ends} if ends[0] <= each <= ends[1] and (each - ends[0]) % steps(head) == 0
        )
        if good:
            found[name] = Column(kind, np.array(good, dtype=np.int64))
    return found


def boldly(found: Column, bold: Column, batch: BatchScope, name: str, places: Places) -> Column:
    """Take values at edges for most of the rows."""
    u = batch.unit(name, "bold")[places]
    chosen = u < OFTEN
    at = places[chosen]
    picked = (u[chosen] / OFTEN * len(bold.values)).astype(np.int64)
    values = np.array(found.values)
    values[at] = bold.values[picked]
    return replace(found, values=values)


def _compared(condition: Expression) -> list[tuple[str, Any]]:
    """Return the names in a condition with the constants they are compared with."""
    found: list[tuple[str, Any]] = []
    for node in walk(condition):
        if isinstance(node, Binary) and node.operator in ("==", "!=", "<", "<=", ">", ">="):
            for one, other in ((node.left, node.right), (node.right, node.left)):
                if isinstance(one, Name) and isinstance(other, Literal) and other.value is not None:
                    found.append((one.name, other.value))
        elif isinstance(node, Membership) and isinstance(node.item, Name):
            found += [(node.item.name, each.value) for each in node.options if isinstance(each, Literal)]
    return found


def _around(value: Any, kind: Type, step: int) -> set[int]:
    """Return a constant and its neighbours in units of a type."""
    if isinstance(value, str | bool) or value is None:
        return set()
    try:
        column = cast(Column(literal_type(value), np.array(units(value))), kind)
    except OverflowError:
        return set()
    middle = int(column.values)
    return {middle - step, middle, middle + step}
