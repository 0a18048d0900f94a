"""Values, types, and conditions as messages show them."""

from __future__ import annotations

import numpy as np

from yurt.core import model
from yurt.core.base.types import Type
from yurt.core.columns.column import Column
from yurt.core.model import Field
from yurt.core.model.expressions import Expression, Member, Name, walk
from yurt.core.verify.frame import Frame


def value_text(column: Column, at: int) -> str:
    """Return the value of a column in one row as text."""
    value = column.take(np.array([at])).text(1)[0].as_py()
    return "missing" if value is None else str(value)


def values_read(frame: Frame, condition: Expression, at: int) -> str:
    """Return the values of the fields that a condition reads, in one row."""
    one = frame.select(np.array([at]))
    told: dict[str, str] = {}
    for node in walk(condition):
        if isinstance(node, Name) and frame.knows(node.name):
            told[node.name] = value_text(one.named(node.name).spread(1), 0)
        elif isinstance(node, Member):
            told[f"{node.reference}.{node.name}"] = value_text(one.member(node.reference, node.name).spread(1), 0)
    return ", ".join(f"{name} {value}" for name, value in told.items())


def type_text(kind: Type, zoned: bool) -> str:
    """Return an example of a type."""
    return {
        "integer": "a whole number", "decimal": "a decimal number", "real": "a number", "text": "a text",
        "boolean": "true or false", "date": "a date such as 2026-06-15", "time": "a time such as 08:30:00",
        "datetime": "a date-time such as 2026-06-15T08:30:00" + ("+02:00" if zoned else ""),
        "days": "a duration such as P14D", "duration": "a duration such as PT8H",
    }.get(kind.name, kind.name)  # fmt: skip


def form_text(pattern: str, kind: Type) -> str:
    """Return an example of the form of `as`."""
    if kind.name == "boolean":
        return pattern.replace(" | ", " or ")
    what = {"date": "a date", "time": "a time", "datetime": "a date-time"}.get(kind.name, "a number")
    return f'{what} written as "{pattern}"'


def values_text(frame: Frame, fields: list[Field], at: int) -> str:
    """Return the values of some fields in one row."""
    return ", ".join(value_text(frame.fields[each.name], at) for each in fields)


def item_text(value: model.ItemValue, kind: Type) -> str:
    """Return a listed value as a column of that type writes it."""
    if isinstance(value, bool):
        return str(value).lower()
    return f"{value:.{kind.places}f}" if kind.name == "decimal" else str(value)
