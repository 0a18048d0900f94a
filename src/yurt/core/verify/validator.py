"""Validates the rows of one record type, block by block."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

import numpy as np
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.base import compute as pc
from yurt.core.base.arrays import distinct, numbers_or, word
from yurt.core.base.data_classes import replace
from yurt.core.base.types import NULL, REAL, Type
from yurt.core.columns.column import Column, Mask, Places, cast, merge
from yurt.core.columns.evaluate import evaluate
from yurt.core.formats.common.raw import CELL, OBJECT, STRING, Block, Cell, Raw, Reading, absent, as_record, of_values
from yurt.core.formats.common.tree import columns_of, layout_of
from yurt.core.model import Derived, Field, ListOf, Nested, Reference, Table
from yurt.core.model.expressions import Expression, Name, NullTest, Template, Unary, walk
from yurt.core.planning.restrictions import literal_of, written_conditions
from yurt.core.verify.agreement import disagreements
from yurt.core.verify.cells import list_in_cell
from yurt.core.verify.clocks import shown
from yurt.core.verify.equality import true_of
from yurt.core.verify.fields import FieldValidator
from yurt.core.verify.frame import Frame, Parents
from yurt.core.verify.lists import as_lists, twice_in
from yurt.core.verify.rows_before import RowsBefore
from yurt.core.verify.shapes import among, digits
from yurt.core.verify.shown_part import form_broken
from yurt.core.verify.siblings import Siblings
from yurt.core.verify.typed import Typed, typed
from yurt.core.verify.violation import Violation, violation
from yurt.core.verify.wording import form_text, type_text, values_read
from yurt.core.verify.written import restored


class Validator(FieldValidator):
    """Checks the rows of a block, and their contents, against a record type."""

    def frame(self, block: Block, parents: dict[str, Parents]) -> tuple[Frame, list[Violation]]:
        """Check a block: each field, then conditions; return its rows, with the violations."""
        frame, violations = self.read(block, parents)
        for condition in written_conditions(self.record):
            if f"always {self.text(condition)}" not in self.unjudged and not self.is_late(condition):
                violations += self._always(frame, condition)
        violations += disagreements(self.schema, self.record, set(self.blind), frame)
        return frame, violations

    def read(self, block: Block, parents: dict[str, Parents]) -> tuple[Frame, list[Violation]]:
        """Check the fields of a block one by one; return its rows, with the violations."""
        heads = ((each.name, each.head) for each in self.record.fields if isinstance(each.head, Reference))
        targets = {name: parents[head.record] for name, head in heads if head.record in parents}
        frame = Frame(np.arange(block.size, dtype=np.uint64), block.columns, targets, self.today)
        if self.late:
            parent = self.record.parent_field
            raw = None if parent is None else block.columns.get(parent.name, absent(block.size))
            frame.siblings_of = Siblings(block.size, raw)
        return frame, list(self._fields(frame, "", np.arange(block.size)))

    def restrict(self, names: Iterable[str]) -> None:
        """From now on, check only some fields, and those that they need."""
        needed, waiting = set[str](), list(names)
        while waiting:
            if (name := waiting.pop()) not in needed and name in self.record.by_name:
                needed.add(name)
                around = (self.record.by_name[name].parent, self.record.list_around(name) or "")
                waiting += [*self.plan.needs.get((self.record.name, name), ()), *around]
        self.order = [each for each in self.order if each in needed]

    def dangling(self, frame: Frame) -> Iterator[Violation]:
        """Every reference has the key of a row."""
        for each in self.record.shown:
            alone = each.name in frame.parents and self.record.list_around(each.name) is None
            if alone and each.name in frame.fields and len(found := dangling(each, frame)):
                yield found.named(self.record.name, each.name, frame.raw[each.name].shown)

    def in_order(self, frame: Frame, before: RowsBefore) -> Iterator[Violation]:
        """Check what depends on earlier rows; blocks come in the order of the file."""
        assert frame.siblings_of is not None
        if self.record.parent_field is not None:
            frame.siblings_of.nowhere |= frame.at_fault(self.record.parent_field.name)
        before.begin(frame.siblings_of)
        frame.before = before
        for name in filter(self.deferred.__contains__, self.order):
            yield from self._one(frame, self.record.by_name[name], np.arange(frame.size))
        for condition in written_conditions(self.record):
            if f"always {self.text(condition)}" not in self.unjudged and self.is_late(condition):
                yield from self._always(frame, condition)
        named = {name for names in before.named.values() for name in names if name in frame.fields}
        before.end(
            {name: frame.fields[name].spread(frame.size) for name in named},
            {name: frame.at_fault(name) for name in named},
        )

    def _fields(self, frame: Frame, inside: str, rows: Places) -> Iterator[Violation]:
        """Check the fields of the record, or those of a list of records inside other rows."""
        later = []
        for name in self.order:
            if (self.record.list_around(name) or "") != inside:
                continue
            field = self.record.by_name[name]
            yield from self._one(frame, field, rows)
            if isinstance(field.head, ListOf) and field.head.of_records and not field.helper:
                if self._reads_unseen(frame, field):
                    later.append(field)
                else:
                    yield from self._inside(frame, field, rows)
        for field in later:
            yield from self._inside(frame, field, rows)

    def _reads_unseen(self, frame: Frame, field: Field) -> bool:
        """Return whether something in a list of records depends on a field around it that comes after the list."""
        inside = {name for name in self.order if self._is_within(name, field.name)}
        read = {each for name in inside for each in self.plan.needs.get((self.record.name, name), ())}
        return any(name in self.record.by_name and not frame.knows(name) for name in read - inside)

    def _is_within(self, name: str, outer: str) -> bool:
        while (around := self.record.list_around(name)) is not None:
            if around == outer:
                return True
            name = around
        return False

    def _one(self, frame: Frame, field: Field, rows: Places) -> Iterator[Violation]:
        """Check one field; earlier findings are not repeated."""
        if field.helper:
            self._helper(frame, field)
            return
        name = field.name
        faults = frame.at_fault(name).copy()
        for each in self._field(frame, field):
            # Only the first fault of a value is named, not its consequences.
            found = each.keep(~faults)
            if len(found):
                faults[found.rows] = True
                yield replace(found.named(self.record.name, name, self._shown(frame, name)), rows=rows[found.rows])
        frame.faulty[name] = frame.faulty.get(name, np.zeros(frame.size, dtype=np.bool_)) | faults

    @staticmethod
    def _shown(frame: Frame, name: str) -> Callable[[int], str]:
        """Return what a message shows of the value in a row."""
        raw = frame.raw.get(name)
        return raw.shown if raw is not None else absent(frame.size).shown

    def _helper(self, frame: Frame, field: Field) -> None:
        """Compute a helper field from the fields it is derived from, if they are known."""
        kind = self.plan.types[self.record.name, field.name]
        if self.known.field(self.record, field.name) or not isinstance(field.head, Derived):
            return
        if field.name in self.waiting and not frame.in_order:
            return
        expression = field.head.expression
        sound = frame.sound([expression])
        places, (column,) = frame.computed(
            np.flatnonzero(sound),
            lambda part: [cast(evaluate(expression, part), kind)],
            f"{self.record.name}.{field.name}",
        )
        frame.fields[field.name] = _spread_out(column, places, frame.size)
        bad = np.ones(frame.size, dtype=np.bool_)
        bad[places] = False
        frame.faulty[field.name] = bad

    def _field(self, frame: Frame, field: Field) -> Iterator[Violation]:
        """Yield the violations of a field, in the order of the rules."""
        raw = frame.raw.get(field.name)
        if raw is None:
            raw = absent(frame.size)
        kind = self.plan.types[self.record.name, field.name]
        if isinstance(field.head, Nested):
            yield from self._nested(frame, field, raw)
            return
        if isinstance(field.head, ListOf) or kind.name == "list":
            yield from self._list(frame, field, raw, kind)
            return
        if self._cut(field):
            yield from self._part(frame, field, raw, kind)
            return
        read, found = self._typed(frame, field, raw, kind)
        zoned = _zone(field) is not None
        frame.fields[field.name] = found.column
        judged = ~self._above_missing(frame, field)
        yield from (each.keep(judged) for each in self._presence(frame, field, raw.missing))
        as_shown = field.shown.pattern if field.shown is not None and self._written(field) else ""
        expected = form_text(as_shown, kind) if as_shown else type_text(kind, zoned)
        yield violation("type", found.wrong & judged, expected)
        good = judged & ~raw.missing & ~found.wrong
        yield from self._shape(frame, field, read, found, good, judged)
        yield from digits(found, good)
        rejected = tuple(
            value for each in field.told if not each.accept and (value := literal_of(each.text, field)) is not None
        )
        if rejected:
            wrong = good & among(found.column, rejected, frame.size)
            yield violation("rejected", wrong, "a value that is not rejected")
        yield from (each.keep(judged) for each in self._absence(frame, field, raw.missing))

    def _part(self, frame: Frame, field: Field, raw: Raw, kind: Type) -> Iterator[Violation]:
        """Check a field of which the file shows only a part; its values are unknown to others."""
        assert field.shown is not None
        pattern = field.shown.pattern
        zeros = np.zeros(frame.size, dtype=np.float64 if kind == REAL else np.int64)
        frame.fields[field.name] = Column(kind, zeros, np.ones(frame.size, dtype=np.bool_))
        frame.faulty[field.name] = np.ones(frame.size, dtype=np.bool_)
        judged = ~self._above_missing(frame, field)
        yield from (each.keep(judged) for each in self._presence(frame, field, raw.missing))
        texts = pc.fill_null(raw.texts, word(""))
        wrong = ~raw.missing & ((raw.sorts != CELL) & (raw.sorts != STRING) | form_broken(texts, pattern, kind))
        yield violation("type", wrong & judged, form_text(pattern, kind))
        yield from self._shape(frame, field, replace(raw, texts=texts), None, judged & ~raw.missing & ~wrong, judged)
        yield from (each.keep(judged) for each in self._absence(frame, field, raw.missing))

    def _typed(self, frame: Frame, field: Field, raw: Raw, kind: Type) -> tuple[Raw, Typed]:
        """Return the values of a field in its type; kept for a field that is checked twice."""
        if field.name in frame.typed:
            return frame.typed.pop(field.name)
        read = restored(raw, field.shown.pattern, kind) if self._written(field) and field.shown is not None else raw
        zone = _zone(field)
        found = typed(read, kind, zone is not None)
        if zone is not None and found.offsets is not None:
            local = shown(np.asarray(found.column.values), found.offsets, zone)
            found = replace(found, column=replace(found.column, values=local))
        if field.name in self.deferred:
            frame.typed[field.name] = read, found
        return read, found

    def _above_missing(self, frame: Frame, field: Field) -> Mask:
        """Return where the record around a field is missing or faulty, so that the field cannot be present."""
        inside = field.parent
        if not inside or inside not in frame.fields:
            return np.zeros(frame.size, dtype=np.bool_)
        return frame.missing(inside) | frame.at_fault(inside)

    def _always(self, frame: Frame, condition: Expression) -> Iterator[Violation]:
        places, (column,) = self._condition(frame, condition)
        nulls = np.zeros(len(places), dtype=np.bool_) if column.nulls is None else column.nulls
        wrong = places[~nulls & ~true_of(column, len(places))]
        if len(wrong):
            text = self.text(condition)
            found = Violation("always", wrong, wrong, lambda at: text)
            yield found.named(self.record.name, text, lambda row: values_read(frame, condition, row))

    def _nested(self, frame: Frame, field: Field, raw: Raw) -> Iterator[Violation]:
        inner = [
            each
            for each in self.record.shown
            if each.name.startswith(field.name + ".") and not isinstance(each.head, Nested)
        ]
        if field.name in frame.raw:
            wrong = ~raw.missing & (raw.sorts != OBJECT) & ~((raw.sorts == CELL) & (_widths(raw) == 0))
            missing = raw.missing
        else:
            # In separate columns: the record is present if one of them has a value.
            wrong = np.zeros(frame.size, dtype=np.bool_)
            gone = [frame.raw[each.name].missing for each in inner if each.name in frame.raw]
            missing = np.logical_and.reduce([~wrong, *gone])
            if not self._may_miss(field):
                missing = wrong
        frame.fields[field.name] = Column(
            self.plan.types[self.record.name, field.name],
            np.zeros(frame.size, dtype=np.int64),
            missing if missing.any() else None,
        )
        judged = ~self._above_missing(frame, field)
        told = field.name in frame.raw or any(not self._may_miss(each, field.name) for each in inner)
        if told:
            yield from (each.keep(judged) for each in self._presence(frame, field, missing))
        yield violation("type", wrong & judged, "a record")
        if told:
            yield from (each.keep(judged) for each in self._absence(frame, field, missing))

    @staticmethod
    def _may_miss(field: Field, inside: str = "") -> bool:
        """Return whether a field may have no value if the record around it is present."""
        condition = field.present_if
        if condition is not None and isinstance(condition, NullTest | Unary):
            condition = (
                None if {each.name for each in walk(condition) if isinstance(each, Name)} == {inside} else condition
            )
        return (
            field.optional
            or condition is not None
            or (isinstance(field.body, Table) and field.body.rows[-1][0] is not None)
            or any(each.missing for each in field.phrases)
            or any(
                isinstance(each.head, Derived) and not isinstance(each.head.expression, Template)
                for each in field.phrases
            )
        )

    def _list(self, frame: Frame, field: Field, raw: Raw, kind: Type) -> Iterator[Violation]:
        """Check a list: its type, its length, and its values in a frame of their own."""
        lists, wrong = list_in_cell(raw)
        judged = ~self._above_missing(frame, field)
        nulls = raw.missing | wrong
        lengths = np.array([len(each) for each in lists], dtype=np.int64)
        nothings = Column(NULL, np.zeros(int(lengths.sum()), dtype=np.int64))
        frame.fields[field.name] = as_lists(nothings, lengths, kind, nulls)
        yield from (each.keep(judged) for each in self._presence(frame, field, raw.missing))
        yield violation("type", wrong & judged, "a list")
        good = judged & ~nulls
        places = np.repeat(np.arange(frame.size), lengths)
        flat = [value for each in lists for value in each]
        head = field.head
        if not isinstance(head, ListOf):
            frame.faulty[field.name] = np.ones(frame.size, dtype=np.bool_)
            yield from (each.keep(judged) for each in self._absence(frame, field, raw.missing))
            return
        long = good & ((lengths < head.low) | ((lengths > head.high) & (not head.unlimited)))
        span = f"{head.low}" if head.low == head.high else f"{head.low} to {head.high}"
        span = f"at least {head.low}" if head.unlimited else span
        yield violation("length", long, f"{span} values")
        if head.of_records:
            frame.flat[field.name] = (flat, places, good)
            yield from (each.keep(judged) for each in self._absence(frame, field, raw.missing))
            return
        inner = Frame(np.arange(len(flat), dtype=np.uint64), {}, frame.parents, self.today, (frame, places))
        if head.phrase.missing:
            # An empty XML element is not a text where texts cannot be empty.
            flat = [None if isinstance(each, Cell) and not each else each for each in flat]
        inside = of_values(flat)
        of = kind.of
        assert of is not None
        found = typed(inside, of)
        part = Field(field.name, head.phrase)
        missing = inside.missing
        fine = good[places] & ~missing & ~found.wrong
        inner.fields[field.name] = found.column
        frame.fields[field.name] = as_lists(found.column, lengths, kind, nulls)
        wrongs = [
            violation("presence", missing & bool(not head.phrase.missing), "a value"),
            violation("type", found.wrong, type_text(of, False)),
            *self._shape(inner, part, inside, found, fine),
            *digits(found, fine),
        ]
        if head.distinct:
            wrongs.append(violation("distinct", twice_in(found.column, places, len(flat), fine), "values that differ"))
        starts = np.cumsum(lengths) - lengths
        yield from (each.around(places, starts).keep(good) for each in wrongs)
        yield from (each.keep(judged) for each in self._absence(frame, field, raw.missing))

    def _inside(self, frame: Frame, field: Field, rows: Places) -> Iterator[Violation]:
        """Check the records of a list."""
        flat, places, good = frame.flat.pop(field.name)
        # An empty XML element is a record without values.
        flat = [{} if isinstance(each, Cell) and not each.strip() else as_record(each) for each in flat]
        fine = np.array([isinstance(each, dict) for each in flat], dtype=np.bool_)
        if not fine.all():
            wrong = distinct(places[~fine])
            frame.faulty[field.name][wrong] = True
            found = violation("type", ~fine, "a list of records")
            yield replace(
                found.around(places, np.searchsorted(places, np.arange(frame.size))).named(
                    self.record.name, field.name, lambda row: "a value that is not a record"
                ),
                rows=rows[wrong],
            )
        kept = np.flatnonzero(fine & good[places])
        source = Reading(lambda: iter(()))
        records = [flat[at] for at in kept.tolist()]
        columns = columns_of(records, layout_of(self.record, field.name), source)
        inner = Frame(
            np.arange(len(records), dtype=np.uint64), columns, frame.parents, self.today, (frame, places[kept])
        )
        yield from self._fields(inner, field.name, rows[places[kept]])
        for name in self.order:
            if self.record.list_around(name) == field.name and name in inner.parents:
                found = dangling(self.record.by_name[name], inner)
                if len(found):
                    yield replace(
                        found.named(self.record.name, name, self._shown(inner, name)),
                        rows=rows[places[kept]][found.rows],
                    )


def dangling(field: Field, frame: Frame) -> Violation:
    """Return where a reference has not the key of a row of the other file, and note these as faulty."""
    assert isinstance(field.head, Reference)
    name = field.name
    lost = (frame.found(name) < 0) & ~frame.missing(name) & ~frame.at_fault(name)
    frame.faulty[name] = frame.at_fault(name) | lost
    return violation("reference", lost, f"the key of a row of `{field.head.record}`")


def _zone(field: Field) -> str | None:
    return field.head.zone if isinstance(field.head, model.DateTime) else None


def _widths(raw: Raw) -> NDArray[np.int64]:
    return numbers_or(pc.binary_length(raw.texts), np.int32, 0)


def _spread_out(column: Column, places: Places, size: int) -> Column:
    """Return a column with values at some positions, and none elsewhere."""
    return merge([(places, column)], size, column.type)
