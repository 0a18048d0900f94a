"""Values and types as reasons show them."""

from __future__ import annotations

import numpy as np

from yurt.core.base.types import Type
from yurt.core.columns.column import Column


def shown(value: int, kind: Type) -> str:
    """Return a value in units of its type as text."""
    if kind.name == "date" and not -719_162 <= value <= 2_932_896:
        return "a day out of time"
    return str(Column(kind, np.array([value], dtype=np.int64)).text(1)[0].as_py())


def type_words(kind: Type) -> str:
    """Return a type with its article."""
    return {
        "integer": "a whole number", "decimal": "a number", "real": "a number", "text": "a text",
        "boolean": "true or false", "date": "a date", "time": "a time of day", "datetime": "a date-time",
        "days": "a duration", "duration": "a duration", "list": "a list",
    }.get(kind.name, kind.name)  # fmt: skip
