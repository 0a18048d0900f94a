"""Checks and plans a schema after it was read: names, types, cycles, capacities, probable mistakes."""

from __future__ import annotations

from datetime import date

from yurt.core import model
from yurt.core.base.nearest import did_you_mean
from yurt.core.language.check_names import NameChecks
from yurt.core.language.check_phrases import PhraseChecks
from yurt.core.language.check_records import RecordChecks
from yurt.core.language.field_types import FieldTypes
from yurt.core.model import Field, Record, Schema, Table
from yurt.core.model.expressions import Expression, Literal, Member, Membership, Name
from yurt.core.model.plan import Plan
from yurt.core.planning.typing import Typer
from yurt.core.source.diagnostics import Findings
from yurt.core.text import display


def check(schema: Schema, findings: Findings) -> Plan | None:
    """Note every mistake and doubtful spot of the schema in `findings`; return the plan of a schema without
    mistakes.
    """
    checker = _Checker(schema, findings)
    checker.run()
    return None if findings.errors else checker.types.plan()


class _Checker:
    """Checks a schema; each subject has an object of its own."""

    def __init__(self, schema: Schema, findings: Findings) -> None:
        self.schema = schema
        self.findings = findings
        today = schema.today or date.today()
        self.types = FieldTypes(schema, findings)
        self.names = NameChecks(schema, findings, today)
        self.records = RecordChecks(schema, findings, today)
        self.phrases = PhraseChecks(schema, findings, today, self.names, self.types)

    def run(self) -> None:
        """Check everything, in an order in which the first message is the most helpful one."""
        self.names.locales()
        for record in self.schema.records.values():
            self.names.count(record, self.types.typer(record))
            for field in record.fields:
                for phrase in field.phrases:
                    self.names.phrase(record, field, phrase)
        self.types.find()
        for record in self.schema.records.values():
            typer = self.types.typer(record)
            titles: dict[tuple[str, str], Field] = {}
            for field in record.fields:
                self._field(record, field, typer)
                if not field.title.strip() or (
                    not field.helper and titles.setdefault((field.parent, field.title), field) is not field
                ):
                    advice = "one name for each field of the output"
                    self.findings.error(f"another field is named `{field.title}` too", field.span, advice)
            for condition in record.always:
                typer.boolean(condition, "a line of `always`")
            self.records.check(record)

    def _field(self, record: Record, field: Field, typer: Typer) -> None:
        if field.present_if is not None:
            typer.boolean(field.present_if, "the condition of the field")
        if isinstance(field.body, Table):
            for condition, _ in field.body.rows:
                if condition is not None:
                    typer.boolean(condition, "a condition of the table")
            if field.body.by is not None:
                self._covered(record, field, field.body)
            elif field.body.rows[-1][0] is not None:
                advice = "add `else:` as the last row"
                self.findings.warn(f"`{field.name}` is missing where no condition holds", field.span, advice)
        found = self.types.field_type(record, field)
        if found is not None and found.name == "period" and not field.helper:
            advice = "durations of days or shorter can be shown; or hide the field"
            self.findings.error(
                f"`{field.name}` holds a duration in months, which has no length", field.span, hint=advice
            )
        for phrase in field.phrases:
            self.phrases.check(record, field, phrase, typer)
        if field.shown is not None and found is not None:
            try:
                display.check(field.shown.pattern, found)
            except display.NotShown as fault:
                self.findings.error(f"`as` does not fit: {fault}", field.shown.span)
        if field.unique and record.list_around(field.name) is None:
            self.records.unique(record, field)

    def _covered(self, record: Record, field: Field, table: Table) -> None:
        """Compare the values of a `by` table with the possible values of its field, if these are listed."""
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
        elif isinstance(subject, Member) and (target := self.types.graph.target(record, subject.reference)):
            found = target.by_name.get(subject.name)
        head = found.head if found is not None else None
        if isinstance(head, model.Boolean):
            return (True, False)
        return head.values if isinstance(head, model.OneOf) else ()
