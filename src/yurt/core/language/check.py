"""Looks through a schema that could be read: names, types, cycles, capacities, and what is probably not meant."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date
from math import prod

from yurt.core import model
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.types import (
    BOOLEAN,
    DATE,
    DATETIME,
    DAYS,
    DURATION,
    INTEGER,
    NESTED,
    NULL,
    TEXT,
    TIME,
    Type,
    decimal,
    list_of_type,
    unify,
)
from yurt.core.kinds.catalogue import KINDS
from yurt.core.kinds.locales import every_locale
from yurt.core.language.check_kinds import check_kind
from yurt.core.language.check_phrases import PhraseChecks
from yurt.core.language.check_usual import UsualChecks
from yurt.core.model import Field, Phrase, Record, Schema, Table, expressions_in
from yurt.core.model.expressions import Expression, Literal, Member, Membership, Name, literal_type, walk
from yurt.core.model.words import HEADS, NOW_NAMES
from yurt.core.planning.capacity import ENDLESS, NotUnique, capacity
from yurt.core.planning.correlations import NotPossible, shares_of, wanted_of
from yurt.core.planning.dependencies import ALWAYS, Dependencies, Node
from yurt.core.planning.typing import Typer
from yurt.core.source.diagnostics import Findings, Span
from yurt.core.text import display

# A longer line is no hyphened name; the limit keeps the search for one short.
MAX_LINE = 500
# Record types that stand one upon the other.
MAX_COUNTED = 100
# Correlated fields: the work grows with their square.
MAX_TRACKING = 200


def check(schema: Schema, findings: Findings) -> None:
    """Note every mistake and doubtful spot of the schema in `findings`."""
    _Checker(schema, findings).run()


@dataclass(frozen=True, slots=True)
class Plan:
    """What is known of every field, by record and field name, in an order in which all can be made.

    `needs` are the fields of the same record that a field uses directly, `others` the record types that one uses.
    """

    types: dict[Node, Type]
    needs: dict[Node, tuple[str, ...]]
    others: dict[str, set[str]]

    def records_for(self, name: str) -> set[str]:
        """Return the record types that the rows of one depend on, itself among them."""
        found, waiting = {name}, [name]
        while waiting:
            more = self.others[waiting.pop()] - found
            found |= more
            waiting += more
        return found


def plan(schema: Schema) -> Plan:
    """Return the plan of a schema without mistakes."""
    checker = _Checker(schema, Findings(schema.source))
    checker.graph.find_order()
    types: dict[Node, Type] = {}
    needs: dict[Node, tuple[str, ...]] = {}
    others = {name: {each.count.per} if each.count.per else set() for name, each in schema.records.items()}
    for node in checker.graph.order:
        record, name = schema.records[node[0]], node[1]
        others[record.name] |= {need[0] for need, _ in checker.graph.depends(node)} - {record.name}
        if name != ALWAYS:
            types[node] = checker.field_type(record, record.by_name[name]) or TEXT
            inside = [
                need[1] for need, _ in checker.graph.depends(node) if need[0] == record.name and need[1] != ALWAYS
            ]
            needs[node] = tuple(dict.fromkeys(inside))
    return Plan(types, needs, others)


class _Checker(PhraseChecks):
    def __init__(self, schema: Schema, findings: Findings) -> None:
        self.schema = schema
        self.findings = findings
        self.today = schema.today or date.today()
        self.types: dict[Node, Type | None] = {}
        self.graph = Dependencies(schema, findings)
        # Record types whose counts do not go round in a circle.
        self.counted: set[str] = set()

    def run(self) -> None:
        known = every_locale(self.schema.catalogue)
        for name, _ in (*self.schema.locales, *(each for one in self.schema.records.values() for each in one.locales)):
            if name not in known:
                hint = did_you_mean(name, known)
                spot = max(self.findings.source.text.find(name), 0)
                span = Span(spot, spot + len(name))
                self.findings.error(f"unknown locale `{name}`", span, "one of " + ", ".join(known), hint)
        for record in self.schema.records.values():
            self._count(record)
            for field in record.fields:
                for phrase in field.phrases:
                    self.check_names(record, field, phrase)
        self.graph.find_order()
        for node in self.graph.order:
            if node[1] != ALWAYS:
                self.field_type(self.schema.records[node[0]], self.schema.records[node[0]].by_name[node[1]])
        for record in self.schema.records.values():
            typer = self.typer(record)
            titles: dict[tuple[str, str], Field] = {}
            for field in record.fields:
                self._field(record, field, typer)
                if not field.title.strip() or (
                    not field.hidden and titles.setdefault((field.parent, field.title), field) is not field
                ):
                    advice = "one name for each field of the output"
                    self.findings.error(f"another field is named `{field.title}` too", field.span, advice)
            for condition in record.always:
                typer.boolean(condition, "a line of `always`")
            self._correlations(record)
            self._lists_of_records(record)
            self._shared_lists(record)
            self._together(record)

    # ---- names and counts --------------------------------------------------------------------------------------

    def _count(self, record: Record) -> None:
        """Check what a count depends on, and how it is distributed."""
        count = record.count
        if count.per is not None and count.per not in self.schema.records:
            message = f"`{record.name}` is counted per `{count.per}`, which is not a record type"
            hint = did_you_mean(count.per, self.schema.records)
            self.findings.error(message, count.span, "one of " + ", ".join(self.schema.records), hint)
            return
        if (circle := self._circle(record, (record.name,))) is not None:
            shown = " → ".join(circle[:6]) + (" → …" if len(circle) > 6 else "")
            what = "go round in a circle" if circle[-1] in circle[:-1] else "depend on too many others"
            self.findings.error(f"the counts {what}: {shown}", count.span)
        if count.usually is None:
            return
        if not isinstance(count.usually, model.NamedDistribution):
            self.findings.error(
                "a count takes a distribution by its name", count.usually.span, "0..5 per hiker, usually low"
            )
            return
        ends = model.Range(Literal(count.low, count.span), Literal(count.high, count.span))
        phrase = Phrase(model.Integer(ends), count.usually, span=count.span)
        UsualChecks(self.findings, self.schema, self.today).check(phrase, self.typer(record))
        for each in count.usually.arguments:
            if not isinstance(each, Literal):
                self.findings.error("this argument is not a number written out", each.span, "normal(3, 1)")

    def _circle(self, record: Record, path: tuple[str, ...]) -> tuple[str, ...] | None:
        """Return the way round when a count depends on itself: on parents, or on records that are combined."""
        if record.name in self.counted:
            return None
        heads = [record.by_name[name].head for name in record.count.combinations if name in record.by_name]
        needed = [head.record for head in heads if isinstance(head, model.Reference)]
        for name in [*([record.count.per] if record.count.per is not None else []), *needed]:
            if name in path or len(path) > MAX_COUNTED:
                return (*path, name)
            if name in self.schema.records and (found := self._circle(self.schema.records[name], (*path, name))):
                return found
        self.counted.add(record.name)
        return None

    def check_names(self, record: Record, field: Field, phrase: Phrase, inside: bool = False) -> None:
        """Look for the record types and kinds that a phrase names."""
        head = phrase.head
        if isinstance(head, model.Reference):
            target = self.schema.records.get(head.record)
            if target is None:
                hint = did_you_mean(head.record, self.schema.records)
                listed = ", ".join(self.schema.records)
                self.findings.error(f"there is no record type `{head.record}`", phrase.span, f"one of {listed}", hint)
            elif target.key is None and not any(each.span in self.findings.unreadable for each in target.fields):
                advice = f"make one of its fields `unique`, or add `id: sequence` to `{target.name}`"
                self.findings.error(f"`{target.name}` has no key to refer to", phrase.span, hint=advice)
            if isinstance(field.body, Table) or inside:
                self.findings.error("a reference cannot stand in a `when` table", phrase.span)
        if isinstance(head, model.KindOf) and head.name not in KINDS:
            hint = did_you_mean(head.name, [*KINDS, *HEADS])
            expected = "a head (integer, date, one of, …) or a kind; `yurt kinds` lists them"
            self.findings.error(f"unknown kind `{head.name}`", phrase.span, expected, hint)
        elif isinstance(head, model.KindOf):
            check_kind(head, phrase, record, self.schema, self.findings, isinstance(field.body, Table))

    # ---- types -------------------------------------------------------------------------------------------------

    def typer(self, record: Record) -> Typer:
        """Return the typer of a record's scope."""

        def of_name(node: Name) -> Type | None:
            if node.name in NOW_NAMES:
                return {"today": DATE, "now": DATETIME, "row": INTEGER}[node.name]
            if node.name in record.by_name:
                return self.field_type(record, record.by_name[node.name])
            joined, first = self._hyphened(node.span)
            if joined in record.by_name and not first:
                return None
            hint = f"a hyphen subtracts; did you mean `{joined}`?" if joined in record.by_name else None
            hint = hint or did_you_mean(node.name, [*record.by_name, *NOW_NAMES])
            self.findings.error(
                f"there is no field `{node.name}` in `{record.name}`", node.span, "a field of the record", hint
            )
            return None

        def of_member(node: Member) -> Type | None:
            return self._member_type(record, node)

        def of_phrase(phrase: Phrase) -> Type | None:
            return self._head_type(record, phrase.head)

        return Typer(self.findings, of_name, of_member, of_phrase, siblings=record.parent_field is not None)

    def _member_type(self, record: Record, node: Member) -> Type | None:
        """Return the type of a field of the record that a reference points to, maybe through several references."""
        target = self.graph.target(record, node.reference)
        if target is None:
            references = [each.name for each in record.fields if isinstance(each.head, model.Reference)]
            message = f"`{node.reference}` is not a reference of `{record.name}`"
            hint = did_you_mean(node.reference, references)
            if node.reference in self.schema.records and node.reference not in record.by_name:
                hint = f"add a field `{node.reference}: ref {node.reference}`, with `hidden` if it should not show"
            expected = "one of " + ", ".join(references) if references else "a field with `ref`"
            self.findings.error(message, node.span, expected, hint)
            return None
        if node.name in target.by_name:
            return self.field_type(target, target.by_name[node.name])
        if (further := self.graph.further(target, node)) is not None:
            return self._member_type(target, further)
        hint = did_you_mean(node.name, target.by_name)
        self.findings.error(f"there is no field `{node.name}` in `{target.name}`", node.span, hint=hint)
        return None

    def _hyphened(self, span: Span) -> tuple[str, bool]:
        """Return the hyphened word around a name, with underscores, and whether the name is its first part."""
        line, column = self.findings.source.line_and_column(span.start)
        text = self.findings.source.line(line)[:MAX_LINE]
        before = re.search(r"(?:\w+-)*$", text[: column - 1])
        after = re.compile(r"\w+(?:-\w+)*").match(text, column - 1)
        lead = before.group() if before else ""
        return (lead + (after.group() if after else "")).replace("-", "_"), not lead

    def field_type(self, record: Record, field: Field) -> Type | None:
        """Return the type of a field's values, or None once a mistake in it has been noted."""
        node = (record.name, field.name)
        if node not in self.types:
            self.types[node] = None
            found: Type | None = NULL
            for phrase in field.phrases:
                each = self._head_type(record, phrase.head)
                together = unify(found, each) if found is not None and each is not None else None
                if found is not None and each is not None and together is None:
                    message = f"the rows of `{field.name}` hold different types: {found} and {each}"
                    self.findings.error(message, phrase.span)
                found = together
            self.types[node] = found
        return self.types[node]

    def _head_type(self, record: Record, head: model.Head) -> Type | None:
        match head:
            case model.Integer() | model.Sequence():
                return INTEGER
            case model.DecimalNumber(places=places):
                return decimal(places)
            case model.Date():
                return DATE
            case model.DateTime():
                return DATETIME
            case model.Time():
                return TIME
            case model.DurationRange(in_days=in_days):
                return DAYS if in_days else DURATION
            case model.Nested():
                return NESTED
            case model.ListOf(phrase=phrase):
                inside = self._head_type(record, phrase.head)
                return list_of_type(inside) if inside is not None else None
            case model.TimeSeries():
                return self._series_type(record, head)
            case model.FromList(name=name, column=column):
                listed = self.schema.lists.get(name)
                if listed is None or not listed.columns or (column and column not in listed.columns):
                    return None
                return _common_type(listed.column(column))
            case model.Boolean():
                return BOOLEAN
            case model.OneOf(values=values):
                return _common_type(values)
            case model.Derived(expression=expression):
                return self.typer(record).type_of(expression)
            case model.Reference(record=name):
                target = self.schema.records.get(name)
                return self.field_type(target, target.key) if target is not None and target.key is not None else None
            case model.KindOf(name=name, arguments=arguments):
                # The typer tells of names that there are not.
                for value in (each for _, values in arguments for each in values):
                    self.typer(record).type_of(value)
                return KINDS[name].type if name in KINDS else None
            case _:
                return TEXT

    def _series_type(self, record: Record, head: model.TimeSeries) -> Type | None:
        """Steps of whole days from a date are dates, all others moments."""
        start = self.typer(record).type_of(head.start)
        moments = start == DATETIME or head.jitter or not (head.step.in_days or head.step.months)
        return None if start is None else DATETIME if moments else DATE

    # ---- one field ---------------------------------------------------------------------------------------------

    def _field(self, record: Record, field: Field, typer: Typer) -> None:
        if field.only_if is not None:
            typer.boolean(field.only_if, "the condition of the field")
        if isinstance(field.body, Table):
            for condition, _ in field.body.rows:
                if condition is not None:
                    typer.boolean(condition, "a condition of the table")
            if field.body.by is not None:
                self._covered(record, field, field.body)
            elif field.body.rows[-1][0] is not None:
                advice = "add `else:` as the last row"
                self.findings.warn(f"`{field.name}` is missing where no condition holds", field.span, advice)
        found = self.field_type(record, field)
        if found is not None and found.name == "period" and not field.hidden:
            advice = "durations of days or shorter can be shown; or hide the field"
            self.findings.error(
                f"`{field.name}` holds a duration in months, which has no length", field.span, hint=advice
            )
        for phrase in field.phrases:
            self.check_phrase(record, field, phrase, typer)
        if field.shown is not None and found is not None:
            try:
                display.check(field.shown.pattern, found)
            except display.NotShown as fault:
                self.findings.error(f"`as` does not fit: {fault}", field.shown.span)
        if field.unique and record.list_around(field.name) is None:
            self._unique(record, field)

    def _shared_lists(self, record: Record) -> None:
        """Check fields that share the row of a value list: one of them says how it is taken."""
        by_list: dict[str, list[Field]] = {}
        for field in record.fields:
            if isinstance(field.head, model.FromList):
                by_list.setdefault(field.head.name, []).append(field)
        for name, fields in by_list.items():
            saying = [each for each in fields if each.unique or each.phrases[0].in_turn or each.phrases[0].usually]
            numbered = [each for each in saying if each.unique or each.phrases[0].in_turn]
            for field in saying[1:]:
                if not all(each.unique for each in saying):
                    message = f"`{saying[0].name}` says already how the rows of `{name}` are taken"
                    self.findings.error(message, field.span)
            for field in fields:
                if numbered and field.phrases[0].narrowed is not None and field is not numbered[0]:
                    message = f"the rows of `{name}` are counted at `{numbered[0].name}`"
                    self.findings.error(message, field.span, hint=f"narrow the list at `{numbered[0].name}`")

    def _lists_of_records(self, record: Record) -> None:
        """Check what has no meaning inside a list of records, and that nothing outside uses its fields."""
        for field in record.fields:
            around = record.list_around(field.name)
            for expression in expressions_in((field.only_if, field.body)):
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
            if not self._countable(record, group, what) or what == "combined" or record.count.per is not None:
                continue
            fields = [record.by_name[name] for name in group]
            if all(not isinstance(field.head, model.Reference) for field in fields):
                room = prod(capacity(field, self.today, self.schema) for field in fields)
                if room > ENDLESS:
                    message = f"`{', '.join(group)}` have more combinations than can be numbered"
                    self.findings.error(message, record.count.span, hint="make one of them unique by itself")
                if room < record.count.low:
                    message = f"`{', '.join(group)}` are unique together, but have only {room:,} combinations"
                    advice = f"`count: {room}` makes all there are; or widen what is allowed"
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
                room = capacity(field, self.today, self.schema)
                if room >= ENDLESS and not isinstance(field.head, model.Reference):
                    raise NotUnique("its values cannot be counted")
            except NotUnique as reason:
                self.findings.error(f"`{name}` cannot be {what}: {reason}", field.span)
            if field.unique or field.phrases[0].missing or field.only_if is not None or field.phrases[0].in_turn:
                message = f"`{name}` cannot be {what} with others: it is unique, in turn or missing in part"
                self.findings.error(message, field.span)
        return len(self.findings.errors) == before

    def _covered(self, record: Record, field: Field, table: Table) -> None:
        """Hold the values of a `by` table against those that its field can have, where these are listed."""
        listed = self._listed_values(record, table.by)
        named = [each for condition, _ in table.rows if isinstance(condition, Membership) for each in condition.options]
        seen: set[object] = set()
        for each in named:
            value = each.value if isinstance(each, Literal) else None
            if value in seen:
                self.findings.error(f"`{value}` has two rows", each.span)
            seen.add(value)
            if listed and value not in listed:
                texts = [str(one) for one in listed]
                hint = did_you_mean(str(value), texts)
                self.findings.error(f"`{value}` is not a value of the field", each.span, ", ".join(texts), hint)
        left_out = [str(each).lower() if isinstance(each, bool) else str(each) for each in listed if each not in seen]
        if left_out and table.rows[-1][0] is not None:
            advice = "add a row for it, or `else:` as the last one"
            self.findings.warn(f"`{field.name}` is missing for {', '.join(left_out)}", field.span, advice)

    def _listed_values(self, record: Record, subject: Expression | None) -> tuple[object, ...]:
        """Return all values of a field that picks from a list, else nothing."""
        found: Field | None = None
        if isinstance(subject, Name):
            found = record.by_name.get(subject.name)
        elif isinstance(subject, Member) and (target := self.graph.target(record, subject.reference)):
            found = target.by_name.get(subject.name)
        head = found.head if found is not None else None
        if isinstance(head, model.Boolean):
            return (True, False)
        return head.values if isinstance(head, model.OneOf) else ()

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

    def _unique(self, record: Record, field: Field) -> None:
        try:
            room = capacity(field, self.today, self.schema)
        except NotUnique as reason:
            self.findings.error(f"`{field.name}` cannot be unique: {reason}", field.span)
            return
        count = record.count
        if count.per is None and room < ENDLESS and room < count.low:
            message = f"`{field.name}` is unique, but has only {room:,} different values for {count.low:,} rows"
            advice = f"`count: {room}` makes all there are; or widen what is allowed"
            self.findings.error(message, field.span, hint=advice)


def _common_type(values: tuple[model.ItemValue, ...]) -> Type:
    """Return the type that holds all values of a list."""
    found: Type = NULL
    for each in {literal_type(value) for value in values}:
        found = unify(found, each) or TEXT
    return found
