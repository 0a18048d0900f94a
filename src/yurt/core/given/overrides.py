"""What the engine sees of given values: columns from outside, and references that point to given rows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from yurt.core.base.python_values import PythonValue
from yurt.core.base.types import Type
from yurt.core.columns.column import Column, cast
from yurt.core.engine.lookup import Lookup, Picked
from yurt.core.engine.scope import BatchScope, Maker, ReferenceScope, TableScope
from yurt.core.given.lists import ListedValues
from yurt.core.given.values import column_of
from yurt.core.model import Field, Reference
from yurt.core.sampling.streams import Rows

# The draws after which given values count as contradicting the schema.
ATTEMPTS = 400


@dataclass(frozen=True, slots=True)
class Parent:
    """The row that a given reference points to: its number, if there is one, and values that replace its own."""

    row: int | None
    values: Mapping[str, PythonValue]


@dataclass
class Given:
    """The given values of one record type; they change between one record and the next."""

    record_name: str
    columns: dict[str, Column] = field(default_factory=dict)
    # Fields that follow from given values of the value lists that they share.
    listed: dict[str, ListedValues] = field(default_factory=dict)
    # None stands for a reference that points nowhere.
    parents: dict[str, Parent | None] = field(default_factory=dict)
    # The fields that are given references.
    references_given: frozenset[str] = frozenset()
    attempts: int = ATTEMPTS
    # Siblings are consecutive rows, as without given values.
    ordinals: None = None

    def column(self, title: str, kind: Type, rows: Rows) -> Column:
        """Return the given value of a field."""
        if title in self.listed:
            return cast(self.listed[title].of(rows), kind)
        return cast(self.columns[title], kind).spread(len(rows))

    def maker(self, field: Field, make: Maker, table: TableScope) -> Maker:
        """Return the maker that replaces a field's own: that of a reference that points nowhere."""
        if field.name not in self.references_given:
            return make
        kind = table.run.plan.types[self.record_name, field.name]

        def made(batch: BatchScope) -> Column:
            if self.parents[field.name] is None:
                return column_of(None, kind).spread(len(batch.rows))
            return batch.parent(field.name).field(_key_of(field, table))

        return made

    def references(self, own: ReferenceScope, table: TableScope) -> ReferenceScope:
        """Return the resolver that replaces a reference's own."""
        name = next(name for name, each in table.references.items() if each is own)
        return _GivenReference(own, self, name, table) if name in self.references_given else own


def _key_of(field: Field, table: TableScope) -> str:
    assert isinstance(field.head, Reference)
    key = table.run.schema.records[field.head.record].key
    assert key is not None
    return key.name


class _GivenReference:
    """A reference that points to the same given row in all rows."""

    def __init__(self, own: ReferenceScope, given: Given, name: str, table: TableScope) -> None:
        self.target, self.given, self.name, self.table = own.target, given, name, table

    def rows(self, batch: BatchScope) -> Rows:
        """Return the row number of the target for each row; the first one stands for a row of another run."""
        parent = self.given.parents[self.name]
        row = parent.row if parent is not None and parent.row is not None else 0
        return np.full(len(batch.rows), row, dtype=np.uint64)

    def resolve(self, batch: BatchScope) -> Lookup:
        """Return the row that all rows of the batch point to."""
        target = self.table.run.table(self.target)
        found = Picked(target.resolved(self.rows(batch)[:1]), np.zeros(len(batch.rows), dtype=np.int64))
        parent = self.given.parents[self.name]
        if parent is None or not parent.values:
            return found
        return _Overlaid(found, parent, self.target, self.table, len(batch.rows))


class _Overlaid:
    """The row of a given parent, with the values that the caller knows about it."""

    def __init__(self, own: Lookup, parent: Parent, target: str, table: TableScope, size: int) -> None:
        self.own, self.parent, self.target, self.table, self.size = own, parent, target, table, size

    def field(self, name: str) -> Column:
        """Return a field: as it was given, or as it is in the row; unknown if there is no row."""
        found = self.own.field(name)
        if name in self.parent.values:
            kind = self.table.run.plan.types[self.target, name]
            return column_of(self.parent.values[name], kind).spread(self.size)
        return found if self.parent.row is not None else found.with_nulls(np.ones(self.size, dtype=np.bool_))
