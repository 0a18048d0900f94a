"""What the engine sees of given values: columns from outside, and references that point to given rows."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.python_values import PythonValue
from yurt.core.base.types import Type
from yurt.core.columns.column import Column, Mask, cast, merge
from yurt.core.engine.lookup import Lookup, Picked
from yurt.core.engine.scope import BatchScope, Maker, ReferenceScope, TableScope
from yurt.core.given.lists import ListedValues
from yurt.core.given.values import column_of
from yurt.core.model import Field, Reference
from yurt.core.sampling.streams import Rows

# The draws after which given values count as contradicting the schema.
ATTEMPTS = 400


@dataclass(frozen=True)
class Parent:
    """The row that a given reference points to: its number, if there is one, and values that replace its own."""

    row: int | None
    values: Mapping[str, PythonValue]


@dataclass
class Given:
    """The given values of one record type; they change between one record and the next.

    Only the `wanted` rows have them. Others may be read as well, by `running` and `previous`, or in a tree: they are as
    they are without given values, which `plain` returns by field and rows.
    """

    record_name: str
    plain: Callable[[str, Rows], Column]
    columns: dict[str, Column] = field(default_factory=dict)
    # Fields that follow from given values of the value lists that they share.
    listed: dict[str, ListedValues] = field(default_factory=dict)
    # None stands for a reference that points nowhere.
    parents: dict[str, Parent | None] = field(default_factory=dict)
    # The fields that are given references.
    references_given: frozenset[str] = frozenset()
    wanted: range = range(0)
    attempts: int = ATTEMPTS
    changing: bool = True
    # Siblings are consecutive rows, as without given values.
    ordinals: None = None

    def inside(self, rows: Rows) -> Mask:
        """Return which rows have the given values."""
        found: Mask = (rows >= np.uint64(self.wanted.start)) & (rows < np.uint64(self.wanted.stop))
        return found

    def column(self, title: str, kind: Type, rows: Rows) -> Column:
        """Return the given value of a field in the wanted rows, and its own value in the others."""
        return cast(self.earlier(title, rows, lambda wanted: self._given(title, kind, wanted)), kind)

    def earlier(self, field: str, rows: Rows, made: Callable[[Rows], Column]) -> Column:
        """Return what is made of the wanted rows, and a field's values without given ones in the others."""
        inside = self.inside(rows)
        if inside.all():
            return made(rows)
        others = rows[~inside]
        own = self.plain(field, others).spread(len(others))
        parts = [(np.flatnonzero(~inside), own)]
        if inside.any():
            parts.append((np.flatnonzero(inside), made(rows[inside])))
        return merge(parts, len(rows), own.type)

    def _given(self, title: str, kind: Type, rows: Rows) -> Column:
        if title in self.listed:
            return cast(self.listed[title].of(rows), kind)
        found = cast(self.columns[title], kind)
        # A list is a column of one value.
        return found.spread(len(rows)) if found.constant else found.take(np.zeros(len(rows), dtype=np.int64))

    def maker(self, field: Field, make: Maker, table: TableScope) -> Maker:
        """Return the maker that replaces a field's own: that of a given reference."""
        if field.name not in self.references_given:
            return make
        assert isinstance(field.head, Reference)
        key = table.run.schema.records[field.head.record].key
        assert key is not None

        def made(batch: BatchScope) -> Column:
            found = batch.parent(field.name).field(key.name).spread(len(batch.rows))
            if self.parents[field.name] is None:
                found = found.with_nulls(self.inside(batch.rows))
            return found

        return made

    def references(self, own: ReferenceScope, table: TableScope) -> ReferenceScope:
        """Return the resolver that replaces a reference's own."""
        name = next(name for name, each in table.references.items() if each is own)
        return _GivenReference(own, self, name, table) if name in self.references_given else own


class _GivenReference:
    """A reference that points to the same given row in all wanted rows."""

    def __init__(self, own: ReferenceScope, given: Given, name: str, table: TableScope) -> None:
        self.own, self.target, self.given, self.name, self.table = own, own.target, given, name, table

    def rows(self, batch: BatchScope) -> Rows:
        """Return the row number of the target for each row; the first one stands for a row that is not there."""
        parent = self.given.parents[self.name]
        row = parent.row if parent is not None and parent.row is not None else 0
        inside = self.given.inside(batch.rows)
        found = np.full(len(batch.rows), row, dtype=np.uint64)
        places = np.flatnonzero(~inside)
        if len(places):
            found[places] = self.own.rows(batch.select(places))
        return found

    def resolve(self, batch: BatchScope) -> Lookup:
        """Return the rows that the rows of the batch point to."""
        inside = self.given.inside(batch.rows)
        if not inside.any():
            return self.own.resolve(batch)
        rows, different = np.unique(self.rows(batch), return_inverse=True)
        found = Picked(self.table.run.table(self.target).resolved(rows), different.astype(np.int64))
        parent = self.given.parents[self.name]
        if parent is None or not parent.values:
            return found
        return _Overlaid(found, parent, self.target, self.table, inside)


class _Overlaid:
    """The rows that a reference points to; where it is given, with the values that the caller knows about the row."""

    def __init__(self, own: Lookup, parent: Parent, target: str, table: TableScope, inside: Mask) -> None:
        self.own, self.parent, self.target, self.table, self.inside = own, parent, target, table, inside

    def field(self, name: str) -> Column:
        """Return a field: as it was given, or as it is in the row; unknown if there is no row."""
        found = self.own.field(name).spread(len(self.inside))
        if name not in self.parent.values:
            return found if self.parent.row is not None else found.with_nulls(self.inside)
        kind = self.table.run.plan.types[self.target, name]
        here, others = np.flatnonzero(self.inside), np.flatnonzero(~self.inside)
        given = column_of(self.parent.values[name], kind).spread(len(here))
        return merge([(here, given), (others, found.take(others))], len(self.inside), kind)
