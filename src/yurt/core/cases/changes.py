"""What cases change in their records: the values that replace those of the engine, by field and row."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from yurt.core.base.types import Type
from yurt.core.cases.boundary_bias import boldly, edges_spoken_of
from yurt.core.cases.case import Beside, Case, Drawn, Moved, Raw, Requirement
from yurt.core.cases.stand_ins import moved, stand_in
from yurt.core.columns.column import Column, Places, cast, merge
from yurt.core.engine.lookup import Lookup
from yurt.core.engine.references import References
from yurt.core.engine.scope import BatchScope, Maker, ReferenceScope, TableScope
from yurt.core.model import Field, Phrase, Record, Reference
from yurt.core.sampling.streams import Rows

# After so many draws of a row, values at the edges of what conditions speak of are taken.
BOLD = 6


@dataclass(frozen=True)
class _FieldChange:
    """What changes a field: the number of each case's change (-1 for none), the changes, makers of other phrases.

    `shifted` are the changes that move the field's own value, `bold` values at edges.
    """

    which: Places
    changes: list[Any]
    inner: dict[int, Maker]
    shifted: list[int]
    bold: Column | None


class Changes:
    """The overrides of one record type, a row for each case."""

    def __init__(self, record: Record, size: int) -> None:
        self.record = record
        self.record_name = record.name
        self.size = size
        # The row of the first case.
        self.first = 0
        # The case whose parent each case has, and which of its children it is.
        self.leader: Places = np.arange(size)
        self.place: Places = np.zeros(size, dtype=np.int64)
        # Cases whose values are put in place at the end, because what follows from them cannot be made.
        self.aside = np.zeros(size, dtype=np.bool_)
        self.by_field: dict[str, _FieldChange] = {}
        self.late: dict[str, tuple[Type, Maker]] = {}

    def take(self, cases: list[Case], table: TableScope) -> None:
        """Put the changes of the cases in the place of what the fields' makers give."""
        by_field: dict[str, dict[Any, list[int]]] = {}
        groups: dict[tuple[str, str], list[tuple[int, int]]] = {}
        for at, case in enumerate(cases):
            for change in case.changes:
                if isinstance(change, Beside):
                    groups.setdefault((change.group, case.id.partition("#")[2]), []).append((change.place, at))
                elif not isinstance(change, Requirement | Raw):
                    key = by_field.setdefault(change.field, {})
                    key.setdefault(_key(change), []).append(at)
        for group in groups.values():
            for place, at in group:
                self.leader[at], self.place[at] = min(group)[1], place
        bold = edges_spoken_of(table, cases)
        for name in {*by_field, *bold}:
            entries = [(key[1], np.array(places)) for key, places in by_field.get(name, {}).items()]
            self.by_field[name] = self._change(self.record.by_name[name], entries, bold.get(name), table)

    def _change(
        self, field: Field, entries: list[tuple[Any, Places]], bold: Column | None, table: TableScope
    ) -> _FieldChange:
        which = np.full(self.size, -1, dtype=np.int64)
        for at, (_, places) in enumerate(entries):
            which[places] = at
        inner = {
            at: table.phrase_maker(field, change.phrase)
            for at, (change, _) in enumerate(entries)
            if isinstance(change, Drawn)
        }
        shifted = [at for at, (change, _) in enumerate(entries) if isinstance(change, Moved)]
        return _FieldChange(which, [change for change, _ in entries], inner, shifted, bold)

    # ---- as the engine asks for them ---------------------------------------------------------------------------

    def index(self, rows: Rows) -> Places:
        """Return the case that each row belongs to."""
        found: Places = (rows.astype(np.int64) - self.first) % self.size
        return found

    def ordinals(self, rows: Rows) -> Places:
        """Return which child of its parent each row is."""
        return self.place[self.index(rows)]

    def references(self, own: ReferenceScope, table: TableScope) -> ReferenceScope:
        """Return references that take any row after some draws."""
        assert isinstance(own, References)
        return UniformReferences(self, own)

    def maker(self, field: Field, make: Maker, table: TableScope) -> Maker:
        """Return a maker that gives the values of changes where there are any."""
        kind = table.run.plan.types[self.record.name, field.name]

        def changed(batch: BatchScope) -> Column:
            change = self.by_field.get(field.name)
            if batch.inside or change is None:
                return make(batch)
            wanted = np.where(self.aside[self.index(batch.rows)], -1, change.which[self.index(batch.rows)])
            parts: list[tuple[Places, Column]] = []
            rest = np.flatnonzero((wanted < 0) | np.isin(wanted, change.shifted))
            if len(rest) or kind.name == "list":
                found = make(batch.select(rest)).spread(len(rest))
                if change.bold is not None and batch.attempt > BOLD:
                    places = np.flatnonzero(wanted[rest] < 0)
                    found = boldly(found, change.bold, batch.select(rest), field.name, places)
                parts.append((rest, moved(found, wanted[rest] >= 0)))
            for at in range(len(change.changes)):
                places = np.flatnonzero(wanted == at)
                if len(places) and at not in change.shifted:
                    parts.append((places, self._values(change, at, field, kind, batch.select(places), make)))
            return merge(parts, len(batch.rows), kind)

        self.late[field.name] = (kind, make)
        return changed

    def _values(self, change: _FieldChange, at: int, field: Field, kind: Type, part: BatchScope, make: Maker) -> Column:
        inner = change.inner.get(at)
        value = inner(part) if inner is not None else stand_in(change.changes[at], field, kind, part, make, self.first)
        return cast(value.spread(len(part.rows)), kind)

    def put_aside(self, name: str, batch: BatchScope, places: Places) -> Iterator[tuple[Places, Column]]:
        """Yield the values of a field that nothing else follows from, with their cases."""
        change = self.by_field.get(name)
        if change is None:
            return
        kind, make = self.late[name]
        for at, each in enumerate(change.changes):
            chosen = np.flatnonzero((change.which[places] == at) & self.aside[places])
            if len(chosen) and not isinstance(each, Moved):
                part = batch.select(chosen)
                yield places[chosen], self._values(change, at, self.record.by_name[name], kind, part, make)


class UniformReferences:
    """References that after some draws point to any row, all equally likely, however they are distributed."""

    def __init__(self, changes: Changes, references: References) -> None:
        self.changes = changes
        self.references = references
        self.target = references.target

    def resolve(self, batch: BatchScope) -> Lookup:
        own, changes = self.references, self.changes
        if own.family is not None:
            # Children of one parent have that of the first of them.
            at = changes.index(batch.rows)
            rows = batch.rows + (changes.leader[at] - at).astype(np.uint64)
            return own.table.run.table(own.target).resolved(own.family.places(rows)[0])
        if batch.attempt <= BOLD or own.target == own.table.record.name:
            return own.resolve(batch)
        assert isinstance(own.field.head, Reference)
        plain = References(own.table, replace(own.field, body=Phrase(own.field.head)), None)
        return plain.resolve(batch)

    def rows(self, batch: BatchScope) -> Rows:
        return self.references.rows(batch)


def _key(change: Any) -> tuple[Any, Any]:
    """Return what tells changes apart, with the change."""
    return (type(change).__name__, id(change.phrase) if isinstance(change, Drawn) else repr(change)), change
