"""Checks the values of one field against the schema."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import date

import numpy as np
import pyarrow as pa

from yurt.core import model
from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow
from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column, Mask, Places, cast
from yurt.core.columns.evaluate import evaluate
from yurt.core.formats.common.raw import Raw
from yurt.core.kinds.catalogue import KINDS
from yurt.core.model import (
    Derived,
    Field,
    ListOf,
    Phrase,
    Record,
    Reference,
    Schema,
    Table,
    expressions_in,
    phrases_in,
)
from yurt.core.model.expressions import Expression, Name, Template, walk
from yurt.core.model.plan import Plan
from yurt.core.planning.contracts import Contracts
from yurt.core.planning.restrictions import written_conditions
from yurt.core.verify.equality import differs, true_of
from yurt.core.verify.frame import Frame
from yurt.core.verify.known import Known
from yurt.core.verify.rows_before import fields_of_rows_before, fields_of_series, reads_rows_before
from yurt.core.verify.shapes import CheckInput, broken
from yurt.core.verify.shown_part import CUT, cuts, derived_text, part_broken
from yurt.core.verify.typed import Typed
from yurt.core.verify.violation import Violation, violation
from yurt.core.verify.wording import value_text

IN_A_LIST = "inside a list, earlier rows are not checked"


class FieldValidator:
    """What is known of a record type before its data is read, and the rules of single fields."""

    def __init__(
        self, schema: Schema, record: Record, plan: Plan, known: Known, today: date, plain: bool, safe: bool = False,
    ) -> None:  # fmt: skip
        """`plain` means that the file has only texts (CSV, XML), in the form of `as`; `safe`, that values must be in
        the safe ranges of their kinds.
        """
        self.safe = safe
        self.schema, self.record, self.plan, self.known = schema, record, plan, known
        self.today, self.plain = today, plain
        self.contracts = Contracts(schema, record, today)
        self.order = [name for owner, name in plan.types if owner == record.name]
        known.unread |= {(record.name, each.name): CUT for each in record.shown if self._cut(each)}
        # What is not checked, with the reason.
        self.unjudged: dict[str, str] = {}
        # The fields whose values are not checked, only their type; and the fields that may be missing as far as is
        # known.
        self.blind: set[str] = set()
        self.cut: set[str] = set()
        self.silent: set[str] = set()
        # The fields and conditions that are checked when the blocks are in the order of the file; those of fields in
        # lists are not.
        outside = {
            each.name for each in record.fields if record.list_around(each.name) is None and known.in_order(record)
        }
        # Fields that are not checked earlier: the steps of a time series and its first value are known.
        self.waiting = fields_of_rows_before(record) & outside
        self.deferred = self.waiting | fields_of_series(record) & outside
        # Whether there is something to check when the blocks are in order.
        self.late = bool(self.deferred)
        self._static()

    def _static(self) -> None:
        record = self.record
        for field in record.fields:
            what = f"{record.name}.{field.name}"
            if field.helper:
                continue
            if reason := self._why_silent(field):
                self.unjudged[f"{what}, whether it is missing"] = reason
                self.silent.add(field.name)
            if reason := self._why_blind(field):
                self.unjudged[what] = reason
                self.blind.add(field.name)
            elif self._cut(field):
                self.unjudged[f"{what}, beyond its written form"] = CUT
                self.cut.add(field.name)
            if self.plan.types[record.name, field.name].name == "list" and not isinstance(field.head, ListOf):
                self.unjudged[what] = "a derived list"
                self.blind.add(field.name)
            if isinstance(field.head, Reference) and (reason := self.known.target(record, field.head.record)):
                self.unjudged[what] = reason
        self.unjudged |= self._unstated()
        for condition in written_conditions(record):
            if reason := self.known.why_not(record, [condition]):
                self.unjudged[f"always {self.text(condition)}"] = reason
            self.late |= not reason and self.is_late(condition)

    def is_late(self, condition: Expression) -> bool:
        """Return whether a condition is checked when the blocks are in the order of the file."""
        names = {node.name for node in walk(condition) if isinstance(node, Name) and node.name in self.record.by_name}
        helper = any(self.record.by_name[name].helper for name in names & self.deferred)
        return self.known.in_order(self.record) and (helper or reads_rows_before((condition,)))

    def why_not(self, target: str, rule: str) -> str:
        """Return why a record alone cannot show that a rule is broken at a target; empty if it can."""
        if rule == "always":
            return self.unjudged.get(f"always {target}", "")
        what = f"{self.record.name}.{target}"
        if rule in ("presence", "condition") and target in self.silent:
            return self.unjudged[f"{what}, whether it is missing"]
        if rule == "presence" and target in self.blind and _surely(self.record.by_name[target]):
            return ""
        if rule and rule not in ("type", "presence", "condition") and target in self.cut:
            return CUT
        return self.unjudged[what] if rule and rule != "type" and target in self.blind else ""

    def _unstated(self) -> dict[str, str]:
        """Return what the kinds of the record have no rule for, and why."""
        found: dict[str, str] = {}
        together: dict[str, list[str]] = {}
        for field in self.record.shown:
            for phrase in phrases_in(field.body):
                if rest := self.contracts.of(phrase).rest:
                    name = phrase.head.name if isinstance(phrase.head, model.KindOf) else phrase.kind
                    found[f"{self.record.name}.{field.name}, {rest}"] = f"the kind `{name}` has no rule for it"
                if self.safe and (why := self._why_unsafe(phrase)):
                    found[f"{self.record.name}.{field.name}, whether it never reaches real people"] = why
                head = phrase.head if phrase.allowed is None else None
                if isinstance(head, model.KindOf) and KINDS[head.name].about not in ("", "locale"):
                    together.setdefault(head.about, []).append(field.name)
        for names in together.values():
            if len(set(names)) > 1:
                what = f"{self.record.name}: whether {', '.join(dict.fromkeys(names))} agree"
                found[what] = "they describe one person and place"
        return found

    def _why_unsafe(self, phrase: Phrase) -> str:
        """Return why it is unknown whether a value is in a safe range; empty if it is known or not required."""
        name = phrase.head.name if isinstance(phrase.head, model.KindOf) else phrase.kind
        if not name or self.contracts.of(phrase).safe:
            return ""
        kind = KINDS[name]
        return kind.risk or (f"`{name}` has no rule for its safe range here" if kind.safe else "")

    def _why_blind(self, field: Field) -> str:
        """Return why the values of a field cannot be checked."""
        conditions = [each for each, _ in field.body.rows if each is not None] if isinstance(field.body, Table) else []
        if self._depends_on_rows(field, expressions_in(field.body)):
            return IN_A_LIST
        heads = [each.head.phrase.head if isinstance(each.head, ListOf) else each.head for each in field.phrases]
        return self.known.why_not(self.record, [*conditions, *expressions_in(tuple(heads))])

    def _why_silent(self, field: Field) -> str:
        """Return why it is unknown whether a field may be missing."""
        conditions = [field.present_if, *(each.missing_if for each in field.phrases)]
        if isinstance(field.body, Table):
            conditions += [condition for condition, _ in field.body.rows]
        found = [each for each in conditions if each is not None]
        return IN_A_LIST if self._depends_on_rows(field, found) else self.known.why_not(self.record, found)

    def _depends_on_rows(self, field: Field, expressions: Iterable[Expression]) -> bool:
        """Return whether a field in a list depends on earlier rows, or on the number of the row around."""
        inside = self.known.in_order(self.record) and self.record.list_around(field.name) is not None
        return inside and reads_rows_before(tuple(expressions))

    def _is_blind(self, frame: Frame, field: Field) -> bool:
        """Return whether the values of a field are not checked, or not yet."""
        return field.name in self.blind or (field.name in self.waiting and not frame.in_order)

    def _is_silent(self, frame: Frame, field: Field) -> bool:
        """Return whether a missing value of a field is not checked, or not yet."""
        return field.name in self.silent or (field.name in self.waiting and not frame.in_order)

    def _cut(self, field: Field) -> bool:
        kind = self.plan.types[self.record.name, field.name]
        return self._written(field) and cuts(field, kind, self.today)

    def _written(self, field: Field) -> bool:
        """Return whether a field is in the form of `as` in the file."""
        plain = self.plain and self.record.list_around(field.name) is None
        return field.shown is not None and (plain or field.shown.always)

    def text(self, expression: Expression) -> str:
        """Return a condition as the schema writes it."""
        source = self.schema.source
        return " ".join(source.text[expression.span.start : expression.span.end].split())

    def _presence(self, frame: Frame, field: Field, missing: Mask) -> Iterator[Violation]:
        """A value is present where it must be."""
        none = np.zeros(frame.size, dtype=np.bool_)
        needed, sure = self._needed(frame, field) if missing.any() else (none, none)
        condition = f", as {self.text(field.present_if)}" if field.present_if is not None else ""
        yield violation("presence", missing & needed & sure, f"a value{condition}")

    def _absence(self, frame: Frame, field: Field, missing: Mask) -> Iterator[Violation]:
        """A value is absent where `present if` requires it; whatever else is wrong with it is named first."""
        if field.present_if is not None and not self._is_silent(frame, field):
            active, known = self._holds(frame, field.present_if)
            expected = f"no value, unless {self.text(field.present_if)}"
            yield violation("condition", ~missing & ~active & known, expected)

    def _needed(self, frame: Frame, field: Field) -> tuple[Mask, Mask]:
        """Return where a value must be present, and where that is known."""
        every = np.ones(frame.size, dtype=np.bool_)
        blind = self._is_blind(frame, field) and not _surely(field)
        if field.optional or self._is_silent(frame, field) or blind:
            return ~every, every
        needed, sure = every, every
        if field.present_if is not None:
            active, known = self._holds(frame, field.present_if)
            needed, sure = needed & active, sure & known
        parts = np.zeros(frame.size, dtype=np.bool_)
        for phrase, places in self._chosen(frame, field):
            parts[places] = self._must(frame, phrase, places)
        return needed & parts, sure

    def _must(self, frame: Frame, phrase: Phrase, places: Places) -> Mask:
        """Return the positions at which a phrase must give a value."""
        head = phrase.head
        if isinstance(head, Derived) and not isinstance(head.expression, Template):
            # Derived values are compared as a whole.
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
            at, ends = part.computed(
                np.flatnonzero(sound),
                lambda some: [evaluate(each, some) for each in bounds],
                f"{self.record.name}: {', '.join(map(self.text, bounds))}",
            )
            known = np.zeros(len(places), dtype=np.bool_)
            known[at] = np.logical_and.reduce(
                [np.ones(len(at), bool) if each.nulls is None else ~each.nulls for each in ends]
            )
            found &= known
        return found

    def _holds(self, frame: Frame, condition: Expression) -> tuple[Mask, Mask]:
        """Return where a condition is true, and where that is known."""
        if id(condition) in frame.held:
            return frame.held[id(condition)]
        places, (column,) = self._condition(frame, condition)
        true, known = np.zeros(frame.size, dtype=np.bool_), np.zeros(frame.size, dtype=np.bool_)
        known[places] = True
        true[places] = true_of(column, len(places))
        frame.held[id(condition)] = true, known
        return true, known

    def _condition(self, frame: Frame, condition: Expression) -> tuple[Places, list[Column]]:
        """Return a condition for the rows in which everything that it reads is sound."""
        what = f"{self.record.name}: {self.text(condition)}"
        return frame.computed(np.flatnonzero(frame.sound([condition])), lambda part: [evaluate(condition, part)], what)

    def _chosen(self, frame: Frame, field: Field) -> Iterator[tuple[Phrase, Places]]:
        """Yield each phrase of a field with the rows that it decides; rows for which that is unknown are left out."""
        if isinstance(field.body, Phrase):
            yield field.body, np.arange(frame.size)
            return
        waiting = np.ones(frame.size, dtype=np.bool_)
        for condition, phrase in field.body.rows:
            true, known = (waiting, waiting) if condition is None else self._holds(frame, condition)
            yield phrase, np.flatnonzero(waiting & true)
            waiting = waiting & ~true & known

    def _shape(
        self, frame: Frame, field: Field, raw: Raw, found: Typed | None, good: Mask, judged: Mask | None = None
    ) -> Iterator[Violation]:
        """Yield the violations of a field's phrases in the `good` rows; missing values count in the `judged` ones.

        Without values (`found`), the field is judged by what the file shows of them.
        """
        if self._is_blind(frame, field):
            return
        for phrase, places in self._chosen(frame, field):
            if isinstance(phrase.head, Derived):
                due = raw.missing if judged is None else raw.missing & judged
                due = due & self._is_due(frame, field, phrase) if due.any() else due
                yield from self._derived(frame, field, phrase.head.expression, raw, found, places, good | due)
                continue
            chosen = places[good[places]]
            bounds = [
                each for each in expressions_in(phrase.head) if not isinstance(phrase.head, model.KindOf | ListOf)
            ]
            if bounds:
                chosen = chosen[frame.select(chosen).sound(bounds)]
            if frame.before is not None and isinstance(phrase.head, model.TimeSeries):
                chosen = chosen[~frame.before.unsure[chosen]]
            yield from self._looked(frame, field, phrase, raw, found, chosen)
        if isinstance(field.body, Table):
            decided = np.zeros(frame.size, dtype=np.bool_)
            for _, places in self._chosen(frame, field):
                decided[places] = True
            conditions = [each for each, _ in field.body.rows if each is not None]
            sound = frame.sound(conditions)
            yield violation("condition", good & ~decided & sound, "no value: no row of the table applies")

    def _is_due(self, frame: Frame, field: Field, phrase: Phrase) -> Mask:
        """Return where a derived value must not be missing unless its expression is null."""
        due = np.ones(frame.size, dtype=np.bool_)
        if field.optional or self._is_silent(frame, field) or (phrase.missing and phrase.missing_if is None):
            return ~due
        if field.present_if is not None:
            active, known = self._holds(frame, field.present_if)
            due &= active & known
        if phrase.missing_if is not None:
            allowed, known = self._holds(frame, phrase.missing_if)
            due &= ~allowed & known
        return due

    def _looked(
        self, frame: Frame, field: Field, phrase: Phrase, raw: Raw, found: Typed | None, chosen: Places
    ) -> Iterator[Violation]:
        results: list[Violation] = []

        def look(part: Frame) -> list[Column]:
            at = part.rows.astype(np.int64)
            texts = pc.take(raw.texts, arrow(at)) if len(at) < frame.size else raw.texts
            if found is None:
                results[:] = self._shown_part(phrase, field, part, texts)
                return []
            given = CheckInput(
                part, found.column.take(at) if len(at) < frame.size else found.column,
                texts,
                None if found.finer is None else found.finer[at],
                self.schema, self.contracts.of(phrase), self.safe,
                field.shown.pattern if field.shown is not None and self._written(field) else "",
            )  # fmt: skip
            results[:] = [each for each in broken(phrase, given) if len(each)]
            return []

        places, _ = frame.computed(chosen, look, f"{self.record.name}.{field.name}")
        yield from (each.moved(places) for each in results)

    def _derived(
        self, frame: Frame, field: Field, expression: Expression, raw: Raw, found: Typed | None, places: Places,
        good: Mask,
    ) -> Iterator[Violation]:  # fmt: skip
        """A derived field has the value of its expression, with all its places, or in its written form."""
        if found is not None:
            column, finer = found.column, found.finer
        else:
            column, finer = Column(TEXT, raw.texts, raw.missing), None
        kind = self.plan.types[self.record.name, field.name]

        def due(part: Frame) -> list[Column]:
            if found is None and field.shown is not None:
                return [derived_text(expression, part, field.shown.pattern, kind)]
            return [cast(evaluate(expression, part), kind)]

        chosen = places[good[places]]
        chosen = chosen[frame.select(chosen).sound([expression])]
        at, (right,) = frame.computed(chosen, due, f"{self.record.name}.{field.name}")
        wrong = differs(column.take(at) if len(at) < frame.size else column, right, len(at))
        wrong |= False if finer is None else finer[at]
        yield violation("value", wrong, lambda row: value_text(right, row)).moved(at)

    def _shown_part(self, phrase: Phrase, field: Field, part: Frame, texts: pa.Array) -> list[Violation]:
        assert field.shown is not None
        kind = self.plan.types[self.record.name, field.name]
        found = part_broken(phrase, part, texts, field.shown.pattern, kind, self.schema, self.today)
        return [] if found is None else [each for each in found if len(each)]


def _surely(field: Field) -> bool:
    """Return whether a field certainly has a value, although the value is unknown: a text of other fields."""
    return isinstance(field.body, Phrase) and isinstance(field.head, Derived) and isinstance(
        field.head.expression, Template
    )  # fmt: skip
