"""The functions of expressions: what they take, give and mean. How they are computed is in `engine/functions/`."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from yurt.core.language.expressions import Expression, Literal
from yurt.core.types import BOOLEAN, DATE, INTEGER, NULL, REAL, TEXT, Type, decimal, unify

MAX_ROUNDING = 12


@dataclass(frozen=True, slots=True)
class Function:
    """A function.

    `takes` are type families; `any` fits all, `constant` is a text and `literal` a number written out. The last may
    repeat when `most` is larger.
    """

    name: str
    takes: tuple[str, ...]
    gives: Callable[[list[Type], tuple[Expression, ...]], Type | None]
    meaning: str
    least: int
    most: int


FUNCTIONS: dict[str, Function] = {}


def _function(
    name: str,
    takes: str,
    gives: Type | Callable[[list[Type], tuple[Expression, ...]], Type | None],
    meaning: str,
    least: int | None = None,
    most: int | None = None,
) -> None:
    families = tuple(takes.split())
    typed = gives if callable(gives) else lambda _types, _arguments: gives
    least = len(families) if least is None else least
    FUNCTIONS[name] = Function(name, families, typed, meaning, least, len(families) if most is None else most)


def _same(types: list[Type], _arguments: tuple[Expression, ...]) -> Type:
    return types[0]


def _common(types: list[Type], _arguments: tuple[Expression, ...]) -> Type | None:
    found: Type | None = NULL
    for each in types:
        found = unify(found, each) if found is not None else None
    return found


def _rounded(types: list[Type], arguments: tuple[Expression, ...]) -> Type | None:
    """`round` must know its places beforehand, because they are part of the type."""
    if len(arguments) == 1:
        return INTEGER
    places = arguments[1].value if isinstance(arguments[1], Literal) else None
    if type(places) is not int or not 0 <= places <= MAX_ROUNDING:
        return None
    return decimal(places) if places else INTEGER


_function("round", "number integer", _rounded, "to that many places (0 to 12), halves away from zero", least=1)
_function("floor", "number", INTEGER, "the whole number below or equal")
_function("ceil", "number", INTEGER, "the whole number above or equal")
_function("abs", "number", _same, "without the sign")
_function("mod", "number number", _common, "the remainder of a division, with the sign of the divisor")
_function("min", "any any", _common, "the smallest of its arguments", most=20)
_function("max", "any any", _common, "the largest of its arguments", most=20)
_function("clamp", "any any any", _common, "the first, but not below the second and not above the third")
_function("sqrt", "number", REAL, "the square root")
_function("exp", "number", REAL, "e to that power")
_function("log", "number number", REAL, "the natural logarithm, or that to another base", least=1)
_function("power", "number number", REAL, "the first to the power of the second")
_function("real", "number", REAL, "as a floating-point number")
_function("days", "duration", INTEGER, "whole days of a duration")
_function("hours", "duration", INTEGER, "whole hours of a duration")
_function("minutes", "duration", INTEGER, "whole minutes of a duration")
_function("year", "date", INTEGER, "the year of a date")
_function("month", "date", INTEGER, "the month of a date, 1 to 12")
_function("day", "date", INTEGER, "the day of the month, 1 to 31")
_function("weekday", "date", INTEGER, "the weekday of a date, 1 (Monday) to 7 (ISO 8601)")
_function("age", "date date", INTEGER, "full years from a date to another one, or to today", least=1)
_function("date", "date", DATE, "the day of a date and time")
_function("quarter", "date", INTEGER, "the quarter of the year, 1 to 4")
_function("iso_week", "date", INTEGER, "the week of the year, 1 to 53 (ISO 8601)")
_function("month_start", "date", DATE, "the first day of the month")
_function("month_end", "date", DATE, "the last day of the month")
_function("working_days", "date date", INTEGER, "days from Monday to Friday, from the first date to before the second")
_function("upper", "text", TEXT, "in capitals")
_function("lower", "text", TEXT, "in small letters")
_function("trim", "text", TEXT, "without blanks at both ends")
_function("length", "text", INTEGER, "the number of characters")
_function("left", "text integer", TEXT, "the first characters, that many")
_function("right", "text integer", TEXT, "the last characters, that many")
_function("replace", "text constant constant", TEXT, "every occurrence of the second text replaced by the third")
_function("contains", "text constant", BOOLEAN, "whether the second text occurs in the first")
_function("title", "text", TEXT, "every word with a capital")
_function("plain", "text", TEXT, "letters without accents and other marks")
_function("slug", "text", TEXT, "small letters and digits, with hyphens between words")
_function("initials", "text", TEXT, "the first letter of every word")
_function("collapse", "text", TEXT, "one blank for every run of blanks, none at the ends; no-break spaces count too")
_function("digits", "text", TEXT, "only the digits")
_function("count", "text constant", INTEGER, "how often the second text occurs in the first")
_function("pad", "text literal constant", TEXT, "filled up in front to that width")
_function("between", "text constant constant", TEXT, "what stands between two marks; missing without both of them")
_function("text", "any", TEXT, "as text, in the standard form of its type")
_function("coalesce", "any any", _common, "the first of its arguments that is not null", most=20)
