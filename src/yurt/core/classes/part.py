"""A part of a model class: how it is written in a schema, and how the record's value becomes the object's."""

from __future__ import annotations

from dataclasses import dataclass, field

from yurt.core.base.errors import YurtError
from yurt.core.base.python_values import Conversion, PythonValue

# How often a value that may be missing is missing.
MISSING = "20%"


class Unfillable(YurtError):
    """A field of a class that cannot be filled, with what would say how."""

    def __init__(self, where: str, what: str) -> None:
        name = where.rpartition(".")[2]
        super().__init__(
            f"{where}: {what}; say how in the annotation, as Annotated[…, yurt.Line('text 3..20')], "
            f"or give the value: {name}=…"
        )


def same(value: PythonValue) -> PythonValue:
    """Return a value as it is."""
    return value


@dataclass(frozen=True)
class Part:
    """A field, or an element of one.

    `line` is a phrase, or the keys of a longer form; `clauses` follow it. `build` makes the object's value of the
    record's; `given` makes the record's value of the object's (None if nothing can follow from a value), and `accepts`
    are the classes of values.
    """

    line: str | dict[str, PythonValue]
    build: Conversion = same
    given: Conversion | None = same
    accepts: tuple[type, ...] = ()
    expected: str = ""
    clauses: dict[str, str] = field(default_factory=dict)

    @property
    def written(self) -> str | dict[str, PythonValue]:
        """The field as a schema file has it."""
        if isinstance(self.line, dict):
            return {**self.line, **self.clauses}
        more = (f"{name} {value}".rstrip() for name, value in self.clauses.items())
        return ", ".join([self.line, *more])

    @property
    def inside(self) -> str:
        """The phrase as an element of a list."""
        assert isinstance(self.line, str)
        return f"({self.written})" if self.clauses or "," in self.line else self.line
