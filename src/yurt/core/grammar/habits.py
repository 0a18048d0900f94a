"""Habits from other languages behind a mistake: what was written, and the correct form."""

from __future__ import annotations

import re

from yurt.core.base.data_classes import dataclass
from yurt.core.grammar.words import CLAUSES, HEADS
from yurt.core.model.words import EXPRESSION_WORDS
from yurt.core.source.yaml_nodes import QUOTE_ADVICE

SMALL_WORDS = ("on", "from", "step", "per")
LOOKALIKES = {
    "\u201c": '"', "\u201d": '"', "\u201e": '"', "\u2018": "'", "\u2019": "'", "\u2013": "-", "\u2014": "-",
    "\u2212": "-", "\u00a0": " ", "\u2026": "...", "\u00d7": "*",
}  # fmt: skip
# Types of other languages and programs, and the types of this one.
ELSEWHERE = {
    **dict.fromkeys(("bool", "bit", "logical", "yes-no", "truth-value", "flag"), "boolean"),
    **dict.fromkeys(("int", "long", "bigint", "smallint", "tinyint", "int32", "int64", "whole"), "integer"),
    **dict.fromkeys(("float", "double", "real", "numeric", "money", "fixed", "float64"), "decimal"),
    **dict.fromkeys(("string", "str", "varchar", "char", "nvarchar", "clob", "character"), "text"),
    **dict.fromkeys(("timestamp", "date-time", "datetime2", "timestamptz"), "datetime"),
    **dict.fromkeys(("interval", "timespan", "timedelta"), "duration"),
    **dict.fromkeys(("guid", "uniqueidentifier"), "uuid"),
    **dict.fromkeys(("enum", "choice", "select", "oneof", "options", "values"), "one of a | b"),
    **dict.fromkeys(("regex", "regexp", "re", "matches"), "/[A-Z]{3}/"),
    **dict.fromkeys(("array", "vector", "repeated"), "list 1..3 of integer 1..9"),
    **dict.fromkeys(("autoincrement", "auto-increment", "serial", "identity", "counter", "increment"), "sequence"),
    **dict.fromkeys(("fk", "foreign-key", "reference", "references", "foreign"), "ref RECORD"),
    **dict.fromkeys(("blob", "bytea", "varbinary"), "bytes"),
}
AGO = re.compile(r"(date|datetime) (?:in the )?(last|past|previous|next) (\d+) (day|week|month|year)s?\b")
UNITS = {"day": "d", "week": "w", "month": "mo", "year": "y"}
BETWEEN = re.compile(r"([a-z]+) between (\S+) and (\S+)")
SIZED = re.compile(r"(text|string|varchar|char|decimal|numeric)\((\d{1,4})(?:, *(\d{1,2}))?\)")
WEIGHTED = re.compile(r"[^:|]+: *\d+%?(?: *\|[^:|]+: *\d+%?)+ *$")


@dataclass(frozen=True)
class Habit:
    """A form that people write by habit, and the correct one; `start` and `end` are offsets in the phrase."""

    message: str
    hint: str
    start: int
    end: int


def habit_behind(phrase: str, at: int, cut: str | None, names: list[str]) -> Habit | None:
    """Recognise a habit behind a mistake at `at`."""
    rest = phrase[at:]
    here = (at, at + len(word_at(phrase, at)))
    lookalike = next((place for place, char in enumerate(phrase) if char in LOOKALIKES), None)
    if lookalike is not None:
        char = phrase[lookalike]
        message = f"`{char}` is a typographic character"
        return Habit(message, f"write `{LOOKALIKES[char]}` instead", lookalike, lookalike + 1)
    if cut is not None:
        end = len(phrase)
        return Habit(f"YAML cut this value at ` #{cut[:20]}`, as a comment", QUOTE_ADVICE, end, end)
    if found := AGO.match(phrase):
        return Habit(f"`{found.group()}` is not a range of days", _around_today(found), *found.span())
    if found := BETWEEN.match(phrase):
        return Habit(
            "`between … and …` is not a range", f"a range is written {found[1]} {found[2]}..{found[3]}", *found.span()
        )
    if found := SIZED.match(phrase):
        return Habit(f"`{found.group()}` is not a type", _sized(found[1], found[2], found[3]), *found.span())
    if (found := WEIGHTED.match(phrase)) and ":" in rest:
        return Habit("a list of values begins with `one of`", f"write `one of {_weighted(phrase)}`", *found.span())
    unit, number = re.match(r"[a-z]\w*", rest), re.search(r"\d+(\.\d+)?\s*$", phrase[max(at - 40, 0) : at])
    if unit and number and unit.group() not in (*CLAUSES, *HEADS, *SMALL_WORDS, *EXPRESSION_WORDS):
        written = number.group().strip() + unit.group()
        return Habit(f"`{written}` is not a duration", "units are y mo w d h min s ms: 3mo, 14d, 90min", *here)
    if found := re.search(r"\b(\d{4})-(\d{1,2})-(\d{1,2})\b", phrase):
        padded = f"{found[1]}-{int(found[2]):02}-{int(found[3]):02}"
        if padded != found.group():
            return Habit(f"`{found.group()}` is not a date", f"write {padded}", *found.span())
    elif found := re.search(r"(?<![\w.])(\d+)\s*-\s*(\d+)(?![\w.])", phrase):
        return Habit(f"`{found.group()}` is not a range", f"a range is written {found[1]}..{found[2]}", *found.span())
    if re.match(r"=(?!=)", rest):
        return Habit("`=` does not compare", "write `==`", *here)
    if found := re.match(r"&&|\|\||!(?!=)", rest):
        return Habit(f"`{found.group()}` is not an operator here", "write and, or, not", *here)
    if rest.startswith("%"):
        return Habit("`%` is not an operator", "the remainder is written mod(a, b)", *here)
    if rest.startswith("/") and "REGEX" in names:
        return Habit("a pattern without its closing `/`", "a pattern is written between slashes: /[A-Z]{3}/", *here)
    if rest[:1] in ('"', "'"):
        return Habit("a quote that is never closed", 'close it, or write the quote itself as \\"', *here)
    return None


def word_at(phrase: str, at: int) -> str:
    """Return the word or sign that begins at an offset."""
    found = re.compile(r"[\w-]+|\S").match(phrase, at)
    return found.group() if found else ""


def written_here(word: str) -> str | None:
    """Return the hint for a type with the name that another language gives it, or None."""
    plain = word.casefold().replace("_", "-").replace(" ", "-")
    if plain == "number":
        return "write `integer` or `decimal`"
    found = ELSEWHERE.get(plain)
    if found is None:
        return None
    return f"did you mean `{found}`?" if found in HEADS else f"write `{found}`"


def _around_today(found: re.Match[str]) -> str:
    length = found[3] + UNITS[found[4]]
    return f"write `{found[1]} " + (f"today..today+{length}`" if found[2] == "next" else f"today-{length}..today`")


def _sized(name: str, size: str, places: str | None) -> str:
    if name not in ("decimal", "numeric"):
        return f"write the shortest and the longest length: `text 1..{size}`"
    after = int(places or 0)
    whole = "9" * max(int(size) - after, 1)
    written = f"decimal 0.{'0' * after}..{whole}.{'9' * after}" if after else f"integer 0..{whole}"
    return f"write the range: `{written}`"


def _weighted(phrase: str) -> str:
    """Return the correct form of `a:3 | b:2`."""
    parts = [each.rpartition(":") for each in phrase.split("|")]
    return " | ".join(f"{name.strip()}{'' if '%' in weight else ' *'} {weight.strip()}" for name, _, weight in parts)
