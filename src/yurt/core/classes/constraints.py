"""What annotations and columns say about values: bounds, lengths, patterns, and listed values."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, replace
from decimal import Decimal, InvalidOperation
from typing import Any

from yurt.core.base.python_values import PythonValue

# The attributes of metadata objects, by the name that several libraries and JSON Schema share.
NAMES = (
    "ge", "gt", "le", "lt", "multiple_of", "min_length", "max_length", "pattern", "max_digits", "decimal_places",
)  # fmt: skip


class Line:
    """A line of the schema language for a field of a class: `Annotated[str, Line('like "HK-40218"')]`."""

    def __init__(self, text: str) -> None:
        self.text = text

    def __repr__(self) -> str:
        return f"Line({self.text!r})"


@dataclass(frozen=True, slots=True)
class Constraints:
    """The constraints of a field; None where there is none."""

    ge: PythonValue = None
    gt: PythonValue = None
    le: PythonValue = None
    lt: PythonValue = None
    multiple_of: PythonValue = None
    min_length: int | None = None
    max_length: int | None = None
    pattern: str | None = None
    max_digits: int | None = None
    decimal_places: int | None = None
    # A format of JSON Schema, and the values that are listed.
    format: str | None = None
    options: tuple[Any, ...] | None = None
    unique: bool = False
    # A line of the schema language, which takes the place of everything else.
    line: str | None = None

    @property
    def lengths(self) -> bool:
        """Whether the length of a text or list is limited."""
        return self.min_length is not None or self.max_length is not None

    def with_metadata(self, metadata: Iterable[Any]) -> Constraints:
        """Return the constraints with those of metadata objects, which are known by their attributes."""
        found: dict[str, PythonValue] = {}
        for each in metadata:
            if isinstance(each, Line):
                found["line"] = each.text
            elif isinstance(each, re.Pattern):
                found["pattern"] = each.pattern
            elif not isinstance(each, str | int | float | type):
                for name in NAMES:
                    value = getattr(each, name, None)
                    if value is not None and not callable(value):
                        found[name] = getattr(value, "pattern", value)
        return replace(self, **found) if found else self

    def broken(self, value: PythonValue) -> tuple[str, str] | None:
        """Return the rule that a value breaks, and what was expected; None if there is none."""
        if value is None:
            return None
        if self.options is not None and value not in self.options:
            return "list", " | ".join(str(each) for each in self.options[:12])
        for name, low in (("at least", self.ge), ("above", self.gt)):
            if low is not None and not _compared(value, low, strict=name == "above"):
                return "range", f"{name} {low}"
        for name, high in (("at most", self.le), ("below", self.lt)):
            if high is not None and not _compared(high, value, strict=name == "below"):
                return "range", f"{name} {high}"
        if self.multiple_of is not None and not _multiple(value, self.multiple_of):
            return "step", f"a multiple of {self.multiple_of}"
        return self._length(value) if hasattr(value, "__len__") else None

    def _length(self, value: PythonValue) -> tuple[str, str] | None:
        if self.min_length is not None and len(value) < self.min_length:
            return "length", f"at least {self.min_length}"
        if self.max_length is not None and len(value) > self.max_length:
            return "length", f"at most {self.max_length}"
        if self.pattern is not None and isinstance(value, str) and re.search(self.pattern, value) is None:
            return "pattern", f"/{self.pattern}/"
        return None


def _compared(larger: Any, smaller: Any, *, strict: bool) -> bool:
    try:
        return bool(larger > smaller if strict else larger >= smaller)
    except TypeError:
        return True


def _multiple(value: PythonValue, step: Any) -> bool:
    try:
        return Decimal(str(value)) % Decimal(str(step)) == 0
    except InvalidOperation:
        return True
