"""Holds the values of one field against what the schema says of it."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from typing import Any

import numpy as np
import pyarrow.compute as pc

from yurt.core import model
from yurt.core.base.arrays import arrow, flags
from yurt.core.base.types import REAL, TEXT
from yurt.core.columns.column import Column, Mask, Places, cast
from yurt.core.columns.evaluate import evaluate
from yurt.core.formats.common.raw import Raw
from yurt.core.model import Derived, Field, ListOf, Phrase, Record, Reference, Schema, Table, expressions_in
from yurt.core.model.expressions import Expression
from yurt.core.model.plan import Plan
from yurt.core.planning.restrictions import written_conditions
from yurt.core.verify.frame import Frame
from yurt.core.verify.known import Known
from yurt.core.verify.shapes import CheckInput, broken
from yurt.core.verify.typed import Typed
from yurt.core.verify.violation import Violation, violation
from yurt.core.verify.wording import value_text
from yurt.core.verify.written import reader

# A floating-point number may differ from the expression by this part of it.
NEAR = 1e-9


class FieldValidator:
    """What is known of a record type before its data are read, and the rules of single fields."""

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

    def _presence(self, frame: Frame, field: Field, missing: Mask) -> Iterator[Violation]:
        """A value stands where one must, and none where `only if` says so."""
        none = np.zeros(frame.size, dtype=np.bool_)
        needed, sure = self._needed(frame, field) if missing.any() else (none, none)
        if field.only_if is not None and field.name not in self.silent:
            condition = self.text(field.only_if)
            yield violation("presence", missing & needed & sure, f"a value, as {condition}")
            active, known = self._holds(frame, field.only_if)
            yield violation("condition", ~missing & ~active & known, f"nothing, unless {condition}")
        else:
            yield violation("presence", missing & needed & sure, "a value")

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
        true[places] = true_of(column, len(places))
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

    def _shape(self, frame: Frame, field: Field, raw: Raw, found: Typed, good: Mask) -> Iterator[Violation]:
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
            yield violation("condition", good & ~decided & sound, "nothing: no line of the table holds")

    def _looked(self, frame: Frame, phrase: Phrase, raw: Raw, found: Typed, chosen: Places) -> Iterator[Violation]:
        results: list[Violation] = []

        def look(part: Frame) -> list[Column]:
            at = part.rows.astype(np.int64)
            given = CheckInput(
                part, found.column.take(at) if len(at) < frame.size else found.column,
                raw.texts.take(arrow(at)) if len(at) < frame.size else raw.texts,
                None if found.finer is None else found.finer[at],
                found.offsets[at] if found.offsets is not None else None, self.schema,
            )  # fmt: skip
            results[:] = [each for each in broken(phrase, given) if len(each)]
            return []

        places, _ = frame.computed(chosen, look)
        yield from (each.moved(places) for each in results)

    def _derived(
        self, frame: Frame, expression: Any, column: Column, places: Places, good: Mask
    ) -> Iterator[Violation]:
        """A field that follows from others has the value that follows."""
        chosen = places[good[places]]
        chosen = chosen[frame.select(chosen).sound([expression])]
        at, (right,) = frame.computed(chosen, lambda part: [cast(evaluate(expression, part), column.type)])
        wrong = _differs(column.take(at) if len(at) < frame.size else column, right, len(at))
        yield violation("value", wrong, lambda row: value_text(right, row)).moved(at)


def true_of(column: Column, size: int) -> Mask:
    """Return where a condition is true."""
    if column.type.name == "null":
        return np.zeros(size, dtype=np.bool_)
    found: Mask = np.broadcast_to(column.true(), (size,))
    return found


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
