"""Named tuples with annotations."""

from __future__ import annotations

from yurt.core.base.python_values import ModelClass
from yurt.core.classes.family import ClassField, Family, by_keyword, hints_of


def _matches(model: ModelClass) -> bool:
    return issubclass(model, tuple) and hasattr(model, "_fields")


def _fields(model: ModelClass) -> list[ClassField]:
    hints = hints_of(model)
    return [ClassField(each, hints.get(each, str), default=each in model._field_defaults) for each in model._fields]


FAMILY = Family("named tuple", _matches, _fields, by_keyword)
