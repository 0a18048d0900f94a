"""What makers see of the engine: the run, a record type in it, and the batch of rows that they make values for.

Makers, references, and kinds know these Protocols; `Run`, `Table`, and `Batch` implement them.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date, datetime
from typing import TYPE_CHECKING, Any, Protocol

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.types import Type
from yurt.core.columns.column import Column, Places
from yurt.core.engine.correlation import Correlation
from yurt.core.engine.family import Family
from yurt.core.engine.lookup import Lookup
from yurt.core.model import Field, Phrase, Record, Restriction, Schema
from yurt.core.model.expressions import Call, Draw
from yurt.core.model.plan import Plan
from yurt.core.sampling.streams import Rows, Stream, Unit
from yurt.core.sampling.weights import Weighted

if TYPE_CHECKING:
    from yurt.core.keyed.format_preserving import FormatPreserving
    from yurt.core.keyed.secret import Secret


class ExistingScope(Protocol):
    """An existing file whose rows are about to be written again."""

    def column(self, title: str, kind: Type, rows: Rows) -> Column:
        """Return the values of a column in some rows."""
        ...

    def earlier(self, field: str, rows: Rows, made: Callable[[Rows], Column]) -> Column:
        """Return the values of a field in rows of one parent, which others read; `made` makes rows of this run."""
        ...


class RunScope(Protocol):
    """A schema with its seed, date, and counts."""

    # The existing files, by record type.
    existing: Mapping[str, ExistingScope]
    # What substitutes depend on, if there are any.
    secret: Secret | None
    # The format-preserving encryption of each field, which knows how many domains were too small for FF1.
    small_domains: dict[str, FormatPreserving]

    schema: Schema
    plan: Plan
    seed: int
    today: date
    now: datetime
    # The approximate maximum number of bytes per row of each record type.
    widths: dict[str, int]

    def table(self, name: str) -> TableScope:
        """Return the table of a record type."""
        ...

    def whole(self, name: str) -> Lookup:
        """Return all rows of a small record type, made once and kept."""
        ...

    def weighted(self, record: str, field: str) -> Weighted:
        """Return a function that draws rows of a record type by the weights in one of its fields."""
        ...

    def sorted_values(self, name: str, column: str, kind: Type) -> tuple[NDArray[np.float64], bool]:
        """Return the values of a column of a value list in units of a type, sorted, and whether most of them differ."""
        ...


class TableScope(Protocol):
    """A record type of a run: `count` rows, a maker for each field."""

    run: RunScope
    record: Record
    count: int
    family: Family | None
    # The draws of a row after which no other is expected to meet the conditions.
    attempts: int
    # Whether the values of rows change while the run goes on, so that none may be kept.
    changing: bool
    correlations: dict[str, Correlation]
    # The remaining rows of the lists behind kinds: by list, by the person or place, and by field for its own.
    restrictions: dict[tuple[str, str, str], tuple[tuple[str, Restriction], ...]]
    # Correlated fields must be drawn in order.
    in_order: set[str]
    # Objects that are made once for all batches, by a key of their maker.
    once: dict[Any, Any]
    # The ordinal of each row among the children of its parent (from 0), if siblings are not consecutive rows.
    ordinal_override: Ordinals | None

    @property
    def makers(self) -> Mapping[str, Maker]:
        """The maker of each field."""
        ...

    @property
    def references(self) -> Mapping[str, ReferenceScope]:
        """The fields that refer to rows of other record types."""
        ...

    @property
    def rankers(self) -> Mapping[str, Ranker]:
        """The functions that number the values of fields, for fields with numbered values."""
        ...

    def phrase_maker(self, field: Field, phrase: Phrase) -> Maker:
        """Return the maker of a phrase with its missing share."""
        ...

    def batch(self, rows: Rows) -> BatchScope:
        """Return some rows at the first attempt, whether they meet the conditions or not."""
        ...

    def resolved(self, rows: Rows) -> Lookup:
        """Return some rows, each at the first attempt at which every `always` condition holds."""
        ...


class BatchScope(Protocol):
    """Some rows of a table, at one attempt."""

    table: TableScope
    rows: Rows
    attempt: int
    # The larger batch that this one selects from or lies inside, and the positions of its rows there.
    origin: tuple[BatchScope, Places] | None
    # The lists, and the positions in them, that contain the values of this batch.
    inside: tuple[str | int, ...]
    # Whether values are drawn at quantiles instead of random numbers, to show a distribution as it is.
    quantiles: bool
    # The prefix of the fields that this batch makes itself, although it is part of another one.
    prefix: str
    # The numbers of values that are given from outside; see `rank`.
    ranks: NDArray[np.int64] | None
    # The shared draws of this batch's kinds.
    shared: dict[Any, Any]

    def select(self, places: Places) -> BatchScope:
        """Return the batch of some of these rows."""
        ...

    def inner(self, rows: Rows, places: Places, *path: str | int) -> BatchScope:
        """Return a batch of the values inside these rows: with draws of its own, but the fields of the row at each
        position.
        """
        ...

    def field(self, name: str) -> Column:
        """Return the values of a field."""
        ...

    def named(self, name: str) -> Column:
        """Return a field, or `today`, `now` or `row`."""
        ...

    def member(self, reference: str, name: str) -> Column:
        """Return a field of the rows that a reference points to; missing if the reference is."""
        ...

    def parent(self, reference: str) -> Lookup:
        """Return the rows that a reference points to, in the order of this batch's rows."""
        ...

    def siblings(self, call: Call) -> Column:
        """Return the value of `ordinal()`, `previous(field)` or `running(field)` for each row."""
        ...

    def drawn(self, draw: Draw) -> Column:
        """Return the values of a `draw(…)`."""
        ...

    def stream(self, *purpose: str | int, fixed: bool = False) -> Stream:
        """Return the stream for a purpose; a `fixed` one stays the same at every attempt."""
        ...

    def unit(self, *purpose: str | int) -> Unit:
        """Return a number in (0, 1) for each row and purpose."""
        ...

    def rank(self, name: str) -> NDArray[np.int64] | None:
        """Return the number of each row's value, for a field whose values are numbered; else None."""
        ...

    def value_unit(self, name: str) -> Unit:
        """Return the number in (0, 1) that a field's value is drawn from; it depends on the fields it tracks."""
        ...


class ReferenceScope(Protocol):
    """A field that refers to rows of a record type."""

    target: str

    def rows(self, batch: BatchScope) -> Rows:
        """Return the target's row number for each row of the batch."""
        ...

    def resolve(self, batch: BatchScope) -> Lookup:
        """Return the rows that the batch's rows point to."""
        ...


Ordinals = Callable[[Rows], NDArray[np.int64]]
Maker = Callable[[BatchScope], Column]
Ranker = Callable[[BatchScope], NDArray[np.int64]]
