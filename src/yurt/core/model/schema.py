"""A schema after reading: frozen and complete, independent of YAML and of the grammar."""

from __future__ import annotations

import os
from datetime import date, datetime
from functools import cached_property
from typing import Any

from yurt.core.base.data_classes import dataclass, field
from yurt.core.model.clauses import Shown, Usual
from yurt.core.model.expressions import Expression
from yurt.core.model.phrases import Head, KindOf, ListOf, OneOf, Phrase, Reference, phrases_in
from yurt.core.model.plan import Plan
from yurt.core.model.ranges import ItemValue
from yurt.core.source.diagnostics import NOWHERE, Source, Span
from yurt.core.source.named_files import NamedFile


@dataclass(frozen=True)
class Table:
    """Rows of (condition, phrase): the first condition that holds decides; None stands for `else`.

    In a table of values, `by` is the expression compared, and every condition tests whether it is one of some values.
    """

    rows: tuple[tuple[Expression | None, Phrase], ...]
    by: Expression | None = None


@dataclass(frozen=True)
class LabelledExample:
    """A value that the schema accepts or rejects, as written, with the reason."""

    text: str
    accept: bool
    reason: str
    span: Span = NOWHERE


@dataclass(frozen=True)
class Field:
    """One field of a record."""

    name: str
    body: Phrase | Table
    unique: bool = False
    helper: bool = False
    optional: bool = False
    present_if: Expression | None = None
    named: str | None = None
    shown: Shown | None = None
    told: tuple[LabelledExample, ...] = ()
    span: Span = NOWHERE
    # Whether its name stands alone where nested records are columns.
    alone: bool = False

    @property
    def title(self) -> str:
        """The name of the field in the output, without those of the records around it."""
        return self.named if self.named is not None else self.name.rpartition(".")[2]

    @property
    def parent(self) -> str:
        """The name of the nested record that contains the field; empty for the record itself."""
        return self.name.rpartition(".")[0]

    @property
    def phrases(self) -> tuple[Phrase, ...]:
        """The phrases that may give this field its value."""
        return (self.body,) if isinstance(self.body, Phrase) else tuple(phrase for _, phrase in self.body.rows)

    @property
    def head(self) -> Head | None:
        """The head, if there is one for all rows."""
        return self.body.head if isinstance(self.body, Phrase) else None

    @property
    def always_unique(self) -> bool:
        """Whether the head alone makes the values unique, like a number by row."""
        return self.head is not None and self.head.always_unique

    @property
    def never_repeats(self) -> bool:
        """Whether values must not repeat, by a clause or by the head."""
        return self.unique or self.always_unique


