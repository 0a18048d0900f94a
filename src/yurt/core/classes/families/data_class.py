"""Data classes of the standard library."""

from __future__ import annotations

import dataclasses

from yurt.core.base.python_values import ModelClass
from yurt.core.classes.constraints import Constraints
from yurt.core.classes.family import ClassField, Family, by_keyword, hints_of


def _fields(model: ModelClass) -> list[ClassField]:
    hints = hints_of(model)
    return [
        ClassField(
            each.name, hints.get(each.name, each.type), Constraints(line=each.metadata.get("yurt")),
            each.default is not dataclasses.MISSING or each.default_factory is not dataclasses.MISSING,
        )
        for each in dataclasses.fields(model)
        if each.init
    ]  # fmt: skip


FAMILY = Family("data class", dataclasses.is_dataclass, _fields, by_keyword)
