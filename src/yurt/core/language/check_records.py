"""Checks a record type as a whole: uniqueness, correlations, shared value lists, lists of records."""

from __future__ import annotations

from datetime import date
from functools import cached_property
from math import prod

from yurt.core import model
from yurt.core.base.nearest import did_you_mean
from yurt.core.heads.head import ENDLESS, NotUnique
from yurt.core.heads.registry import cardinality
from yurt.core.model import Field, Record, Schema, expressions_in
from yurt.core.model.expressions import Expression, Member, Name, walk
from yurt.core.model.phrases import phrases_in
from yurt.core.planning.correlations import NotPossible, shares_of, wanted_of
from yurt.core.source.diagnostics import NOWHERE, Findings

# The maximum number of correlated fields, because the work grows with its square.
MAX_TRACKING = 200


class RecordChecks:
    """The checks of the fields of a record type together."""

    def __init__(self, schema: Schema, findings: Findings, today: date) -> None:
        self.schema = schema
        self.findings = findings
        self.today = today

    @cached_property
    def referred(self) -> set[str]:
        """The record types that others refer to."""
        fields = (field for record in self.schema.records.values() for field in record.fields)
        heads = (phrase.head for field in fields for phrase in phrases_in(field.body))
        return {head.record for head in heads if isinstance(head, model.Reference)}

    def check(self, record: Record) -> None:
        """Note what is wrong with a record type as a whole."""
        self._correlations(record)
        self._lists_of_records(record)
        self._shared_lists(record)
        self._together(record)
        self._keys(record)

    def _keys(self, record: Record) -> None:
        """Check that a key that others refer to is always there, and so is the parent of a row, as often as counted."""
        key = record.key
        if key is not None and record.name in self.referred and (reason := self._missing(record, key)):
            message = f"`{key.name}` is the key of `{record.name}`, and may be missing: {reason}"
            self.findings.error(message, key.span, hint="leave the clause out, or name another field with `key:`")
        parent = record.parent_field
        if parent is None:
            return
        if reason := self._missing(record, parent):
            message = f"`{parent.name}` says which `{record.count.per}` a row belongs to, and may be missing: {reason}"
            self.findings.error(message, parent.span, hint="leave the clause out, or take another count")
        if parent.unique and record.count.high > 1:
            message = (
                f"`{parent.name}` is unique, but up to {record.count.high:,} rows belong to one `{record.count.per}`"
            )
            self.findings.error(message, parent.span, hint=f"`count: 0..1 per {record.count.per}`")

    @staticmethod
    def _missing(record: Record, field: Field) -> str:
        """Return the clause by which a field, or a nested record around it, may be missing; empty for none."""
        parts = field.name.split(".")
        # What is inside a nested record has the condition that the record is there: the record's own clause says more.
        for at in range(len(parts)):
            each = record.by_name[".".join(parts[: at + 1])]
            clause = (
                "missing" if any(phrase.missing for phrase in each.phrases) and not each.optional
                else "optional" if each.optional
                else "present if" if each.present_if is not None else ""
            )  # fmt: skip
            if clause:
                return f"`{clause}`" if each is field else f"`{clause}` at `{each.name}`"
        return ""

    def _shared_lists(self, record: Record) -> None:
        """Check fields that share the row of a value list: only one of them says how it is chosen."""
        by_list: dict[str, list[Field]] = {}
        for field in record.fields:
            if isinstance(field.head, model.FromList):
                by_list.setdefault(field.head.name, []).append(field)
        for name, fields in by_list.items():
            saying = [each for each in fields if each.unique or each.phrases[0].in_turn or each.phrases[0].usually]
            numbered = [each for each in saying if each.unique or each.phrases[0].in_turn]
            for field in saying[1:]:
                if not all(each.unique for each in saying):
                    message = f"`{saying[0].name}` already determines how the rows of `{name}` are taken"
                    self.findings.error(message, field.span)
            for field in fields:
                if numbered and field.phrases[0].narrowed is not None and field is not numbered[0]:
                    message = f"the rows of `{name}` are counted at `{numbered[0].name}`"
                    self.findings.error(message, field.span, hint=f"narrow the list at `{numbered[0].name}`")

    def _lists_of_records(self, record: Record) -> None:
        """Check that a list of records contains nothing impossible, and that nothing outside uses its fields."""
        for field in record.fields:
            around = record.list_around(field.name)
            for expression in expressions_in((field.present_if, field.body)):
                self._used_inside(record, expression, around)
            if around is None:
                continue
            head, phrase = field.head, field.phrases[0]
            far = phrase.distinct and isinstance(head, model.Reference)
            itself = isinstance(head, model.Reference) and head.record == record.name
            counted = field.unique or phrase.tracks or phrase.in_turn or isinstance(head, model.TimeSeries)
            if counted or far or itself:
                what = "unique, tracks, in turn, distinct, every and references to the own record type"
                self.findings.error(f"{what} have no meaning in a list of records", field.span)
        for condition in record.always:
            self._used_inside(record, condition, None)

    def _used_inside(self, record: Record, expression: Expression, around: str | None) -> None:
        for each in walk(expression):
            name = each.name if isinstance(each, Name) else each.reference if isinstance(each, Member) else ""
            inside = record.list_around(name)
            if inside is not None and not (around is not None and (around + ".").startswith(inside + ".")):
                message = f"`{name}` has a value for each record of the list `{inside}`"
                self.findings.error(
                    message, each.span, hint=f"only fields of that list can use it; size({inside}) counts them"
                )

    def _together(self, record: Record) -> None:
        """Check the fields that are unique together, and those of which every combination is made."""
        groups = [(group, "unique together") for group in record.unique]
        groups += [(record.count.combinations, "combined")] if record.count.combinations else []
        for group, what in groups:
            if what == "unique together" and not all(name in record.by_name for name in group):
                # Reported already where they are named.
                continue
            if not self._countable(record, group, what) or what == "combined" or record.count.per is not None:
                continue
            fields = [record.by_name[name] for name in group]
            if all(not isinstance(field.head, model.Reference) for field in fields):
                room = prod(cardinality(field, self.today, self.schema) for field in fields)
                if room > ENDLESS:
                    message = f"`{', '.join(group)}` have more combinations than can be numbered"
                    self.findings.error(message, record.count.span, hint="make one of them unique by itself")
                if room < record.count.low:
                    message = f"`{', '.join(group)}` are unique together, but have only {room:,} combinations"
                    advice = f"{_written(record, room)} makes all there are; or widen what is allowed"
                    self.findings.error(f"{message} for {record.count.low:,} rows", record.count.span, hint=advice)

    def _countable(self, record: Record, group: tuple[str, ...], what: str) -> bool:
        """Check that the values of each field can be counted; return whether all can."""
        before = len(self.findings.errors)
        for name in group:
            field = record.by_name.get(name)
            if field is None:
                hint = did_you_mean(name, record.by_name)
                self.findings.error(f"there is no field `{name}` in `{record.name}`", record.count.span, hint=hint)
                continue
            if field is record.parent_field and what == "unique together":
                continue
            if record.list_around(name) is not None:
                self.findings.error(f"`{name}` is in a list of records", field.span)
            try:
                room = cardinality(field, self.today, self.schema)
                if room >= ENDLESS and not isinstance(field.head, model.Reference):
                    raise NotUnique("its values cannot be counted")
            except NotUnique as reason:
                self.findings.error(f"`{name}` cannot be {what}: {reason}", field.span)
            if field.unique or field.phrases[0].missing or field.present_if is not None or field.phrases[0].in_turn:
                message = f"`{name}` cannot be {what} with others: it is unique, in turn or missing in part"
                self.findings.error(message, field.span)
        return len(self.findings.errors) == before

    def _correlations(self, record: Record) -> None:
        wanted = wanted_of(record)
        if len(wanted) > MAX_TRACKING:
            self.findings.error(f"more than {MAX_TRACKING} fields of `{record.name}` track others", record.span)
            return
        try:
            shares_of(wanted)
        except NotPossible as fault:
            self.findings.error(
                str(fault), record.by_name[fault.field].span if fault.field in record.by_name else record.span
            )

    def unique(self, record: Record, field: Field) -> None:
        try:
            room = cardinality(field, self.today, self.schema)
        except NotUnique as reason:
            self.findings.error(f"`{field.name}` cannot be unique: {reason}", field.span)
            return
        count = record.count
        scarce = count.per is None and room < ENDLESS and room < count.low
        if scarce and not self.findings.at_fault(field.phrases[0].span):
            message = f"`{field.name}` is unique, but has only {room:,} different values for {count.low:,} rows"
            advice = f"{_written(record, room)} makes all there are; or widen what is allowed"
            self.findings.error(message, field.span, hint=advice)


def _written(record: Record, rows: int) -> str:
    """Return a count as it is written at its place; a count that a call requests is not in the file."""
    return f"`count: {rows}`" if record.count.span != NOWHERE else f"`--count {rows}`"
