"""Typed dicts: a key that is not required is sometimes absent."""

from __future__ import annotations

from typing import NotRequired, Required, get_origin, is_typeddict

from yurt.core.base.python_values import Annotation, ModelClass
from yurt.core.classes.family import ClassField, Family, by_keyword, hints_of


def _fields(model: ModelClass) -> list[ClassField]:
    return [ClassField(name, each, absent=not _required(model, name, each)) for name, each in hints_of(model).items()]


def _required(model: ModelClass, name: str, hint: Annotation) -> bool:
    """Return whether a key is required; the class does not know it if its annotations are texts."""
    origin: Annotation = get_origin(hint)
    return origin is not NotRequired and (origin is Required or name in model.__required_keys__)


FAMILY = Family("typed dict", is_typeddict, _fields, by_keyword)
