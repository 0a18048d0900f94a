"""The data types of fields and expressions."""

from __future__ import annotations

from yurt.core.base.data_classes import dataclass

# The most decimal places of a field, and of what is computed on the way to its value.
MAX_PLACES, WIDEST_PLACES = 12, 38


@dataclass(frozen=True)
class Type:
    """A data type. A decimal also has a number of places, a list the type of its values."""

    name: str
    places: int = 0
    of: Type | None = None

    def __str__(self) -> str:
        return self.name

    @property
    def numeric(self) -> bool:
        return self.name in ("integer", "decimal", "real")

    @property
    def family(self) -> str:
        """Types of the same family can be compared."""
        if self.numeric:
            return "number"
        return {"datetime": "date", "days": "duration"}.get(self.name, self.name)


INTEGER = Type("integer")
REAL = Type("real")
TEXT = Type("text")
BOOLEAN = Type("boolean")
DATE = Type("date")
DATETIME = Type("datetime")
TIME = Type("time")
NESTED = Type("nested")
DAYS = Type("days")
DURATION = Type("duration")
PERIOD = Type("period")
NULL = Type("null")


def decimal(places: int) -> Type:
    """Return the type of exact decimals with a number of places."""
    return Type("decimal", places)


def of_field(kind: Type) -> Type:
    """Return the type of a field with values of a type: decimals with too many places are floating-point numbers."""
    return REAL if kind.name == "decimal" and kind.places > MAX_PLACES else kind


def list_of_type(inside: Type) -> Type:
    """Return the type of lists of values of a type."""
    return Type("list", of=inside)


def unify(left: Type, right: Type) -> Type | None:
    """Return the type that can hold values of both types, or None."""
    if left == right or right == NULL:
        return left
    if left == NULL:
        return right
    if left.numeric and right.numeric:
        return REAL if REAL in (left, right) else decimal(max(left.places, right.places))
    if left.family == right.family == "date":
        return DATETIME
    if left.family == right.family == "duration":
        return DURATION
    return None


def arithmetic(operator: str, left: Type, right: Type) -> Type | None:
    """Return the type of `left operator right`, or None if the operation is not defined."""
    if NULL in (left, right):
        return left if right == NULL else right
    if left.numeric and right.numeric:
        if operator == "/" or REAL in (left, right):
            return REAL
        places = left.places + right.places if operator == "*" else max(left.places, right.places)
        both_whole = left == right == INTEGER
        return INTEGER if both_whole else decimal(places) if places <= WIDEST_PLACES else REAL
    if operator == "*" and INTEGER in (left, right):
        other = right if left == INTEGER else left
        return other if other in (DAYS, DURATION) else None
    if operator not in "+-":
        return None
    if left.family == "date" and right.family in ("duration", "period"):
        return DATETIME if left == DATETIME or right == DURATION else DATE
    if operator == "+" and right.family == "date" and left.family in ("duration", "period"):
        return arithmetic("+", right, left)
    if left == TIME and right == DURATION:
        return TIME
    if operator == "+" and left == DURATION and right == TIME:
        return TIME
    if operator == "-" and left == right == TIME:
        return DURATION
    if operator == "-" and left.family == right.family == "date":
        return DAYS if left == right == DATE else DURATION
    if left.family == right.family == "duration":
        return unify(left, right)
    return None
