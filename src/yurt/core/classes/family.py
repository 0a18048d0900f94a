"""A family of model classes: how its fields are found, and how instances are made."""

from __future__ import annotations

import typing
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from yurt.core.base.errors import UsageFault
from yurt.core.base.python_values import ModelClass, PythonValue
from yurt.core.classes.constraints import Constraints


@dataclass(frozen=True)
class ClassField:
    """A field of a model class.

    `key` is the name that the class takes it by. A field with a default, or one that need not be there, is left out if
    it cannot be filled. `copied` is the path of the value that it repeats: a foreign key repeats the key of the object.
    """

    name: str
    annotation: Any
    told: Constraints = field(default_factory=Constraints)
    default: bool = False
    key: str = ""
    absent: bool = False
    copied: tuple[str, ...] = ()


@dataclass(frozen=True)
class Family:
    """`make` gets the class, the values by key, and whether they may be invalid; it raises ValueError or TypeError."""

    name: str
    matches: Callable[[Any], bool]
    fields: Callable[[Any], list[ClassField]]
    make: Callable[[Any, Mapping[str, PythonValue], bool], Any]


def hints_of(model: ModelClass) -> dict[str, PythonValue]:
    """Return the annotations of a class with all names resolved. Raises UsageFault for one that is not."""
    try:
        return typing.get_type_hints(model, include_extras=True)
    except NameError as fault:
        told = f"the annotation `{fault.name}` is not known in its module"
        raise UsageFault(f"{model.__qualname__}: {told}; define it at the top of a module") from None
    except TypeError as fault:
        raise UsageFault(f"{model.__qualname__}: an annotation cannot be read: {fault}") from None


def by_keyword(model: ModelClass, values: Mapping[str, PythonValue], invalid: bool) -> PythonValue:
    """Return an instance of a class that takes its fields by keyword."""
    return model(**values)
