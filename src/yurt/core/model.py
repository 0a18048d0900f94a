"""A schema, once read: frozen and complete, with nothing of YAML or of the grammar left in it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, fields, is_dataclass
from datetime import date
from decimal import Decimal
from functools import cached_property

from yurt.core.language.diagnostics import NOWHERE, Source, Span
from yurt.core.language.expressions import Duration, Expression, Template
from yurt.core.patterns.tree import Pattern

ItemValue = str | int | Decimal | bool | date


@dataclass(frozen=True, slots=True)
class Range:
    """Both ends belong to it. An end may be an expression over other fields."""

    low: Expression
    high: Expression


# ---- heads: what is allowed ------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Integer:
    """Whole numbers `low`, `low + step`, … up to `high`."""

    range: Range
    step: int = 1


@dataclass(frozen=True, slots=True)
class DecimalNumber:
    """Exact decimals with `places` digits after the point; `step` counts units of the last place."""

    range: Range
    places: int
    step: int = 1


@dataclass(frozen=True, slots=True)
class Date:
    """Days."""

    range: Range


@dataclass(frozen=True, slots=True)
class Time:
    """Times of day, `step` microseconds apart."""

    range: Range
    step: int = 1_000_000


@dataclass(frozen=True, slots=True)
class DateTime:
    """Moments on the clock of a zone (or of no zone), `step` microseconds apart."""

    range: Range
    step: int = 1_000_000
    zone: str | None = None


@dataclass(frozen=True, slots=True)
class Lasting:
    """Lengths of time (the head `duration`): whole days when `in_days`, else `step` microseconds apart."""

    range: Range
    step: int = 1_000_000
    in_days: bool = False


@dataclass(frozen=True, slots=True)
class Boolean:
    """True or false; true in `share` of the cases (0 to 1)."""

    share: float = 0.5


@dataclass(frozen=True, slots=True)
class OneOf:
    """A value of a list, with weights that add up to 1."""

    values: tuple[ItemValue, ...]
    weights: tuple[float, ...]
    weighted: bool


@dataclass(frozen=True, slots=True)
class Matching:
    """Text that a regular expression matches from end to end; `like` and `text 3..20` are read into this too."""

    pattern: Pattern


@dataclass(frozen=True, slots=True)
class Sequence:
    """`start`, `start + step`, … by row number."""

    start: int = 1
    step: int = 1


@dataclass(frozen=True, slots=True)
class Bytes:
    """`low` to `high` random bytes, shown in hexadecimal or base64 digits (RFC 4648)."""

    low: int
    high: int
    base64: bool = False


@dataclass(frozen=True, slots=True)
class Uuid:
    """A UUID (RFC 9562): random (version 4), or beginning with a time (version 7)."""

    version: int = 4


@dataclass(frozen=True, slots=True)
class Every:
    """A time series: `start`, `start + step`, … among the rows of one parent, or of the whole record type."""

    start: Expression
    step: Duration
    jitter: int = 0


@dataclass(frozen=True, slots=True)
class FromList:
    """A value of a value list: a column of one of its rows. Fields of one record that name a list share the row."""

    name: str
    column: str


@dataclass(frozen=True, slots=True)
class ListOf:
    """`low` to `high` values of a phrase; no two of them the same when they are `distinct`."""

    phrase: Phrase
    low: int
    high: int
    distinct: bool = False

    @property
    def of_records(self) -> bool:
        """Whether the values are records, with fields of their own."""
        return isinstance(self.phrase.head, Nested)


@dataclass(frozen=True, slots=True)
class Nested:
    """A record inside a record. Its fields are fields of the whole record, named by their path: `address.city`."""


@dataclass(frozen=True, slots=True)
class Reference:
    """The key of a row of another record type."""

    record: str


@dataclass(frozen=True, slots=True)
class Derived:
    """The value of an expression."""

    expression: Expression | Template


@dataclass(frozen=True, slots=True)
class KindOf:
    """A value kind of the catalogue, by name; `of` names another person and place than the record's own.

    `arguments` are what stands in parentheses, by parameter; several values of one stand in a tuple. `locale` names
    another locale than the record's own, or the field that has it. `live` lifts the safe ranges. `guessed` says that
    the name of the field has chosen the kind.
    """

    name: str
    of: str = ""
    guessed: bool = False
    arguments: tuple[tuple[str, tuple[Expression, ...]], ...] = ()
    locale: str = ""
    live: bool = False

    @property
    def about(self) -> str:
        """The person and place that are spoken of: that of the record (empty), or another one."""
        return f"{self.of}@{self.locale}" if self.locale else self.of


Head = (
    Integer | DecimalNumber | Date | Time | DateTime | Lasting | Boolean | OneOf | Matching | Bytes | Sequence | Uuid
    | Every | FromList | ListOf | Nested | Reference | Derived | KindOf
)  # fmt: skip
# The heads that are a grid of values between two bounds.
Ranged = Integer | DecimalNumber | Date | Time | DateTime | Lasting


# ---- clauses: what is usual ------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Usually:
    """A distribution by its name."""

    name: str
    arguments: tuple[Expression, ...] = ()
    span: Span = NOWHERE


@dataclass(frozen=True, slots=True)
class Histogram:
    """Stretches of values, each with its share (which add up to 1); inside a stretch every value is alike."""

    buckets: tuple[tuple[Range, float], ...]
    span: Span = NOWHERE

    @property
    def name(self) -> str:
        return "histogram"


@dataclass(frozen=True, slots=True)
class Mixture:
    """Several distributions, each taken in its share of the rows."""

    parts: tuple[tuple[Usually | Histogram, float], ...]
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


Usual = Usually | Histogram | Mixture | Profile | Empirical


@dataclass(frozen=True, slots=True)
class Days:
    """The weekdays (from Monday) and months in which a date is allowed."""

    weekdays: tuple[bool, ...] = (True,) * 7
    months: tuple[bool, ...] = (True,) * 12


@dataclass(frozen=True, slots=True)
class Narrowing:
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
class Phrase:
    """A head with the clauses that belong to its values."""

    head: Head
    usually: Usual | None = None
    missing: float = 0.0
    missing_if: Expression | None = None
    days: Days | None = None
    outliers: float = 0.0
    narrowed: Narrowing | None = None
    tracks: tuple[Tracks, ...] = ()
    in_turn: bool = False
    weighted_by: str | None = None
    distinct: bool = False
    # The kind of the catalogue that the phrase is the line of.
    kind: str = ""
    span: Span = NOWHERE


@dataclass(frozen=True, slots=True)
class Shown:
    """How a value is written: a pattern for dates, an example for numbers, two words for truth values.

    `always` says that formats with types of their own (JSON) hold the text, too.
    """

    pattern: str
    always: bool = False
    span: Span = NOWHERE


def expressions_in(part: object) -> Iterator[Expression]:
    """Yield the expressions that stand in a phrase, each as a whole."""
    if isinstance(part, Expression):
        yield part
    elif isinstance(part, tuple):
        for each in part:
            yield from expressions_in(each)
    elif is_dataclass(part) and not isinstance(part, Span | Pattern):
        for each in fields(part):
            yield from expressions_in(getattr(part, each.name))


def phrases_in(part: object) -> Iterator[Phrase]:
    """Yield every phrase of a field, those inside lists and `some(…)` too."""
    if isinstance(part, Phrase):
        yield part
    if isinstance(part, tuple):
        for each in part:
            yield from phrases_in(each)
    elif is_dataclass(part) and not isinstance(part, Span | Pattern):
        for each in fields(part):
            yield from phrases_in(getattr(part, each.name))


@dataclass(frozen=True, slots=True)
class Table:
    """Rows of (condition, phrase): the first condition that holds decides; None stands for `else`.

    In a table of values, `by` is what has them, and every condition asks whether it is among some of them.
    """

    rows: tuple[tuple[Expression | None, Phrase], ...]
    by: Expression | None = None


@dataclass(frozen=True, slots=True)
class Told:
    """A value that the schema says to be accepted or rejected, as it is written, with the reason."""

    text: str
    accept: bool
    reason: str
    span: Span = NOWHERE


@dataclass(frozen=True, slots=True)
class Field:
    """One field of a record."""

    name: str
    body: Phrase | Table
    unique: bool = False
    hidden: bool = False
    optional: bool = False
    only_if: Expression | None = None
    named: str | None = None
    shown: Shown | None = None
    told: tuple[Told, ...] = ()
    span: Span = NOWHERE

    @property
    def title(self) -> str:
        """The name that the output has for the field, without those of the records around it."""
        return self.named if self.named is not None else self.name.rpartition(".")[2]

    @property
    def parent(self) -> str:
        """The name of the nested record that the field is in; empty for the record itself."""
        return self.name.rpartition(".")[0]

    @property
    def phrases(self) -> tuple[Phrase, ...]:
        """The phrases that may give this field its value."""
        return (self.body,) if isinstance(self.body, Phrase) else tuple(phrase for _, phrase in self.body.rows)

    @property
    def head(self) -> Head | None:
        """The head, when there is one for all rows."""
        return self.body.head if isinstance(self.body, Phrase) else None


@dataclass(frozen=True, slots=True)
class Count:
    """How many rows: `low` to `high`, for the whole record type or for each row of `per`.

    With `combinations`, as many as these fields have values together: each combination comes once.
    """

    low: int
    high: int
    per: str | None = None
    usually: Usual | None = None
    combinations: tuple[str, ...] = ()
    span: Span = NOWHERE


@dataclass(frozen=True)
class Record:
    """A record type."""

    name: str
    count: Count
    fields: tuple[Field, ...]
    always: tuple[Expression, ...] = ()
    key_name: str | None = None
    unique: tuple[tuple[str, ...], ...] = ()
    locales: tuple[tuple[str, float], ...] = ()
    locale_from: str = ""
    span: Span = NOWHERE

    @cached_property
    def by_name(self) -> dict[str, Field]:
        return {each.name: each for each in self.fields}

    @cached_property
    def lists(self) -> tuple[str, ...]:
        """The fields that are lists of records, whose fields have as many values as the list."""
        return tuple(each.name for each in self.fields if isinstance(each.head, ListOf) and each.head.of_records)

    def titles(self, name: str) -> tuple[str, ...]:
        """Return the names that the output has on the way to a field: those of the records around it, and its own."""
        parts = name.split(".")
        return tuple(self.by_name[".".join(parts[: at + 1])].title for at in range(len(parts)))

    def list_around(self, name: str) -> str | None:
        """Return the innermost list of records that a field is in; None for a field of the record itself."""
        return max((each for each in self.lists if name.startswith(each + ".")), key=len, default=None)

    @cached_property
    def key(self) -> Field | None:
        """The field that `ref` holds: the one named by `key:`, else the first that is unique by its nature."""
        if self.key_name is not None:
            return self.by_name.get(self.key_name)
        unique = (each for each in self.fields if each.unique or isinstance(each.head, Sequence | Uuid))
        return next((each for each in unique if self.list_around(each.name) is None), None)

    @cached_property
    def parent_field(self) -> Field | None:
        """In a record counted per parent: the reference that holds that very parent."""
        found = (
            each for each in self.fields if isinstance(each.head, Reference) and each.head.record == self.count.per
        )
        return next((each for each in found if self.list_around(each.name) is None), None)

    @property
    def shown(self) -> tuple[Field, ...]:
        return tuple(each for each in self.fields if not each.hidden)


@dataclass(frozen=True)
class ValueList:
    """Rows of values that belong together, by column; `weights` add up to 1, or are None when all rows are alike."""

    columns: dict[str, tuple[ItemValue, ...]]
    weights: tuple[float, ...] | None = None

    @property
    def size(self) -> int:
        return len(next(iter(self.columns.values()), ()))

    def column(self, name: str) -> tuple[ItemValue, ...]:
        """Return the values of a column; the first one when no name is given."""
        return self.columns[name] if name else next(iter(self.columns.values()))


@dataclass(frozen=True)
class Schema:
    """A whole schema file."""

    title: str
    records: dict[str, Record]
    lists: dict[str, ValueList] = field(default_factory=dict)
    locales: tuple[tuple[str, float], ...] = (("en-GB", 1.0),)
    seed: int | None = None
    today: date | None = None
    catalogue: str = ""
    source: Source = field(default=Source("schema", ""), compare=False, repr=False)
