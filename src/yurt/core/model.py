"""A schema, once read: frozen and complete, with nothing of YAML or of the grammar left in it."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from functools import cached_property

from yurt.core.language.diagnostics import NOWHERE, Source, Span
from yurt.core.language.expressions import Expression, Template
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
class DateTime:
    """Moments without a zone, `step` microseconds apart."""

    range: Range
    step: int = 1_000_000


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
class Uuid:
    """A random UUID (RFC 9562, version 4)."""


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
    """A value kind of the catalogue, by name."""

    name: str


Head = (
    Integer | DecimalNumber | Date | DateTime | Boolean | OneOf | Matching | Sequence | Uuid | Reference | Derived
    | KindOf
)  # fmt: skip


# ---- clauses: what is usual ------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Usually:
    """A distribution over what is allowed. For `on`, `days` holds the favoured weekdays (Monday is 0)."""

    name: str
    arguments: tuple[Expression, ...] = ()
    days: tuple[int, ...] = ()
    span: Span = NOWHERE


@dataclass(frozen=True, slots=True)
class Phrase:
    """A head with the clauses that belong to its values."""

    head: Head
    usually: Usually | None = None
    missing: float = 0.0
    missing_if: Expression | None = None
    span: Span = NOWHERE


@dataclass(frozen=True, slots=True)
class Table:
    """Rows of (condition, phrase): the first condition that holds decides; None stands for `else`.

    In a table of values, `by` is what has them, and every condition asks whether it is among some of them.
    """

    rows: tuple[tuple[Expression | None, Phrase], ...]
    by: Expression | None = None


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
    span: Span = NOWHERE

    @property
    def title(self) -> str:
        """The name that the output has for the field."""
        return self.named if self.named is not None else self.name

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
    """How many rows: `low` to `high`, for the whole record type or for each row of `per`."""

    low: int
    high: int
    per: str | None = None
    span: Span = NOWHERE


@dataclass(frozen=True)
class Record:
    """A record type."""

    name: str
    count: Count
    fields: tuple[Field, ...]
    always: tuple[Expression, ...] = ()
    key_name: str | None = None
    span: Span = NOWHERE

    @cached_property
    def by_name(self) -> dict[str, Field]:
        return {each.name: each for each in self.fields}

    @cached_property
    def key(self) -> Field | None:
        """The field that `ref` holds: the one named by `key:`, else the first that is unique by its nature."""
        if self.key_name is not None:
            return self.by_name.get(self.key_name)
        return next((each for each in self.fields if each.unique or isinstance(each.head, Sequence | Uuid)), None)

    @cached_property
    def parent_field(self) -> Field | None:
        """In a record counted per parent: the reference that holds that very parent."""
        return next(
            (each for each in self.fields if isinstance(each.head, Reference) and each.head.record == self.count.per),
            None,
        )

    @property
    def shown(self) -> tuple[Field, ...]:
        return tuple(each for each in self.fields if not each.hidden)


@dataclass(frozen=True)
class Schema:
    """A whole schema file."""

    title: str
    records: dict[str, Record]
    locales: tuple[tuple[str, float], ...] = (("en-GB", 1.0),)
    seed: int | None = None
    today: date | None = None
    source: Source = field(default=Source("schema", ""), compare=False, repr=False)