@dataclass(frozen=True)
class Count:
    """The number of rows: `low` to `high`, for the whole record type or for each row of `per`.

    With `combinations`, the number of combined values of these fields: each combination occurs once.
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
    def kinds(self) -> dict[str, tuple[KindOf, ...]]:
        """The kinds in all phrases, by the person and place that they are about (`KindOf.about`)."""
        found: dict[str, list[KindOf]] = {}
        for each in self.fields:
            for phrase in phrases_in(each.body):
                if isinstance(phrase.head, KindOf):
                    found.setdefault(phrase.head.about, []).append(phrase.head)
        return {about: tuple(heads) for about, heads in found.items()}

    @cached_property
    def listed(self) -> frozenset[ItemValue]:
        """The values that fields list with `one of`."""
        heads = (phrase.head for field in self.fields for phrase in field.phrases)
        return frozenset(value for head in heads if isinstance(head, OneOf) for value in head.values)

    @cached_property
    def lists(self) -> tuple[str, ...]:
        """The fields that are lists of records, whose fields have as many values as the list."""
        return tuple(each.name for each in self.fields if isinstance(each.head, ListOf) and each.head.of_records)

    def titles(self, name: str) -> tuple[str, ...]:
        """Return the output names on the path to a field: those of the records around it, and its own."""
        parts = name.split(".")
        return tuple(self.by_name[".".join(parts[: at + 1])].title for at in range(len(parts)))

    def column(self, name: str) -> str:
        """Return the name of a field where nested records are columns: the names on its path, or its own alone."""
        return self.by_name[name].title if self.by_name[name].alone else ".".join(self.titles(name))

    @cached_property
    def by_column(self) -> dict[str, str]:
        """The names of the fields by those of their columns."""
        return {self.column(name): name for name in self.by_name}

    def list_around(self, name: str) -> str | None:
        """Return the innermost list of records that a field is in; None for a field of the record itself."""
        return max((each for each in self.lists if name.startswith(each + ".")), key=len, default=None)

    @cached_property
    def key(self) -> Field | None:
        """The field that `ref` holds: the one named by `key:`, else the first whose values never repeat."""
        if self.key_name is not None:
            return self.by_name.get(self.key_name)
        unique = (each for each in self.fields if each.never_repeats)
        return next((each for each in unique if self.list_around(each.name) is None), None)

    @cached_property
    def parent_field(self) -> Field | None:
        """In a record type counted per parent: the reference that holds that parent."""
        found = (
            each for each in self.fields if isinstance(each.head, Reference) and each.head.record == self.count.per
        )
        return next((each for each in found if self.list_around(each.name) is None), None)

    @property
    def shown(self) -> tuple[Field, ...]:
        return tuple(each for each in self.fields if not each.helper)


@dataclass(frozen=True)
class ValueList:
    """Rows of values that belong together, by column; `weights` add up to 1, or are None for equally likely rows.

    `empty` are the rows, by column, whose cell is empty. A column has one of its other values there, so that it has one
    type.
    """

    columns: dict[str, tuple[ItemValue, ...]]
    weights: tuple[float, ...] | None = None
    empty: dict[str, frozenset[int]] = field(default_factory=dict)

    @property
    def size(self) -> int:
        return len(next(iter(self.columns.values()), ()))

    def column(self, name: str) -> tuple[ItemValue, ...]:
        """Return the values of a column; the first one if no name is given."""
        return self.columns[name] if name else next(iter(self.columns.values()))

    def gaps(self, name: str) -> frozenset[int]:
        """Return the rows in which a column has no value."""
        return self.empty.get(name or next(iter(self.columns), ""), frozenset())


# The settings of formats: by format and record type (empty for all), the value of each setting.
Output = dict[str, dict[str, dict[str, str]]]


@dataclass(frozen=True, repr=False)
class Schema:
    """A whole schema file."""

    title: str
    records: dict[str, Record]
    lists: dict[str, ValueList] = field(default_factory=dict)
    locales: tuple[tuple[str, float], ...] = (("en-GB", 1.0),)
    seed: int | None = None
    today: date | None = None
    catalogue: str = ""
    output: Output = field(default_factory=dict)
    # The names of the variants that the schema has.
    variants: tuple[str, ...] = ()
    source: Source = field(default=Source("schema", ""), compare=False, repr=False)
    # How it was read: with which variants, which lines in place of its own (`FIELD=LINE`), and which locale.
    chosen: tuple[str, ...] = field(default=(), compare=False, repr=False)
    replaced: tuple[str, ...] = field(default=(), compare=False, repr=False)
    asked_locale: str | None = field(default=None, compare=False, repr=False)
    # The files that it names, as they were read.
    files: tuple[NamedFile, ...] = field(default=(), compare=False, repr=False)
    # Made once, after the schema has been checked.
    plan: Plan = field(default=Plan({}, {}, {}), compare=False, repr=False)

    def __getstate__(self) -> dict[str, object]:
        # What is attached can be made again, wherever the schema goes.
        return {name: value for name, value in self.__dict__.items() if name != "attached"}

    def __repr__(self) -> str:
        seed = f"; seed {self.seed}" if self.seed is not None else ""
        return f"<Schema {self.source.name}: {', '.join(self.records)}{seed}>"

    @cached_property
    def drawn_seed(self) -> int:
        """A seed for runs without one: drawn once, so that all of them refer to the same rows."""
        return fresh_seed()

    @cached_property
    def attached(self) -> dict[str, Any]:
        """What users of the schema keep with it, by a name of their own: prepared runs, for example."""
        return {}

    @cached_property
    def clock(self) -> datetime:
        """The time of the first run without a date."""
        return datetime.now().replace(microsecond=0)


def fresh_seed() -> int:
    """Return a seed that is short enough to be typed again."""
    return int.from_bytes(os.urandom(16), "big") % 1_000_000_000
