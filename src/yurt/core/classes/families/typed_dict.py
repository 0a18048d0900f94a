"""Typed dicts: a key that is not required is sometimes absent."""

from __future__ import annotations

from typing import Any, is_typeddict

from yurt.core.classes.family import ClassField, Family, by_keyword, hints_of


def _fields(model: Any) -> list[ClassField]:
    hints = hints_of(model)
    return [ClassField(name, each, absent=name not in model.__required_keys__) for name, each in hints.items()]


FAMILY = Family("typed dict", is_typeddict, _fields, by_keyword)
