"""The clauses of a phrase: usual values, restrictions of allowed values, written forms."""

from __future__ import annotations

from yurt.core.base.data_classes import dataclass
from yurt.core.model.expressions import Expression
from yurt.core.model.ranges import Range
from yurt.core.model.words import DAYS, MONTHS
from yurt.core.source.diagnostics import NOWHERE, Span


@dataclass(frozen=True)
class NamedDistribution:
    """A distribution by name."""

    name: str
    arguments: tuple[Expression, ...] = ()
    span: Span = NOWHERE


@dataclass(frozen=True)
class Histogram:
    """Intervals of values, each with its share (the shares add up to 1); within an interval all values are equally
    likely.
    """

    buckets: tuple[tuple[Range, float], ...]
    span: Span = NOWHERE

    @property
    def name(self) -> str:
        return "histogram"


@dataclass(frozen=True)
class Mixture:
    """Several distributions, each for its share of the rows."""

    parts: tuple[tuple[NamedDistribution | Histogram, float], ...]
    span: Span = NOWHERE

    @property
    def name(self) -> str:
        return "a mixture"


# Some weekdays or months, and the share that they have together.
Group = tuple[tuple[bool, ...], float]


@dataclass(frozen=True)
class Profile:
    """The weight of each hour, the shares of groups of weekdays and months, and the weight of a day by its weekday.

    Weekdays count from Monday. Without groups, all days have the same share but for their weights.
    """

    hours: tuple[float, ...] = (1.0,) * 24
    weekdays: tuple[Group, ...] = ()
    months: tuple[Group, ...] = ()
    favoured: tuple[float, ...] = (1.0,) * 7
    span: Span = NOWHERE

    @property
    def name(self) -> str:
        return "a profile"


@dataclass(frozen=True)
class Empirical:
    """The same distribution as the values in a column of a value list."""

    list: str
    column: str
    span: Span = NOWHERE

    @property
    def name(self) -> str:
        return "like a column"


Usual = NamedDistribution | Histogram | Mixture | Profile | Empirical


@dataclass(frozen=True)
class Days:
    """The weekdays (from Monday) and months in which a date is allowed.

    The public holidays of the countries in `closed` are not.
    """

    weekdays: tuple[bool, ...] = (True,) * 7
    months: tuple[bool, ...] = (True,) * 12
    closed: tuple[str, ...] = ()

    def __str__(self) -> str:
        """Return the days as the language writes them."""
        parts = [f"on workdays of {' | '.join(self.closed)}"] if self.closed else []
        parts += [
            f"{word} {' | '.join(name for name, each in zip(names, chosen, strict=True) if each)}"
            for chosen, names, word in ((self.weekdays, DAYS, "on"), (self.months, MONTHS, "in"))
            if not all(chosen) and not (self.closed and word == "on")
        ]
        return ", ".join(parts)


@dataclass(frozen=True)
class Restriction:
    """What a text must match from end to end, and the characters it must not contain."""

    matching: str | None = None
    without: str = ""
    span: Span = NOWHERE


@dataclass(frozen=True)
class Tracks:
    """A rank correlation (Spearman's, -1 to 1) with another field of the record."""

    name: str
    rank: float
    span: Span = NOWHERE


@dataclass(frozen=True)
class Shown:
    """The written form of a value: a pattern for dates, an example for numbers, two words for Booleans.

    `always` means that formats with types of their own (JSON) contain the text, too.
    """

    pattern: str
    always: bool = False
    span: Span = NOWHERE
