"""Proves that no value of a few rows stands in a draft: free texts, names, keys, and whatever is rare."""

from __future__ import annotations

import re
from datetime import date, timedelta
from decimal import Decimal

from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import TEXT
from yurt.core.distributions.registry import all_distributions
from yurt.core.drafting.finding.rounding import round_start
from yurt.core.drafting.lists import elements_of
from yurt.core.drafting.samples.column import Column
from yurt.core.drafting.samples.reading import Sample
from yurt.core.grammar.words import CLAUSES, HEADS
from yurt.core.kinds.catalogue import KINDS

# Texts of fewer characters say nothing: `A`, `12`.
SHORTEST = 3
NAMES = "|".join(name for name in all_distributions())
OF_ALL = re.compile(rf"\b({NAMES})\([^()]*\)|\btracks \w+ by -?[\d.]+|\b\d+(\.\d+)?%")
WORDS = re.compile(r"[^\W_](?:[\w.:+-]*[^\W_])?")
DAY = re.compile(r"\d{4}-\d\d-\d\d")
CLOCK = re.compile(r"\d\d:\d\d(:00)?")


@dataclass(frozen=True)
class Leak:
    """A value of few rows that stands in the schema: the record type and the field that it is from, and the value."""

    record: str
    field: str
    value: str


def leaks(text: str, samples: list[Sample], least: int) -> list[Leak]:
    """Return the values of fewer than `least` rows that a schema contains as a word, a quoted text, or an item.

    Round numbers, times, and the first and last days of weeks and months stand for many values: they end ranges.
    """
    parts = _parts(_without_names(text)) - _names(text)
    found = []
    for sample in samples:
        for column in sample.columns.values():
            found += [Leak(sample.record, column.name, each) for each in _rare(column, sample, least, parts)]
    return found


def _without_names(text: str) -> str:
    """Return the lines without comments, names of fields and record types, and what stands before the record types."""
    lines = []
    for line in text.split("\n"):
        bare = re.sub(r"(^| )#.*$", "", line)
        if re.match(r"(yurt|title|locale|today|seed): ?", bare):
            continue
        bare = re.sub(r"sequence from (\d+)", lambda own: "" if round_start(int(own[1])) else own[0], bare)
        # Arguments of distributions, correlations, and shares are of all rows together.
        bare = re.sub(OF_ALL, "", bare)
        lines.append(re.sub(r"^\s*'?[^\W\d]\w*'?:( |$)", "", bare))
    return "\n".join(lines)


def _names(text: str) -> set[str]:
    """Return the names of fields, record types, and columns of lists, which expressions use."""
    return set(re.findall(r"(?m)^\s*(?:- \{)?'?([^\W\d]\w*)'?:", text)) | set(re.findall(r"[{,] *([^\W\d]\w*): ", text))


def _parts(text: str) -> set[str]:
    """Return everything in a schema that could be a value: words, numbers, quoted texts, items of lists, cells."""
    found = set(WORDS.findall(text))
    found |= {each for pair in re.findall(r"\"((?:\\.|[^\"\\])*)\"|'((?:[^']|'')*)'", text) for each in pair}
    found |= {re.sub(r"\s+\d+(\.\d+)?%$", "", each.strip()) for each in re.split(r"one of|[|,{}\n:]|\.\.", text)}
    return found - {""}


def _rare(column: Column, sample: Sample, least: int, parts: set[str]) -> list[str]:
    if (elements := elements_of(column)) is not None:
        counts: dict[str, int] = {}
        for each in elements.values:
            counts[str(each)] = counts.get(str(each), 0) + 1
        return [word for word, count in counts.items() if count < least and _tells(word, column) and word in parts]
    if column.raw.objects is not None:
        return []
    words, counts_of = column.words.words, column.words.counts
    return [
        word for word, count in zip(words, counts_of.tolist(), strict=True)
        if count < least and _tells(word, column) and word in parts
    ]  # fmt: skip


def _tells(word: str, column: Column) -> bool:
    """Return whether a value tells more than a range."""
    if len(word) < SHORTEST:
        return False
    if column.type == TEXT:
        return not re.fullmatch(r"[a-z]+", word) or word not in LANGUAGE
    if DAY.match(word):
        day = date.fromisoformat(word[:10])
        return not (day.day == 1 or (day + timedelta(1)).day == 1 or day.weekday() in (0, 6))
    return not (_round(word) or _round(_next(word)) or CLOCK.fullmatch(word))


def _round(word: str) -> bool:
    """Return whether a number stands for many: at most two digits that count, or a multiple of 5 of its last place."""
    digits = word.lstrip("-").replace(".", "").strip("0")
    return (digits.isdecimal() and (len(digits) <= 2 or word[-1] in "05")) or not digits


def _next(word: str) -> str:
    """Return the next number of as many places: the interval before a round number ends one step below it."""
    if not re.fullmatch(r"-?\d+(\.\d+)?", word):
        return word
    number = Decimal(word)
    return str(number + Decimal(1).scaleb(int(number.as_tuple().exponent)))


def _language() -> frozenset[str]:
    phrases = [
        *CLAUSES,
        *HEADS,
        *KINDS,
        "per one of if not null true false from value sequence step zone upper lower digit",
    ]
    return frozenset(word for each in phrases for word in re.split(r"[ -]", each))


class _Language:
    """The words of the language, read when they are first needed."""

    def __init__(self) -> None:
        self._words: frozenset[str] | None = None

    def __contains__(self, word: str) -> bool:
        if self._words is None:
            self._words = _language()
        return word in self._words


LANGUAGE = _Language()
