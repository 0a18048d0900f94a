"""The changes of cases: values that replace those of the engine, by field and row."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from yurt.core.base.arrays import strings
from yurt.core.base.data_classes import dataclass, replace
from yurt.core.base.types import BOOLEAN, TEXT, Type
from yurt.core.cases.boundary_bias import boldly, edges_spoken_of
from yurt.core.cases.case import Beside, Case, Drawn, Moved, Raw, Requirement, Same, SameRow
from yurt.core.cases.parents import ParentRows
from yurt.core.cases.stand_ins import moved, stand_in
from yurt.core.columns.column import Column, Mask, Places, cast, coded, merge
from yurt.core.columns.faults import GenerationFault, RowFault, within
from yurt.core.engine.batch import Batch
from yurt.core.engine.lookup import Lookup
from yurt.core.engine.references import References
from yurt.core.engine.scope import BatchScope, Maker, ReferenceScope, TableScope
from yurt.core.engine.table import ATTEMPTS
from yurt.core.model import Field, Phrase, Record, Reference
from yurt.core.sampling.streams import Rows

# After this number of draws, values at the edges of conditions are taken.
BOLD = 6
# The distance between the rows of one group of records and the next.
FAR = 7919
NOWHERE: Places = np.zeros(0, dtype=np.int64)
# More than the largest number of a row.
BEYOND = 2**48


@dataclass(frozen=True)
class _FieldChange:
    """The changes of a field: the number of each case's change (-1 for none), the changes, and makers of other phrases.

    `shifted` are changes relative to the field's own value, `bold` are values at edges.
    """

    which: Places
    changes: list[Any]
    inner: dict[int, Maker]
    shifted: list[int]
    bold: Column | None


@dataclass(frozen=True)
class Fix:
    """Values of a field in the records of some cases, chosen so that conditions hold; `words` are those of a list."""

    mask: Mask
    values: Places
    words: tuple[str, ...] = ()

    @classmethod
    def of(cls, size: int, words: list[str]) -> Fix:
        """Return a fix that affects no case."""
        return cls(np.zeros(size, dtype=np.bool_), np.zeros(size, dtype=np.int64), tuple(words))


class Changes:
    """The overrides of one record type, one row per case."""

    def __init__(self, record: Record, size: int) -> None:
        self.record = record
        self.record_name = record.name
        self.size = size
        self.attempts = ATTEMPTS
        self.changing = False
        # The row of the first case.
        self.first = 0
        # The case that determines each case's parent, and the ordinal of each case among its children.
        self.leader: Places = np.arange(size)
        self.place: Places = np.zeros(size, dtype=np.int64)
        # The parent of each case, if the record type is counted per parent.
        self.parents: ParentRows | None = None
        # Cases whose values are inserted at the end, because what depends on them cannot be made.
        self.aside = np.zeros(size, dtype=np.bool_)
        self.by_field: dict[str, _FieldChange] = {}
        # The batch that holds the first record, and its position there.
        self.nominal: tuple[BatchScope, int] | None = None
        # The values found by a search, by field.
        self.fixes: dict[str, Fix] = {}
        # How often the search had a field drawn again, by field and case.
        self.turns: dict[str, Places] = {}
        # The rows that the search chose for references, by field: one row per case, -1 for none.
        self.picked: dict[str, Places] = {}
        # Records whose references point to the same row, by field: the number of the group, -1 for none.
        self.shared: dict[str, Places] = {}
        # The cases whose reference points to the same row as that of the first record, by field.
        self.repeated: dict[str, Mask] = {}
        # The rows that a reference may point to, by field and case, if only some qualify.
        self.asked: dict[str, dict[int, Places]] = {}
        self.late: dict[str, tuple[Type, Maker]] = {}

    def take(self, cases: list[Case], table: TableScope) -> None:
        """Replace what the makers of the fields give by the changes of the cases."""
        by_field: dict[str, dict[Any, list[int]]] = {}
        groups: dict[tuple[str, str], list[tuple[int, int]]] = {}
        numbers: dict[tuple[str, str], int] = {}
        for at, case in enumerate(cases):
            for change in case.changes:
                if isinstance(change, Beside):
                    groups.setdefault((change.group, case.id.partition("#")[2]), []).append((change.place, at))
                elif isinstance(change, SameRow):
                    shared = self.shared.setdefault(change.field, np.full(self.size, -1, dtype=np.int64))
                    shared[at] = numbers.setdefault((change.group, case.id.partition("#")[2]), len(numbers))
                elif not isinstance(change, Requirement | Raw):
                    key = by_field.setdefault(change.field, {})
                    key.setdefault(_key(change), []).append(at)
                    if isinstance(change, Same) and isinstance(self.record.by_name[change.field].head, Reference):
                        nobody = np.zeros(self.size, dtype=np.bool_)
                        self.repeated.setdefault(change.field, nobody)[at] = True
        for group in groups.values():
            for place, at in group:
                self.leader[at], self.place[at] = min(group)[1], place
        together = {name for group in self.record.unique for name in group}
        # The edges of fields that are unique together are soon taken.
        bold = {name: each for name, each in edges_spoken_of(table, cases).items() if name not in together}
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
        """Return the ordinal of each row among the children of its parent."""
        return self.place[self.index(rows)]

    def references(self, own: ReferenceScope, table: TableScope) -> ReferenceScope:
        """Return references that accept any row after some draws."""
        assert isinstance(own, References)
        return UniformReferences(self, own)

    def maker(self, field: Field, make: Maker, table: TableScope) -> Maker:
        """Return a maker that gives the values of changes, if there are any."""
        kind = table.run.plan.types[self.record.name, field.name]

        def fixed(batch: BatchScope) -> Column:
            fix = None if batch.inside else self.fixes.get(field.name)
            return changed(batch) if fix is None else self._fixed(changed(batch), fix, field, kind, batch)

        def changed(batch: BatchScope) -> Column:
            change = self.by_field.get(field.name)
            if batch.inside or change is None:
                return drawn(batch)
            wanted = np.where(self.aside[self.index(batch.rows)], -1, change.which[self.index(batch.rows)])
            parts: list[tuple[Places, Column]] = []
            rest = np.flatnonzero((wanted < 0) | np.isin(wanted, change.shifted))
            if len(rest) or kind.name == "list":
                found = drawn(batch.select(rest)).spread(len(rest))
                if change.bold is not None and batch.attempt > BOLD:
                    places = np.flatnonzero(wanted[rest] < 0)
                    found = boldly(found, change.bold, batch.select(rest), field.name, places)
                parts.append((rest, moved(found, wanted[rest] >= 0)))
            for at in range(len(change.changes)):
                places = np.flatnonzero(wanted == at)
                if len(places) and at not in change.shifted:
                    parts.append((places, self._values(change, at, field, kind, batch.select(places), make)))
            return merge(parts, len(batch.rows), kind)

        def drawn(batch: BatchScope) -> Column:
            turns = None if batch.inside else self.turns.get(field.name)
            again: Places = np.flatnonzero(turns[self.index(batch.rows)]) if turns is not None else NOWHERE
            if turns is None or not len(again):
                return make(batch)
            # The numbers of rows that do not exist give other draws; all else is that of the row itself.
            rows = batch.rows[again] + (turns[self.index(batch.rows[again])] * BEYOND).astype(np.uint64)
            found = make(Batch(table, rows, batch.attempt, (batch, again)))
            rest = np.setdiff1d(np.arange(len(batch.rows)), again)
            return merge([(rest, make(batch.select(rest))), (again, found)], len(batch.rows), kind)

        self.late[field.name] = (kind, make)
        return fixed

    def _fixed(self, column: Column, fix: Fix, field: Field, kind: Type, batch: BatchScope) -> Column:
        """Return a column with the values of a fix; a value that is absent by its condition stays absent."""
        column = column.spread(len(batch.rows))
        at = self.index(batch.rows)
        chosen = fix.mask[at]
        if field.present_if is not None and column.nulls is not None:
            chosen = chosen & ~column.nulls
        places = np.flatnonzero(chosen)
        if not len(places):
            return column
        values = fix.values[at[places]]
        found = coded(values, strings(list(fix.words))) if kind == TEXT else Column(kind, values)
        if kind == BOOLEAN:
            found = Column(kind, values == 1)
        elif kind != TEXT and fix.words:
            return column
        rest = np.flatnonzero(~chosen)
        return merge([(rest, column.take(rest)), (places, found)], len(batch.rows), kind)

    def unchanged(self, name: str, cases: Places) -> Mask:
        """Return the cases in which a field is drawn by the engine."""
        change = self.by_field.get(name)
        return np.ones(len(cases), dtype=np.bool_) if change is None else change.which[cases] < 0

    def unfix(self, cases: Places) -> None:
        """Let the fields of some cases be drawn again."""
        for fix in self.fixes.values():
            fix.mask[cases] = False
        for rows in self.picked.values():
            rows[cases] = -1
        for turns in self.turns.values():
            turns[cases] = 0

    def _values(self, change: _FieldChange, at: int, field: Field, kind: Type, part: BatchScope, make: Maker) -> Column:
        inner = change.inner.get(at)
        if isinstance(change.changes[at], Same) and self.nominal is not None:
            made, place = self.nominal
            same = made.field(field.name).spread(len(made.rows)).take(np.full(len(part.rows), place, dtype=np.int64))
            return cast(same, kind)
        try:
            changed = change.changes[at]
            value = inner(part) if inner is not None else stand_in(changed, field, kind, part, make, self.first)
        except RowFault as fault:
            raise GenerationFault(self.record.name, field.name, fault) from None
        return within(cast(value.spread(len(part.rows)), kind), part.rows)

    def put_aside(self, name: str, batch: BatchScope, places: Places) -> Iterator[tuple[Places, Column]]:
        """Yield the values of a field on which nothing else depends, with their cases."""
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
    """References that, after some draws, point to any row with equal chances, whatever their distribution."""

    def __init__(self, changes: Changes, references: References) -> None:
        self.changes = changes
        self.references = references
        self.target = references.target

    def resolve(self, batch: BatchScope) -> Lookup:
        own = self.references
        if own.family is not None or own.target == own.table.record.name:
            return own.table.run.table(own.target).resolved(self.rows(batch))
        chosen = self.changes.picked, self.changes.shared, self.changes.asked, self.changes.repeated
        if any(own.field.name in each for each in chosen):
            return own.table.run.table(own.target).resolved(self.rows(batch))
        return (own if batch.attempt <= BOLD else self._uniform()).resolve(batch)

    def _uniform(self) -> References:
        own = self.references
        assert isinstance(own.field.head, Reference)
        return References(own.table, replace(own.field, body=Phrase(own.field.head)), None, ranked=False)

    def rows(self, batch: BatchScope) -> Rows:
        if self.references.family is not None and self.changes.parents is not None:
            return self.changes.parents.rows[self.changes.index(batch.rows)].astype(np.uint64)
        if self.references.target == self.references.table.record.name:
            # In a tree, every record but the first is below the first, which is certainly in the file.
            return np.full(len(batch.rows), self.changes.first, dtype=np.uint64)
        own = self.references if batch.attempt <= BOLD else self._uniform()
        rows = own.rows(batch)
        cases = self.changes.index(batch.rows)
        picked = self.changes.picked.get(own.field.name)
        if picked is not None:
            rows = np.where(picked[cases] >= 0, picked[cases].astype(np.uint64), rows)
        rows = self._repeated(self._meant(rows, cases, batch.attempt), cases)
        shared = self.changes.shared.get(own.field.name)
        if shared is None:
            return rows
        count = own.table.run.table(own.target).count
        same = (shared[cases] * FAR % max(count, 1)).astype(np.uint64)
        found: Rows = np.where(shared[cases] >= 0, same, rows)
        return found

    def _repeated(self, rows: Rows, cases: Places) -> Rows:
        """Return rows in which a case that repeats the first record's reference has its row."""
        repeated = self.changes.repeated.get(self.references.field.name)
        if repeated is None or self.changes.nominal is None or not repeated[cases].any():
            return rows
        first, place = self.changes.nominal
        found: Rows = np.where(repeated[cases], self.rows(first.select(np.array([place]))), rows)
        return found

    def _meant(self, rows: Rows, cases: Places, attempt: int) -> Rows:
        """Return rows in which each case with requirements on its parent has a parent that meets them; it differs per
        attempt.
        """
        meant = self.changes.asked.get(self.references.field.name, {})
        found = rows.copy()
        for at, case in enumerate(cases.tolist()):
            fitting = meant.get(case)
            if fitting is not None and len(fitting):
                near = fitting[np.searchsorted(fitting[:-1], rows[at])]
                found[at] = near if near == rows[at] else fitting[(case + attempt) % len(fitting)]
        return found


def _key(change: Any) -> tuple[Any, Any]:
    """Return a sort key for a change, with the change."""
    return (type(change).__name__, id(change.phrase) if isinstance(change, Drawn) else repr(change)), change
