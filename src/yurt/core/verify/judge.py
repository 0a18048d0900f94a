"""Holds the rows of one record type against its fields, block by block."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import date
from typing import Any

import numpy as np
import pyarrow.compute as pc
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.arrays import arrow, flags, joined, numbers_or, strings
from yurt.core.columns.column import Column, Mask, Places, cast, merge
from yurt.core.columns.evaluate import evaluate
from yurt.core.language.check import Plan
from yurt.core.language.expressions import Expression, Name, NullTest, Unary, walk
from yurt.core.model import Derived, Field, ListOf, Nested, Phrase, Record, Reference, Schema, Table, expressions_in
from yurt.core.narrowing import literal_of, written_conditions
from yurt.core.reading.raw import CELL, OBJECT, Block, Cell, Raw, Reading, absent, of_values
from yurt.core.reading.tree import columns_of, layout_of
from yurt.core.types import NULL, REAL, TEXT, Type
from yurt.core.verify.cells import list_in_cell
from yurt.core.verify.frame import Frame, Parents
from yurt.core.verify.known import Known
from yurt.core.verify.lists import any_of, as_lists, first_of, twice_in
from yurt.core.verify.shapes import Look, among, broken
from yurt.core.verify.typed import Typed, typed
from yurt.core.verify.violation import Violation
from yurt.core.verify.wording import item_text, type_text, value_text, values_read, values_text
from yurt.core.verify.written import reader, restored

# A floating-point number may differ from the expression by this part of it.
NEAR = 1e-9


class Judge:
    """What is known of a record type before its data are read."""

    def __init__(self, schema: Schema, record: Record, plan: Plan, known: Known, today: date, plain: bool) -> None:
        """`plain` says that the file has texts only (CSV, XML), written as `as` says."""
        self.schema, self.record, self.plan, self.known, self.today, self.plain = (
            schema,
            record,
            plan,
            known,
            today,
            plain,
        )
        self.order = [name for owner, name in plan.types if owner == record.name]
        # What is not judged, with the reason.
        self.unjudged: dict[str, str] = {}
        # The fields of which the values are not judged, only their type; and those that may be missing for all we know.
        self.blind: set[str] = set()
        self.silent: set[str] = set()
        self._static()

    def _static(self) -> None:
        record = self.record
        for field in record.fields:
            what = f"{record.name}.{field.name}"
            if field.hidden:
                continue
            if reason := self._why_silent(field):
                self.unjudged[f"{what}, whether it is missing"] = reason
                self.silent.add(field.name)
            if reason := "`as` leaves out a part of the value" if self._cut(field) else self._why_blind(field):
                self.unjudged[what] = reason
                self.blind.add(field.name)
            if self.plan.types[record.name, field.name].name == "list" and not isinstance(field.head, ListOf):
                self.unjudged[what] = "a list that follows from others"
                self.blind.add(field.name)
            if isinstance(field.head, Reference) and field.head.record not in self.known.given:
                self.unjudged[what] = f"there are no data of `{field.head.record}`"
        for condition in written_conditions(record):
            if reason := self.known.why_not(record, [condition]):
                self.unjudged[f"always {self.text(condition)}"] = reason

    def _why_blind(self, field: Field) -> str:
        """Return why the values of a field cannot be judged."""
        conditions = [each for each, _ in field.body.rows if each is not None] if isinstance(field.body, Table) else []
        heads = [each.head.phrase.head if isinstance(each.head, ListOf) else each.head for each in field.phrases]
        return self.known.why_not(self.record, [*conditions, *expressions_in(tuple(heads))])

    def _why_silent(self, field: Field) -> str:
        """Return why it cannot be said whether a field may be missing."""
        conditions = [field.only_if, *(each.missing_if for each in field.phrases)]
        return self.known.why_not(self.record, [each for each in conditions if each is not None])

    def _cut(self, field: Field) -> bool:
        kind = self.plan.types[self.record.name, field.name]
        return self._written(field) and field.shown is not None and reader(field.shown.pattern, kind) is None

    def _written(self, field: Field) -> bool:
        """Return whether a field stands in the file as `as` says."""
        plain = self.plain and self.record.list_around(field.name) is None
        return field.shown is not None and (plain or field.shown.always)

    def text(self, expression: Expression) -> str:
        """Return a condition as it stands in the schema."""
        source = self.schema.source
        return " ".join(source.text[expression.span.start : expression.span.end].split())

    # ---- one block ---------------------------------------------------------------------------------------------

    def frame(self, block: Block, parents: dict[str, Parents]) -> tuple[Frame, list[Violation]]:
        """Judge the fields of a block one by one; return its rows, with what is wrong."""
        heads = {each.name: each.head for each in self.record.fields}
        targets = {
            name: parents[head.record]
            for name, head in heads.items()
            if isinstance(head, Reference) and head.record in parents
        }
        frame = Frame(np.arange(block.size, dtype=np.uint64), block.columns, targets, self.today)
        violations = list(self._fields(frame, "", np.arange(block.size)))
        for condition in written_conditions(self.record):
            if f"always {self.text(condition)}" not in self.unjudged:
                violations += self._always(frame, condition)
        violations += self._agreement(frame)
        return frame, violations

    def _agreement(self, frame: Frame) -> Iterator[Violation]:
        """Fields that take columns of one value list hold values of one of its rows."""
        for name, listed in self.schema.lists.items():
            fields = [
                each for each in self.record.shown
                if isinstance(each.head, model.FromList) and each.head.name == name and each.only_if is None
                and self.record.list_around(each.name) is None and each.name not in self.blind
            ]  # fmt: skip
            if len(fields) < 2:
                continue
            good = np.logical_and.reduce([~frame.at_fault(each.name) & ~frame.missing(each.name) for each in fields])
            places = np.flatnonzero(good)
            columns = [frame.fields[each.name].take(places) for each in fields]
            keys = joined(*(each.text(len(places)) for each in columns), between="\x1f")
            rows = zip(*(listed.column(each.head.column) for each in fields), strict=True)  # type: ignore[union-attr]
            allowed = [
                "\x1f".join(item_text(value, column.type) for value, column in zip(row, columns, strict=True))
                for row in rows
            ]
            wrong = places[~flags(pc.is_in(keys, value_set=strings(allowed)))]
            if len(wrong):
                titles = ", ".join(each.name for each in fields)
                yield Violation(
                    self.record.name, titles, "agreement", wrong,
                    lambda at, wrong=wrong, fields=fields: values_text(frame, fields, int(wrong[at])),  # type: ignore[misc]
                    lambda at, name=name: f"values of one row of the list `{name}`",  # type: ignore[misc]
                )  # fmt: skip

    def _fields(self, frame: Frame, inside: str, rows: Places) -> Iterator[Violation]:
        """Judge the fields of the record, or those of a list of records whose rows stand in other rows."""
        for name in self.order:
            if (self.record.list_around(name) or "") != inside:
                continue
            field = self.record.by_name[name]
            if field.hidden:
                self._hidden(frame, field)
                continue
            faults = np.zeros(frame.size, dtype=np.bool_)
            for violation in self._field(frame, field):
                # The first fault of a value is named; what it implies besides is no second one.
                where = np.flatnonzero(violation[1] & ~faults)
                if not len(where):
                    continue
                rule, _, expected, shown = violation
                faults[where] = True
                yield Violation(
                    self.record.name, name, rule, rows[where],
                    lambda at, where=where, shown=shown: shown(int(where[at])),  # type: ignore[misc]
                    lambda at, where=where, expected=expected: expected(int(where[at])),  # type: ignore[misc]
                )  # fmt: skip
            frame.faulty[name] = frame.faulty.get(name, np.zeros(frame.size, dtype=np.bool_)) | faults
            if isinstance(field.head, ListOf) and field.head.of_records:
                yield from self._inside(frame, field, rows)

    def _hidden(self, frame: Frame, field: Field) -> None:
        """Compute a hidden field from what it follows from, where that is known."""
        kind = self.plan.types[self.record.name, field.name]
        if self.known.field(self.record, field.name) or not isinstance(field.head, Derived):
            return
        expression = field.head.expression
        sound = frame.sound([expression])
        places, (column,) = frame.computed(np.flatnonzero(sound), lambda part: [cast(evaluate(expression, part), kind)])
        frame.fields[field.name] = _spread_out(column, places, frame.size)
        bad = np.ones(frame.size, dtype=np.bool_)
        bad[places] = False
        frame.faulty[field.name] = bad

    def _field(
        self, frame: Frame, field: Field
    ) -> Iterator[tuple[str, Mask, Callable[[int], str], Callable[[int], str]]]:
        """Yield rule, rows, what is right there and what stands there, in the order of the rules."""
        raw = frame.raw.get(field.name)
        if raw is None:
            raw = absent(frame.size)
        kind = self.plan.types[self.record.name, field.name]
        shown = raw.shown
        if isinstance(field.head, Nested):
            yield from self._nested(frame, field, raw)
            return
        if isinstance(field.head, ListOf) or kind.name == "list":
            yield from self._list(frame, field, raw, kind)
            return
        if self._cut(field):
            frame.fields[field.name] = Column(
                kind, np.zeros(frame.size, dtype=np.int64), np.ones(frame.size, dtype=bool)
            )
            frame.faulty[field.name] = np.ones(frame.size, dtype=np.bool_)
            return
        read = restored(raw, field.shown.pattern, kind) if self._written(field) and field.shown is not None else raw
        zoned = isinstance(field.head, model.DateTime) and field.head.zone is not None
        found = typed(read, kind, zoned)
        frame.fields[field.name] = found.column
        judged = ~self._above_missing(frame, field)
        missing = raw.missing
        yield from (
            (rule, where & judged, right, shown) for rule, where, right in self._presence(frame, field, missing)
        )
        yield "type", found.wrong & judged, lambda at: type_text(kind, zoned), shown
        good = judged & ~missing & ~found.wrong
        for rule, where, right in self._shape(frame, field, read, found, good):
            yield rule, where, right, shown
        rejected = [
            value for each in field.told if not each.accept and (value := literal_of(each.text, field)) is not None
        ]
        if rejected:
            yield (
                "rejected",
                good & among(found.column, tuple(rejected), frame.size),
                lambda at: "a value that is not rejected",
                shown,
            )

    def _above_missing(self, frame: Frame, field: Field) -> Mask:
        """Return where the record that a field is in is missing, or at fault, so that the field cannot be there."""
        inside = field.parent
        if not inside or inside not in frame.fields:
            return np.zeros(frame.size, dtype=np.bool_)
        return frame.missing(inside) | frame.at_fault(inside)

    # ---- presence ----------------------------------------------------------------------------------------------

    def _presence(self, frame: Frame, field: Field, missing: Mask) -> Iterator[tuple[str, Mask, Callable[[int], str]]]:
        """A value stands where one must, and none where `only if` says so."""
        none = np.zeros(frame.size, dtype=np.bool_)
        needed, sure = self._needed(frame, field) if missing.any() else (none, none)
        if field.only_if is not None and field.name not in self.silent:
            condition = self.text(field.only_if)
            yield "presence", missing & needed & sure, lambda at: f"a value, as {condition}"
            active, known = self._holds(frame, field.only_if)
            yield "condition", ~missing & ~active & known, lambda at: f"nothing, unless {condition}"
        else:
            yield "presence", missing & needed & sure, lambda at: "a value"

    def _needed(self, frame: Frame, field: Field) -> tuple[Mask, Mask]:
        """Return where a value must stand, and where that can be said."""
        every = np.ones(frame.size, dtype=np.bool_)
        if field.optional or field.name in self.blind | self.silent:
            return ~every, every
        needed, sure = every, every
        if field.only_if is not None:
            active, known = self._holds(frame, field.only_if)
            needed, sure = needed & active, sure & known
        parts = np.zeros(frame.size, dtype=np.bool_)
        for phrase, places in self._chosen(frame, field):
            parts[places] = self._must(frame, phrase, places)
        return needed & parts, sure

    def _must(self, frame: Frame, phrase: Phrase, places: Places) -> Mask:
        """Return at which places a phrase must give a value."""
        head = phrase.head
        if isinstance(head, model.KindOf | model.FromList | Derived):
            # A kind may have nothing to say, and what follows from others is compared as a whole.
            return np.zeros(len(places), dtype=np.bool_)
        if isinstance(head, Reference) and head.record == self.record.name:
            return np.zeros(len(places), dtype=np.bool_)
        found = np.ones(len(places), dtype=np.bool_)
        if phrase.missing:
            found &= False
            if phrase.missing_if is not None:
                allowed, known = self._holds(frame.select(places), phrase.missing_if)
                found = ~allowed & known
        bounds = list(expressions_in(getattr(head, "range", None)))
        if bounds:
            part = frame.select(places)
            sound = part.sound(bounds)
            at, ends = part.computed(np.flatnonzero(sound), lambda some: [evaluate(each, some) for each in bounds])
            known = np.zeros(len(places), dtype=np.bool_)
            known[at] = np.logical_and.reduce(
                [np.ones(len(at), bool) if each.nulls is None else ~each.nulls for each in ends]
            )
            found &= known
        return found

    def _holds(self, frame: Frame, condition: Expression) -> tuple[Mask, Mask]:
        """Return where a condition is true, and where that can be said."""
        if id(condition) in frame.held:
            return frame.held[id(condition)]
        places, (column,) = frame.computed(
            np.flatnonzero(frame.sound([condition])), lambda part: [evaluate(condition, part)]
        )
        true, known = np.zeros(frame.size, dtype=np.bool_), np.zeros(frame.size, dtype=np.bool_)
        known[places] = True
        true[places] = _true(column, len(places))
        frame.held[id(condition)] = true, known
        return true, known

    def _chosen(self, frame: Frame, field: Field) -> Iterator[tuple[Phrase, Places]]:
        """Yield each phrase of a field with the rows that it decides; rows of which that is unknown are left out."""
        if isinstance(field.body, Phrase):
            yield field.body, np.arange(frame.size)
            return
        waiting = np.ones(frame.size, dtype=np.bool_)
        for condition, phrase in field.body.rows:
            true, known = (waiting, waiting) if condition is None else self._holds(frame, condition)
            yield phrase, np.flatnonzero(waiting & true)
            waiting = waiting & ~true & known

    # ---- values ------------------------------------------------------------------------------------------------

    def _shape(
        self, frame: Frame, field: Field, raw: Raw, found: Typed, good: Mask
    ) -> Iterator[tuple[str, Mask, Callable[[int], str]]]:
        if field.name in self.blind:
            return
        for phrase, places in self._chosen(frame, field):
            if isinstance(phrase.head, Derived):
                yield from self._derived(frame, phrase.head.expression, found.column, places, good | raw.missing)
                continue
            chosen = places[good[places]]
            bounds = [
                each for each in expressions_in(phrase.head) if not isinstance(phrase.head, model.KindOf | ListOf)
            ]
            if bounds:
                chosen = chosen[frame.select(chosen).sound(bounds)]
            yield from self._looked(frame, phrase, raw, found, chosen)
        if isinstance(field.body, Table):
            decided = np.zeros(frame.size, dtype=np.bool_)
            for _, places in self._chosen(frame, field):
                decided[places] = True
            conditions = [each for each, _ in field.body.rows if each is not None]
            sound = frame.sound(conditions)
            yield "condition", good & ~decided & sound, lambda at: "nothing: no line of the table holds"

    def _looked(
        self, frame: Frame, phrase: Phrase, raw: Raw, found: Typed, chosen: Places
    ) -> Iterator[tuple[str, Mask, Callable[[int], str]]]:
        results: list[tuple[str, Any, Callable[[int], str]]] = []

        def look(part: Frame) -> list[Column]:
            at = part.rows.astype(np.int64)
            part_look = Look(
                part, found.column.take(at) if len(at) < frame.size else found.column,
                raw.texts.take(arrow(at)) if len(at) < frame.size else raw.texts,
                None if found.finer is None else found.finer[at],
                found.offsets[at] if found.offsets is not None else None, self.schema,
            )  # fmt: skip
            every = ((each.rule, each.where, each.expected) for each in broken(phrase, part_look))
            results[:] = [each for each in every if each[1].any()]
            return []

        places, _ = frame.computed(chosen, look)
        for rule, where, expected in results:
            whole = np.zeros(frame.size, dtype=np.bool_)
            whole[places] = where
            index = np.zeros(frame.size, dtype=np.int64)
            index[places] = np.arange(len(places))
            yield rule, whole, lambda at, index=index, expected=expected: expected(int(index[at]))  # type: ignore[misc]

    def _derived(
        self, frame: Frame, expression: Any, column: Column, places: Places, good: Mask
    ) -> Iterator[tuple[str, Mask, Callable[[int], str]]]:
        """A field that follows from others has the value that follows."""
        chosen = places[good[places]]
        chosen = chosen[frame.select(chosen).sound([expression])]
        at, (right,) = frame.computed(chosen, lambda part: [cast(evaluate(expression, part), column.type)])
        wrong = np.zeros(frame.size, dtype=np.bool_)
        wrong[at] = _differs(column.take(at) if len(at) < frame.size else column, right, len(at))
        index = np.zeros(frame.size, dtype=np.int64)
        index[at] = np.arange(len(at))
        yield "value", wrong, lambda row: value_text(right, int(index[row]))

    def _always(self, frame: Frame, condition: Expression) -> Iterator[Violation]:
        places, (column,) = frame.computed(
            np.flatnonzero(frame.sound([condition])), lambda part: [evaluate(condition, part)]
        )
        nulls = np.zeros(len(places), dtype=np.bool_) if column.nulls is None else column.nulls
        wrong = places[~nulls & ~_true(column, len(places))]
        if len(wrong):
            text = self.text(condition)
            yield Violation(
                self.record.name,
                text,
                "always",
                wrong,
                lambda at: values_read(frame, condition, int(wrong[at])),
                lambda at: text,
            )

    # ---- records and lists inside ------------------------------------------------------------------------------

    def _nested(
        self, frame: Frame, field: Field, raw: Raw
    ) -> Iterator[tuple[str, Mask, Callable[[int], str], Callable[[int], str]]]:
        inner = [
            each
            for each in self.record.shown
            if each.name.startswith(field.name + ".") and not isinstance(each.head, Nested)
        ]
        if field.name in frame.raw:
            wrong = ~raw.missing & (raw.sorts != OBJECT) & ~((raw.sorts == CELL) & (_widths(raw) == 0))
            missing = raw.missing
        else:
            # Columns of their own: the record is there when one of them has a value.
            wrong = np.zeros(frame.size, dtype=np.bool_)
            gone = [frame.raw[each.name].missing for each in inner if each.name in frame.raw]
            missing = np.logical_and.reduce(gone) if gone else ~wrong
            if not self._may_miss(field):
                missing = wrong
        frame.fields[field.name] = Column(
            self.plan.types[self.record.name, field.name],
            np.zeros(frame.size, dtype=np.int64),
            missing if missing.any() else None,
        )
        judged = ~self._above_missing(frame, field)
        told = field.name in frame.raw or any(not self._may_miss(each, field.name) for each in inner)
        for rule, where, right in self._presence(frame, field, missing):
            yield rule, where & judged & told, right, raw.shown
        yield "type", wrong & judged, lambda at: "a record", raw.shown

    @staticmethod
    def _may_miss(field: Field, inside: str = "") -> bool:
        """Return whether a field may have no value, when the record that it is inside of is there."""
        condition = field.only_if
        if condition is not None and isinstance(condition, NullTest | Unary):
            condition = (
                None if {each.name for each in walk(condition) if isinstance(each, Name)} == {inside} else condition
            )
        return (
            field.optional
            or condition is not None
            or any(each.missing for each in field.phrases)
            or isinstance(field.head, model.KindOf | Derived | model.FromList)
        )

    def _list(
        self, frame: Frame, field: Field, raw: Raw, kind: Type
    ) -> Iterator[tuple[str, Mask, Callable[[int], str], Callable[[int], str]]]:
        """Judge a list: that it is one, how long it is, and its values in a frame of their own."""
        shown = raw.shown
        lists, wrong = list_in_cell(raw)
        judged = ~self._above_missing(frame, field)
        nulls = raw.missing | wrong
        lengths = np.array([len(each) for each in lists], dtype=np.int64)
        nothings = Column(NULL, np.zeros(int(lengths.sum()), dtype=np.int64))
        frame.fields[field.name] = as_lists(nothings, lengths, kind, nulls)
        for rule, where, right in self._presence(frame, field, raw.missing):
            yield rule, where & judged, right, shown
        yield "type", wrong & judged, lambda at: "a list", shown
        good = judged & ~nulls
        places = np.repeat(np.arange(frame.size), lengths)
        flat = [value for each in lists for value in each]
        head = field.head
        if not isinstance(head, ListOf):
            frame.faulty[field.name] = np.ones(frame.size, dtype=np.bool_)
            return
        long = good & ((lengths < head.low) | (lengths > head.high))
        span = f"{head.low}" if head.low == head.high else f"{head.low} to {head.high}"
        yield "length", long, lambda at: f"{span} values", shown
        if head.of_records:
            frame.flat[field.name] = (flat, places, good)
            return
        inner = Frame(np.arange(len(flat), dtype=np.uint64), {}, frame.parents, self.today, (frame, places))
        if head.phrase.missing:
            # An element of XML with nothing in it is no text, where there may be none.
            flat = [None if isinstance(each, Cell) and not each else each for each in flat]
        inside = of_values(flat)
        of = kind.of
        assert of is not None
        found = typed(inside, of)
        part = Field(field.name, head.phrase)
        missing = inside.missing
        wrongs = [
            ("presence", missing & bool(not head.phrase.missing), lambda at: "a value"),
            ("type", found.wrong, lambda at: type_text(of, False)),
        ]
        fine = good[places] & ~missing & ~found.wrong
        inner.fields[field.name] = found.column
        frame.fields[field.name] = as_lists(found.column, lengths, kind, nulls)
        wrongs += list(self._shape(inner, part, inside, found, fine))
        for rule, where, right in wrongs:
            yield rule, any_of(where, places, frame.size) & good, first_of(where, places, right), shown
        if head.distinct:
            twice = twice_in(found.column, places, len(flat), fine)
            yield "distinct", any_of(twice, places, frame.size) & good, lambda at: "values that differ", shown

    def _inside(self, frame: Frame, field: Field, rows: Places) -> Iterator[Violation]:
        """Judge the records of a list."""
        flat, places, good = frame.flat.pop(field.name)
        fine = np.array([isinstance(each, dict) for each in flat], dtype=np.bool_)
        if not fine.all():
            wrong = np.unique(places[~fine])
            frame.faulty[field.name][wrong] = True
            yield Violation(
                self.record.name,
                field.name,
                "type",
                rows[wrong],
                lambda at: "a value that is no record",
                lambda at: "a list of records",
            )
        kept = np.flatnonzero(fine & good[places])
        source = Reading(lambda: iter(()))
        records = [flat[at] for at in kept.tolist()]
        columns = columns_of(records, layout_of(self.record, field.name), source)
        inner = Frame(
            np.arange(len(records), dtype=np.uint64), columns, frame.parents, self.today, (frame, places[kept])
        )
        yield from self._fields(inner, field.name, rows[places[kept]])


def _true(column: Column, size: int) -> Mask:
    if column.type.name == "null":
        return np.zeros(size, dtype=np.bool_)
    found: Mask = np.broadcast_to(column.true(), (size,))
    return found


def _widths(raw: Raw) -> NDArray[np.int64]:
    return numbers_or(pc.binary_length(raw.texts), np.int32, 0)


def _spread_out(column: Column, places: Places, size: int) -> Column:
    """Return a column whose values stand at some places, nothing elsewhere."""
    return merge([(places, column)], size, column.type)


def _differs(found: Column, right: Column, size: int) -> Mask:
    left_nulls = np.zeros(size, dtype=bool) if found.nulls is None else np.broadcast_to(found.nulls, (size,))
    right_nulls = np.zeros(size, dtype=bool) if right.nulls is None else np.broadcast_to(right.nulls, (size,))
    if right.type.name == "null":
        return ~left_nulls
    if found.type == TEXT:
        same = flags(pc.equal(found.text(size), right.text(size)))
    elif found.type == REAL:
        same = np.isclose(found.values, right.values, rtol=NEAR, atol=1e-12)
    else:
        same = found.values == right.values
    different: Mask = np.where(left_nulls | right_nulls, left_nulls != right_nulls, ~same)
    return different
