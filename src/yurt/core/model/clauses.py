"""The clauses of a phrase: what is usual among the allowed values, which of them are left, how they are written."""

from __future__ import annotations

from dataclasses import dataclass

from yurt.core.model.expressions import Expression
from yurt.core.model.ranges import Range
from yurt.core.source.diagnostics import NOWHERE, Span


@dataclass(frozen=True, slots=True)
class NamedDistribution:
    """A distribution by its name."""

    name: str
    arguments: tuple[Expression, ...] = ()
    span: Span = NOWHERE


@dataclass(frozen=True, slots=True)
class Histogram:
    """Stretches of values, each with its share (which add up to 1); inside a stretch every value is equally likely."""

    buckets: tuple[tuple[Range, float], ...]
    span: Span = NOWHERE

    @property
    def name(self) -> str:
        return "histogram"


@dataclass(frozen=True, slots=True)
class Mixture:
    """Several distributions, each taken in its share of the rows."""

    parts: tuple[tuple[NamedDistribution | Histogram, float], ...]
    span: Span = NOWHERE

    @property
    def name(self) -> str:
        return "a mixture"


@dataclass(frozen=True, slots=True)
class Profile:
    """How frequent each hour, weekday (from Monday) and month is, in comparison with the others of its sort."""

    hours: tuple[float, ...] = (1.0,) * 24
    weekdays: tuple[float, ...] = (1.0,) * 7
    months: tuple[float, ...] = (1.0,) * 12
    span: Span = NOWHERE

    @property
    def name(self) -> str:
        return "a profile"


@dataclass(frozen=True, slots=True)
class Empirical:
    """As the values of a column of a value list are distributed."""

    list: str
    column: str
    span: Span = NOWHERE

    @property
    def name(self) -> str:
        return "like a column"


Usual = NamedDistribution | Histogram | Mixture | Profile | Empirical


@dataclass(frozen=True, slots=True)
class Days:
    """The weekdays (from Monday) and months in which a date is allowed."""

    weekdays: tuple[bool, ...] = (True,) * 7
    months: tuple[bool, ...] = (True,) * 12


@dataclass(frozen=True, slots=True)
class Restriction:
    """What a text must match from end to end, and the characters that it must be without."""

    matching: str | None = None
    without: str = ""
    span: Span = NOWHERE


@dataclass(frozen=True, slots=True)
class Tracks:
    """A rank correlation (Spearman's, -1 to 1) with another field of the record."""

    name: str
    rank: float
    span: Span = NOWHERE


@dataclass(frozen=True, slots=True)
class Shown:
    """How a value is written: a pattern for dates, an example for numbers, two words for Booleans.

    `always` says that formats with types of their own (JSON) hold the text, too.
    """

    pattern: str
    always: bool = False
    span: Span = NOWHERE
