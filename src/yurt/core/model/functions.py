"""The functions of expressions: what they take, give and mean. How they are computed is in `engine/functions/`."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from yurt.core.base.types import BOOLEAN, DATE, DATETIME, INTEGER, NESTED, NULL, REAL, TEXT, TIME, Type, decimal, unify
from yurt.core.model.expressions import Expression, Literal
from yurt.core.text import display

MAX_ROUNDING = 12
Gives = Callable[[list[Type], tuple[Expression, ...]], Type | None]


@dataclass(frozen=True, slots=True)
class Function:
    """A function.

    `takes` are type families; `any` fits all, `constant` is a text and `literal` a number written out, `field` a field
    of the record. The last may repeat when `most` is larger. `example` is a call that stands for itself.
    """

    name: str
    group: str
    takes: tuple[str, ...]
    gives: Gives
    meaning: str
    example: str
    least: int
    most: int

    @property
    def shape(self) -> str:
        """How it is called."""
        names = {"constant": '"…"', "literal": "n"}
        return f"{self.name}({', '.join(names.get(each, each) for each in self.takes)})"


# Functions of a row's siblings; the engine has them in `siblings.py`, since they look at other rows.
OF_SIBLINGS = ("ordinal", "previous", "running")
FUNCTIONS: dict[str, Function] = {}


def _function(
    name: str, takes: str, gives: Type | Gives, meaning: str, example: str, least: int | None = None,
    most: int | None = None,
) -> None:  # fmt: skip
    families = tuple(takes.split())
    typed = gives if callable(gives) else lambda _types, _arguments: gives
    least = len(families) if least is None else least
    most = len(families) if most is None else most
    FUNCTIONS[name] = Function(name, _group[0], families, typed, meaning, example, least, most)


_group = [""]


def search(word: str) -> list[Function]:
    """Return the functions whose name, group or meaning has the word in it; those with it in the name come first."""
    wanted = word.casefold()
    found = [each for each in FUNCTIONS.values() if wanted in f"{each.name} {each.group} {each.meaning}".casefold()]
    return sorted(found, key=lambda each: wanted not in each.name)


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


def _formatted(types: list[Type], arguments: tuple[Expression, ...]) -> Type | None:
    """A pattern must fit the values, as in the clause `as`."""
    try:
        display.check(str(getattr(arguments[1], "value", "")), types[0])
    except display.NotShown:
        return None
    return TEXT


def _of_values(gives: Type) -> Gives:
    """Lists of records have no values to join or compare."""
    return lambda types, _arguments: None if types[0].of == NESTED else gives


def _summed(types: list[Type], _arguments: tuple[Expression, ...]) -> Type | None:
    """Sums are exact, so there is none of floating-point numbers."""
    return types[0] if types[0].name in ("integer", "decimal", "days", "duration") else None


_group[0] = "numbers"
_function(
    "round",
    "number integer",
    _rounded,
    "to that many places (0 to 12), halves away from zero",
    "round(2.345, 2)",
    least=1,
)
_function(
    "round_even",
    "number literal",
    _rounded,
    "to that many places, halves to the even neighbour",
    "round_even(2.345, 2)",
    least=1,
)
_function("floor", "number", INTEGER, "the whole number below or equal", "floor(2.7)")
_function("ceil", "number", INTEGER, "the whole number above or equal", "ceil(2.1)")
_function("abs", "number", _same, "without the sign", "abs(-3)")
_function("mod", "number number", _common, "the remainder of a division, with the sign of the divisor", "mod(17, 5)")
_function("min", "any any", _common, "the smallest of its arguments", "min(3, 1, 2)", most=20)
_function("max", "any any", _common, "the largest of its arguments", "max(3, 1, 2)", most=20)
_function(
    "clamp", "any any any", _common, "the first, but not below the second and not above the third", "clamp(12, 1, 6)"
)
_function("sqrt", "number", REAL, "the square root", "sqrt(2)")
_function("exp", "number", REAL, "e to that power", "exp(1)")
_function("log", "number number", REAL, "the natural logarithm, or that to another base", "log(8, 2)", least=1)
_function("power", "number number", REAL, "the first to the power of the second", "power(2, 10)")
_function("real", "number", REAL, "as a floating-point number", "real(3)")
_function("number", "text", REAL, "the first decimal number in a text; missing without one", 'number("about 12.5 km")')

_group[0] = "dates"
_function("year", "date", INTEGER, "the year of a date", "year(2026-06-15)")
_function("quarter", "date", INTEGER, "the quarter of the year, 1 to 4", "quarter(2026-06-15)")
_function("month", "date", INTEGER, "the month of a date, 1 to 12", "month(2026-06-15)")
_function("iso_week", "date", INTEGER, "the week of the year, 1 to 53 (ISO 8601)", "iso_week(2026-06-15)")
_function("day", "date", INTEGER, "the day of the month, 1 to 31", "day(2026-06-15)")
_function("weekday", "date", INTEGER, "the weekday of a date, 1 (Monday) to 7 (ISO 8601)", "weekday(2026-06-15)")
_function("hour", "date", INTEGER, "the hour of a date and time, 0 to 23", "hour(2026-06-15T08:30)")
_function(
    "age",
    "date date",
    INTEGER,
    "full years from a date to another one, or to today",
    "age(2000-06-15, 2026-06-14)",
    least=1,
)
_function("date", "date", DATE, "the day of a date and time", "date(2026-06-15T08:30)")
_function("time", "date", TIME, "the time of day of a date and time", "time(2026-06-15T08:30)")
_function("at", "date time", DATETIME, "a day and a time of day together", "at(2026-06-15, 08:30)")
_function("week_start", "date", DATE, "the Monday of the week", "week_start(2026-06-18)")
_function("month_start", "date", DATE, "the first day of the month", "month_start(2026-06-15)")
_function("month_end", "date", DATE, "the last day of the month", "month_end(2026-02-15)")
_function("year_start", "date", DATE, "the first day of the year", "year_start(2026-06-15)")
_function("year_end", "date", DATE, "the last day of the year", "year_end(2026-06-15)")
_function(
    "working_days",
    "date date",
    INTEGER,
    "days from Monday to Friday, from the first date to before the second",
    "working_days(2026-06-15, 2026-06-22)",
)
_function(
    "add_working_days",
    "date integer",
    DATE,
    "so many days from Monday to Friday later",
    "add_working_days(2026-06-19, 1)",
)
_function("days", "duration", INTEGER, "whole days of a duration", "days(2026-06-15 - 2026-06-01)")
_function("hours", "duration", INTEGER, "whole hours of a duration", "hours(90min)")
_function("minutes", "duration", INTEGER, "whole minutes of a duration", "minutes(2h)")
_function("seconds", "duration", INTEGER, "whole seconds of a duration", "seconds(2min)")

_group[0] = "texts"
_function("upper", "text", TEXT, "in capitals", 'upper("hut")')
_function("lower", "text", TEXT, "in small letters", 'lower("HUT")')
_function("title", "text", TEXT, "every word with a capital", 'title("upper hut")')
_function("trim", "text", TEXT, "without blanks at both ends", 'trim("  hut ")')
_function(
    "collapse",
    "text",
    TEXT,
    "one blank for every run of blanks, none at the ends; no-break spaces count too",
    'collapse(" upper   hut ")',
)
_function("length", "text", INTEGER, "the number of characters", 'length("hut")')
_function("left", "text integer", TEXT, "the first characters, that many", 'left("summit", 3)')
_function("right", "text integer", TEXT, "the last characters, that many", 'right("summit", 3)')
_function(
    "cut",
    "text literal literal",
    TEXT,
    "the characters from one place to another, counted from 1",
    'cut("HK-402", 4, 6)',
)
_function(
    "between",
    "text constant constant",
    TEXT,
    "what stands between two marks; missing without both of them",
    'between("hut [12]", "[", "]")',
)
_function(
    "replace",
    "text constant constant",
    TEXT,
    "every occurrence of the second text replaced by the third",
    'replace("a-b", "-", "_")',
)
_function(
    "contains", "text constant", BOOLEAN, "whether the second text occurs in the first", 'contains("summit", "mm")'
)
_function("starts", "text constant", BOOLEAN, "whether a text begins with another", 'starts("summit", "su")')
_function("ends", "text constant", BOOLEAN, "whether a text ends with another", 'ends("summit", "it")')
_function("count", "text constant", INTEGER, "how often the second text occurs in the first", 'count("banana", "an")')
_function("pad", "text literal constant", TEXT, "filled up in front to that width", 'pad("7", 3, "0")')
_function("pad_end", "text literal constant", TEXT, "filled up behind to that width", 'pad_end("7", 3, ".")')
_function("plain", "text", TEXT, "letters without accents and other marks", 'plain("Žiga Größe")')
_function("slug", "text", TEXT, "small letters and digits, with hyphens between words", 'slug("Žiga Größe")')
_function("initials", "text", TEXT, "the first letter of every word", 'initials("Anna de Luca")')
_function("digits", "text", TEXT, "only the digits", 'digits("HK-402")')
_function(
    "printable",
    "text",
    TEXT,
    "without characters that do not print: control characters, zero-width ones",
    r'printable("a\u{200B}b")',
)
_function(
    "unbracketed",
    "text",
    TEXT,
    "without parts in brackets, and the blank before them",
    'unbracketed("Upper Hut (closed)")',
)
_function("text", "any", TEXT, "as text, in the standard form of its type", "text(1.50)")
_function(
    "format",
    "any constant",
    _formatted,
    "as text, like an example or a date pattern (see the clause `as`)",
    'format(1234.5, "1,000.00")',
)
_function(
    "luhn", "text", TEXT, "the check digit of the digits in a text (ISO/IEC 7812-1, annex B)", 'luhn("7992739871")'
)
_function("mod11", "text", TEXT, "the check character of the digits in a text (ISO 7064, MOD 11-2)", 'mod11("0794")')
_function("mod97", "text", TEXT, "the two check digits of digits and letters (ISO 7064, MOD 97-10)", 'mod97("794")')
_function("crc32", "text", INTEGER, "the checksum of a text's bytes in UTF-8 (ISO 3309)", 'crc32("hut")')
_function(
    "sha256",
    "text",
    TEXT,
    "the hash of a text's bytes in UTF-8, in hexadecimal digits (FIPS 180-4)",
    'left(sha256("hut"), 12)',
)

_group[0] = "lists"
_function("size", "list", INTEGER, "how many values a list has", "")
_function("join", "list constant", _of_values(TEXT), "the values of a list as one text, with a text between them", "")
_function("has", "list any", _of_values(BOOLEAN), "whether a value is among those of a list", "")

_group[0] = "any value"
_function("coalesce", "any any", _common, "the first of its arguments that is not null", "coalesce(null, 3)", most=20)

_group[0] = "rows of the same parent"
_function("ordinal", "", INTEGER, "which of its parent's rows a row is, from 1", "")
_function(
    "previous", "field any", _common, "a field of the row before, of the same parent; else the second", "", least=1
)
_function("running", "field", _summed, "the sum of a field over its parent's rows so far, this one included", "")
