"""Classes of attrs: `__attrs_attrs__` has their fields, with the validators of each."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from yurt.core.base.python_values import ModelClass, PythonValue
from yurt.core.classes.constraints import Constraints
from yurt.core.classes.family import ClassField, Family, by_keyword, hints_of

BOUNDS = {">=": "ge", ">": "gt", "<=": "le", "<": "lt"}


def _fields(model: ModelClass) -> list[ClassField]:
    hints = hints_of(model)
    return [
        ClassField(
            each.name, hints.get(each.name, each.type or Any),
            _validated(each.validator, Constraints(line=each.metadata.get("yurt"))),
            each.default.__class__.__name__ != "_Nothing" and each.default is not _nothing(model, each),
            each.alias or each.name.lstrip("_"),
        )
        for each in model.__attrs_attrs__
        if each.init
    ]  # fmt: skip


def _nothing(model: ModelClass, attribute: Any) -> PythonValue:
    """Return what stands for no default."""
    return next((each for each in (attribute.default,) if repr(each) == "NOTHING"), object())


def _validated(validator: Any, told: Constraints) -> Constraints:
    """Return the constraints of a validator, known by its attributes."""
    if validator is None:
        return told
    for each in getattr(validator, "_validators", ()):
        told = _validated(each, told)
    if hasattr(validator, "validator"):
        told = _validated(validator.validator, told)
    if hasattr(validator, "compare_op") and validator.compare_op in BOUNDS:
        told = replace(told, **{BOUNDS[validator.compare_op]: validator.bound})
    if hasattr(validator, "pattern") and hasattr(validator, "match_func"):
        told = replace(told, pattern=validator.pattern.pattern)
    for name in ("min_length", "max_length"):
        if hasattr(validator, name):
            told = replace(told, **{name: getattr(validator, name)})
    if hasattr(validator, "options"):
        told = replace(told, options=tuple(validator.options))
    return told


FAMILY = Family("attrs", lambda model: hasattr(model, "__attrs_attrs__"), _fields, by_keyword)
