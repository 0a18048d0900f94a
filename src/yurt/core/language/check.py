"""Looks through a schema that could be read: names, types, cycles, capacities, and what is probably not meant."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from yurt.core import model
from yurt.core.capacity import ENDLESS, NotUnique, bounds, capacity
from yurt.core.constants import fold
from yurt.core.kinds.catalogue import KINDS, LOCALES
from yurt.core.language.dependencies import ALWAYS, Dependencies, Node
from yurt.core.language.diagnostics import Findings, Span
from yurt.core.language.expressions import Duration, Expression, Literal, Member, Membership, Name
from yurt.core.language.typing import Typer, article, literal_type
from yurt.core.language.words import ANY, CHANCE, DISTRIBUTIONS, HEADS, NOW_NAMES
from yurt.core.model import Field, Phrase, Record, Schema, Table
from yurt.core.nearest import did_you_mean
from yurt.core.types import BOOLEAN, DATE, DATETIME, INTEGER, NULL, TEXT, Type, decimal, unify

# What the arguments of a distribution over dates are.
TIMED_ARGUMENTS = {
    "normal": ("date", "duration"), "lognormal": ("duration", "number"), "exponential": ("duration",),
    "gamma": ("number", "duration"), "weibull": ("number", "duration"), "triangular": ("date",),
}  # fmt: skip
# A longer line is no hyphened name; the limit keeps the search for one short.
MAX_LINE = 500


def check(schema: Schema, findings: Findings) -> None:
    """Note every mistake and doubtful spot of the schema in `findings`."""
    _Checker(schema, findings).run()


@dataclass(frozen=True, slots=True)
class Plan:
    """What is known of every field, by record and field name, in an order in which all can be made.

    `needs` are the fields of the same record that a field uses directly.
    """

    types: dict[Node, Type]
    needs: dict[Node, tuple[str, ...]]


def plan(schema: Schema) -> Plan:
    """Return the plan of a schema without mistakes."""
    checker = _Checker(schema, Findings(schema.source))
    checker.graph.find_order()
    types: dict[Node, Type] = {}
    needs: dict[Node, tuple[str, ...]] = {}
    for node in checker.graph.order:
        record, name = schema.records[node[0]], node[1]
        if name != ALWAYS:
            types[node] = checker.field_type(record, record.by_name[name]) or TEXT
            inside = [
                need[1] for need, _ in checker.graph.depends(node) if need[0] == record.name and need[1] != ALWAYS
            ]
            needs[node] = tuple(dict.fromkeys(inside))
    return Plan(types, needs)


class _Checker:
    def __init__(self, schema: Schema, findings: Findings) -> None:
        self.schema = schema
        self.findings = findings
        self.today = schema.today or date.today()
        self.types: dict[Node, Type | None] = {}
        self.graph = Dependencies(schema, findings)

    def run(self) -> None:
        for name, _ in self.schema.locales:
            if name not in LOCALES:
                hint = did_you_mean(name, LOCALES)
                spot = max(self.findings.source.text.find(name), 0)
                span = Span(spot, spot + len(name))
                self.findings.error(f"unknown locale `{name}`", span, "one of " + ", ".join(LOCALES), hint)
        for record in self.schema.records.values():
            self._count(record)
            for field in record.fields:
                for phrase in field.phrases:
                    self._names(record, field, phrase)
        self.graph.find_order()
        for node in self.graph.order:
            if node[1] != ALWAYS:
                self.field_type(self.schema.records[node[0]], self.schema.records[node[0]].by_name[node[1]])
        for record in self.schema.records.values():
            typer = self.typer(record)
            titles: dict[str, Field] = {}
            for field in record.fields:
                self._field(record, field, typer)
                if not field.title.strip() or (not field.hidden and titles.setdefault(field.title, field) is not field):
                    advice = "one name for each field of the output"
                    self.findings.error(f"another field is named `{field.title}` too", field.span, advice)
            for condition in record.always:
                typer.boolean(condition, "a line of `always`")

    # ---- names and counts --------------------------------------------------------------------------------------

    def _count(self, record: Record) -> None:
        path = [record.name]
        at = record
        while at.count.per is not None:
            parent = self.schema.records.get(at.count.per)
            if parent is None:
                message = f"`{at.name}` is counted per `{at.count.per}`, which is not a record type"
                hint = did_you_mean(at.count.per, self.schema.records)
                self.findings.error(message, at.count.span, "one of " + ", ".join(self.schema.records), hint)
                return
            path.append(parent.name)
            if parent.name in path[:-1]:
                self.findings.error("the counts go round in a circle: " + " → ".join(path), record.count.span)
                return
            at = parent

    def _names(self, record: Record, field: Field, phrase: Phrase) -> None:
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
            if isinstance(field.body, Table):
                self.findings.error("a reference cannot stand in a `when` table", phrase.span)
        if isinstance(head, model.KindOf) and head.name not in KINDS:
            hint = did_you_mean(head.name, [*KINDS, *HEADS])
            expected = "a head (integer, date, one of, …) or a kind; `yurt kinds` lists them"
            self.findings.error(f"unknown kind `{head.name}`", phrase.span, expected, hint)

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
            if node.name not in target.by_name:
                hint = did_you_mean(node.name, target.by_name)
                self.findings.error(f"there is no field `{node.name}` in `{target.name}`", node.span, hint=hint)
                return None
            return self.field_type(target, target.by_name[node.name])

        return Typer(self.findings, of_name, of_member)

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
            case model.Boolean():
                return BOOLEAN
            case model.OneOf(values=values):
                found: Type = NULL
                for each in values:
                    found = unify(found, literal_type(each)) or TEXT
                return found
            case model.Derived(expression=expression):
                return self.typer(record).type_of(expression)
            case model.Reference(record=name):
                target = self.schema.records.get(name)
                return self.field_type(target, target.key) if target is not None and target.key is not None else None
            case model.KindOf(name=name):
                return KINDS[name].type if name in KINDS else None
            case _:
                return TEXT

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
        if found is not None and found.name in ("days", "duration", "period") and not field.hidden:
            advice = "days(x), hours(x) or minutes(x) makes a number of it; or hide the field"
            self.findings.error(
                f"`{field.name}` holds a duration, which no format can show yet", field.span, hint=advice
            )
        for phrase in field.phrases:
            self._phrase(phrase, typer)
        if field.unique:
            self._unique(record, field)

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

    def _phrase(self, phrase: Phrase, typer: Typer) -> None:
        head = phrase.head
        if isinstance(head, model.Integer | model.DecimalNumber | model.Date | model.DateTime):
            wanted = "date" if isinstance(head, model.Date | model.DateTime) else "number"
            fitting = True
            for end in (head.range.low, head.range.high):
                found = typer.type_of(end)
                wrong = found is not None and found != NULL and found.family != wanted
                if found is not None and (wrong or (isinstance(head, model.Date) and found == DATETIME)):
                    fitting = False
                    advice = "date(x) makes a day of it" if found == DATETIME else self._unpadded_date(end.span)
                    self.findings.error(f"this bound is {article(found)}, not {article(wanted)}", end.span, hint=advice)
            ends = bounds(head, self.today)
            if fitting and ends is not None and max(map(abs, ends)) >= 10**18:
                message = "a bound of more than 18 digits, places included"
                self.findings.error(message, head.range.high.span, "at most 18 digits")
            elif fitting and ends is not None and ends[0] > ends[1]:
                span = Span(head.range.low.span.start, head.range.high.span.end)
                self.findings.error("the range is empty: its lower end is above its upper end", span, "low..high")
        if phrase.missing_if is not None:
            typer.boolean(phrase.missing_if, "the condition of `missing`")
        self._usually(phrase, typer)

    def _unpadded_date(self, span: Span) -> str | None:
        """`2026-6-1` reads as two subtractions."""
        shown = self.findings.source.text[span.start : span.end]
        found = re.fullmatch(r"(\d{4})-(\d{1,2})-(\d{1,2})", shown)
        return f"write {found[1]}-{int(found[2]):02}-{int(found[3]):02}" if found else None

    def _usually(self, phrase: Phrase, typer: Typer) -> None:
        usually, head = phrase.usually, phrase.head
        if usually is None:
            return
        ranged = isinstance(head, model.Integer | model.DecimalNumber | model.Date | model.DateTime)
        listed = isinstance(head, model.OneOf | model.Reference)
        if usually.name == "on":
            if not isinstance(head, model.Date):
                self.findings.error("`usually on` favours weekdays of a date", usually.span)
            return
        if not ranged and not (listed and usually.name in ("zipf", "uniform", "low", "middle", "high", "geometric")):
            message = "`usually` has no meaning for this head"
            advice = "a list takes weights: one of a 60% | b 40%" if isinstance(head, model.OneOf) else None
            self.findings.error(message, usually.span, "a range, a list or a reference", advice)
            return
        if isinstance(head, model.OneOf) and head.weighted:
            self.findings.error("a list has either weights or a distribution", usually.span)
        counting = usually.name in ("poisson", "binomial") and not (isinstance(head, model.Integer) and head.step == 1)
        if counting or (usually.name == "pareto" and not isinstance(head, model.Integer | model.DecimalNumber)):
            expected = "an integer with step 1" if counting else "an integer or a decimal"
            self.findings.error(f"`{usually.name}` does not fit this head", usually.span, expected)
            return
        types = [typer.type_of(each) for each in usually.arguments]
        timed = isinstance(head, model.Date | model.DateTime)
        families = TIMED_ARGUMENTS if timed else {}
        wanted = families.get(usually.name, ("number",) * len(types))
        for argument, found, family in zip(usually.arguments, types, wanted, strict=True):
            if found is not None and found != NULL and found.family != family:
                advice = "such as normal(2026-07-20, 14d)" if timed else None
                self.findings.error(
                    f"this argument is {article(found)}, not {article(family)}", argument.span, hint=advice
                )
        for argument, rule in zip(usually.arguments, DISTRIBUTIONS[usually.name][0], strict=True):
            value = fold(argument, self.today)
            number = value.microseconds if isinstance(value, Duration) else value
            wrong = isinstance(number, int | Decimal) and (number <= 0 or (rule == CHANCE and number > 1))
            if rule != ANY and wrong:
                self.findings.error(f"this argument of `{usually.name}` must be {rule}", argument.span)
        if (usually.name == "zipf" or listed) and usually.arguments and fold(usually.arguments[0], self.today) is None:
            self.findings.error(
                f"this argument of `{usually.name}` is the same for all rows", usually.arguments[0].span
            )

    def _unique(self, record: Record, field: Field) -> None:
        try:
            room = capacity(field, self.today)
        except NotUnique as reason:
            self.findings.error(f"`{field.name}` cannot be unique: {reason}", field.span)
            return
        count = record.count
        if count.per is None and room < ENDLESS and room < count.low:
            message = f"`{field.name}` is unique, but has only {room:,} different values for {count.low:,} rows"
            advice = f"`count: {room}` makes all there are; or widen what is allowed"
            self.findings.error(message, field.span, hint=advice)
