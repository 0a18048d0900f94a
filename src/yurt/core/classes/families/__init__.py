"""The families of model classes, one module each. A module holds one `FAMILY`; the order is that of `ORDER`."""

from __future__ import annotations

from functools import cache
from importlib import import_module
from pkgutil import iter_modules
from typing import TYPE_CHECKING

from yurt.core.base.python_values import ModelClass

if TYPE_CHECKING:
    from yurt.core.classes.family import Family

# A class may look like several: a validating class that is a data class, or one that has a JSON Schema as well.
LAST = "json_schema"


@cache
def families() -> tuple[Family, ...]:
    """Return all families, the most general one last."""
    names = sorted((each.name for each in iter_modules(__path__)), key=lambda name: (name == LAST, name))
    return tuple(import_module(f"{__name__}.{name}").FAMILY for name in names)


def family_of(model: ModelClass) -> Family | None:
    """Return the family of a class; None if it has none."""
    return next((each for each in families() if isinstance(model, type) and each.matches(model)), None)
