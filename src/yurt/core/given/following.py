"""What follows from a record whose other fields are all given."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from yurt.core.base.python_values import PythonValue
from yurt.core.engine.resolved import Resolved
from yurt.core.engine.structs import Layout
from yurt.core.engine.table import Table
from yurt.core.model import Derived, Record, Schema, expressions_in
from yurt.core.model.expressions import Draw, walk


def draws_more(schema: Schema, record: Record, names: Sequence[str]) -> bool:
    """Return whether fields depend on something that is drawn, although every field that is shown has a value or
    follows from others: then another draw may meet a condition.
    """
    read, waiting = set[str](), [*names]
    while waiting:
        if (name := waiting.pop()) not in read and name in record.by_name:
            read.add(name)
            waiting += schema.plan.needs[record.name, name]
    fields = [record.by_name[each] for each in read]
    drawn = (node for each in expressions_in(tuple(each.body for each in fields)) for node in walk(each))
    hidden = any(each.helper and not isinstance(each.head, Derived) for each in fields)
    return hidden or any(isinstance(each, Draw) for each in drawn)


def fields_of(table: Table, names: Sequence[str]) -> dict[str, PythonValue]:
    """Return some fields of the first row of a table."""
    shown = tuple(table.record.by_name[each] for each in names)
    columns = Layout(Resolved(table, np.zeros(1, dtype=np.uint64)), shown, 1, True, True).columns("", "")
    return {title: column[0].as_py() for title, column in columns}
