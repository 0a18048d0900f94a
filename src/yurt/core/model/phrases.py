"""A phrase: a head, which determines what is allowed, with the clauses about its values."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import ClassVar

from yurt.core.base.data_classes import dataclass, fields, is_dataclass
from yurt.core.base.types import Type
from yurt.core.model.clauses import Days, Restriction, Tracks, Usual
from yurt.core.model.expressions import Draw, Duration, Expression, Template
from yurt.core.model.ranges import ItemValue, Range
from yurt.core.patterns.tree import Pattern
from yurt.core.source.diagnostics import NOWHERE, Span


class Head:
    """What a phrase allows. A head that no other room needs to know is defined in its own module of `heads`."""

    __slots__ = ()
    # Whether no two rows have the same value, even without the clause `unique`.
    always_unique: ClassVar[bool] = False


@dataclass(frozen=True)
class Integer(Head):
    """Whole numbers `low`, `low + step`, … up to `high`."""

    range: Range
    step: int = 1


@dataclass(frozen=True)
class DecimalNumber(Head):
    """Exact decimals with `places` digits after the point; `step` counts units of the last place."""

    range: Range
    places: int
    step: int = 1


@dataclass(frozen=True)
class Date(Head):
    """Days."""

    range: Range


@dataclass(frozen=True)
class Time(Head):
    """Times of day, `step` microseconds apart."""

    range: Range
    step: int = 1_000_000


@dataclass(frozen=True)
class DateTime(Head):
    """Date-times on the clock of a zone (or of no zone), `step` microseconds apart."""

    range: Range
    step: int = 1_000_000
    zone: str | None = None


@dataclass(frozen=True)
class DurationRange(Head):
    """Lengths of time (the head `duration`): whole days if `in_days` is set, else `step` microseconds apart."""

    range: Range
    step: int = 1_000_000
    in_days: bool = False


@dataclass(frozen=True)
class Boolean(Head):
    """True or false; true in `share` of the cases (0 to 1)."""

    share: float = 0.5


@dataclass(frozen=True)
class OneOf(Head):
    """A value of a list, with weights that add up to 1."""

    values: tuple[ItemValue, ...]
    weights: tuple[float, ...]
    weighted: bool


@dataclass(frozen=True)
class Matching(Head):
    """Text that a regular expression matches from end to end; `like` and `text 3..20` become this too."""

    pattern: Pattern


@dataclass(frozen=True)
class Sequence(Head):
    """`start`, `start + step`, … by row number."""

    always_unique = True
    start: int = 1
    step: int = 1


@dataclass(frozen=True)
class Bytes(Head):
    """`low` to `high` random bytes, shown in hexadecimal or base64 digits (RFC 4648)."""

    low: int
    high: int
    base64: bool = False


@dataclass(frozen=True)
class Uuid(Head):
    """A UUID (RFC 9562): random (version 4), or beginning with a time (version 7)."""

    always_unique = True
    version: int = 4


@dataclass(frozen=True)
class TimeSeries(Head):
    """A time series: `start`, `start + step`, … among the rows of one parent, or of the whole record type."""

    start: Expression
    step: Duration
    jitter: int = 0


@dataclass(frozen=True)
class FromList(Head):
    """A value of a value list: a column of one of its rows. Fields of one record that name a list share the row."""

    name: str
    column: str


@dataclass(frozen=True)
class FromColumn(Head):
    """The value of a column of an existing file, by the name that the column has there.

    `type` is the data type of the column, which is known only with the file. `zone` is the zone of date-times whose
    values are on the clock of one. `fixes` is what the values fix of a person or place (by `KindOf.about`), if that
    does not follow from the name of the field.
    """

    title: str
    type: Type | None = None
    zone: str | None = None
    fixes: tuple[str, str] | None = None


@dataclass(frozen=True)
class Treatment(Head):
    """What becomes of the values of an existing column.

    `original` reads the column as it is written. Equal values of one `domain` have equal results, in all columns and
    files.
    """

    # The word with which the head begins.
    word: ClassVar[str] = ""
    # Whether the results are written as the originals are: a number without quotes, say.
    keeps_type: ClassVar[bool] = False
    original: Expression | None = None
    domain: str = ""


@dataclass(frozen=True)
class Removed(Treatment):
    """A column that is left out of the output."""

    word = "remove"


@dataclass(frozen=True)
class ListOf(Head):
    """`low` to `high` values of a phrase, all different if they are `distinct`.

    An `unlimited` list may have more, but never does when it is drawn.
    """

    phrase: Phrase
    low: int
    high: int
    distinct: bool = False
    unlimited: bool = False

    @property
    def of_records(self) -> bool:
        """Whether the values are records, with fields of their own."""
        return isinstance(self.phrase.head, Nested)


@dataclass(frozen=True)
class Nested(Head):
    """A nested record. Its fields are fields of the whole record, named by their path: `address.city`."""


@dataclass(frozen=True)
class Reference(Head):
    """The key of a row of another record type."""

    record: str


@dataclass(frozen=True)
class Derived(Head):
    """The value of an expression."""

    expression: Expression | Template


@dataclass(frozen=True)
class KindOf(Head):
    """A value kind of the catalogue, by name; `of` names a person and place other than the record's own.

    `arguments` are the values in parentheses, by parameter; several values of one are a tuple. `locale` names a locale
    other than the record's own, or the field that contains it. `live` lifts the safe ranges. `guessed` means that the
    kind was chosen by the name of the field.
    """

    name: str
    of: str = ""
    guessed: bool = False
    arguments: tuple[tuple[str, tuple[Expression, ...]], ...] = ()
    locale: str = ""
    live: bool = False
    # Aspects of the person and place that other fields fix, for a substitute: those of its own record do not count.
    follows: tuple[tuple[str, Expression], ...] = ()

    @property
    def about(self) -> str:
        """The person and place in question: that of the record (empty), or another one."""
        return f"{self.of}@{self.locale}" if self.locale else self.of


# The heads with a grid of values between two bounds.
Ranged = Integer | DecimalNumber | Date | Time | DateTime | DurationRange


@dataclass(frozen=True)
class Phrase:
    """A head with the clauses about its values."""

    head: Head
    usually: Usual | None = None
    missing: float = 0.0
    missing_if: Expression | None = None
    days: Days | None = None
    outliers: float = 0.0
    narrowed: Restriction | None = None
    tracks: tuple[Tracks, ...] = ()
    in_turn: bool = False
    weighted_by: str | None = None
    distinct: bool = False
    # The kind of the catalogue whose line this phrase is.
    kind: str = ""
    # The texts that are allowed, if the head is only the kind that is usual.
    allowed: Pattern | None = None
    span: Span = NOWHERE

    @cached_property
    def expressions(self) -> tuple[Expression, ...]:
        """The expressions in the phrase, each as a whole."""
        return tuple(expressions_in(self._inside))

    @cached_property
    def phrases(self) -> tuple[Phrase, ...]:
        """This phrase and all inside it."""
        return (self, *phrases_in(self._inside))

    @property
    def _inside(self) -> tuple[object, ...]:
        return tuple(getattr(self, name) for name in _parts(Phrase))


_PARTS: dict[type, tuple[str, ...]] = {}


def _parts(kind: type) -> tuple[str, ...]:
    """Return the attributes of a dataclass that may have phrases or expressions inside."""
    if kind not in _PARTS:
        _PARTS[kind] = (
            tuple(each.name for each in fields(kind)) if is_dataclass(kind) and kind not in (Span, Pattern) else ()
        )
    return _PARTS[kind]


def expressions_in(part: object) -> Iterator[Expression]:
    """Yield the expressions in a phrase, each as a whole."""
    waiting = [part]
    while waiting:
        each = waiting.pop()
        if isinstance(each, Phrase):
            yield from each.expressions
        elif isinstance(each, Expression):
            yield each
        elif type(each) is tuple:
            waiting += reversed(each)
        else:
            waiting += [getattr(each, name) for name in reversed(_parts(type(each)))]


def phrases_in(part: object) -> Iterator[Phrase]:
    """Yield every phrase of a field, including those inside lists and `draw(…)`."""
    waiting = [part]
    while waiting:
        each = waiting.pop()
        if isinstance(each, Phrase):
            yield from each.phrases
        elif type(each) is Draw:
            # Its expressions are those of its phrase.
            waiting.append(each.phrase)
        elif type(each) is tuple:
            waiting += reversed(each)
        else:
            waiting += [getattr(each, name) for name in reversed(_parts(type(each)))]
