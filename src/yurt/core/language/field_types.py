"""The type of every field, and the plan that follows from types and dependencies."""

from __future__ import annotations

import re

from yurt.core import model
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.types import (
    DATE,
    DATETIME,
    INTEGER,
    NULL,
    TEXT,
    Type,
    unify,
)  # fmt: skip
from yurt.core.heads.registry import data_type
from yurt.core.model import Field, Phrase, Record, Schema
from yurt.core.model.expressions import Member, Name
from yurt.core.model.plan import Node, Plan
from yurt.core.model.words import NOW_NAMES
from yurt.core.planning.dependencies import ALWAYS, Dependencies
from yurt.core.planning.typing import Typer
from yurt.core.source.diagnostics import Findings, Span

# A longer line is not a hyphenated name; the limit keeps the search short.
MAX_LINE = 500


class FieldTypes:
    """Finds the type of every field of a schema; notes fields without one in `findings`."""

    def __init__(self, schema: Schema, findings: Findings) -> None:
        self.schema = schema
        self.findings = findings
        self.types: dict[Node, Type | None] = {}
        self.graph = Dependencies(schema, findings)

    def find(self) -> None:
        """Find the order of all fields, and the type of each in that order."""
        self.graph.find_order()
        # A field in a cycle has been reported and has no type.
        self.types |= dict.fromkeys(self.graph.circular)
        for record, name in self.graph.order:
            if name != ALWAYS:
                self.field_type(self.schema.records[record], self.schema.records[record].by_name[name])

    def plan(self) -> Plan:
        """Return the plan of a schema without mistakes."""
        types: dict[Node, Type] = {}
        needs: dict[Node, tuple[str, ...]] = {}
        others = {name: {each.count.per} if each.count.per else set() for name, each in self.schema.records.items()}
        for node in self.graph.order:
            record, name = self.schema.records[node[0]], node[1]
            depends = self.graph.depends(node)
            others[record.name] |= {need[0] for need, _ in depends} - {record.name}
            if name != ALWAYS:
                types[node] = self.field_type(record, record.by_name[name]) or TEXT
                inside = [need[1] for need, _ in depends if need[0] == record.name and need[1] != ALWAYS]
                needs[node] = tuple(dict.fromkeys(inside))
        return Plan(types, needs, others)

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
            hint = hint or (f'a text is in quotes: "{node.name}"' if node.name in record.listed else None)
            hint = hint or did_you_mean(node.name, [*record.by_name, *NOW_NAMES])
            message = f"there is no field `{node.name}` in `{record.name}`"
            self.findings.error(message, node.span, "a field of the record", hint, unknown=True)
            return None

        def of_member(node: Member) -> Type | None:
            return self._member_type(record, node)

        def of_phrase(phrase: Phrase) -> Type | None:
            return data_type(phrase.head, self, record)

        return Typer(self.findings, of_name, of_member, of_phrase, siblings=record.parent_field is not None)

    def _member_type(self, record: Record, node: Member) -> Type | None:
        """Return the type of a field of the record that a reference points to, possibly through several references."""
        target = self.graph.target(record, node.reference)
        if target is None:
            references = [each.name for each in record.fields if isinstance(each.head, model.Reference)]
            message = f"`{node.reference}` is not a reference of `{record.name}`"
            hint = did_you_mean(node.reference, references)
            if node.reference in self.schema.records and node.reference not in record.by_name:
                hint = f"add a field `{node.reference}: ref {node.reference}`, with `helper` if it should not show"
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
        """Return the hyphenated word around a name, with underscores, and whether the name is its first part."""
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
                each = data_type(phrase.head, self, record)
                together = unify(found, each) if found is not None and each is not None else None
                if found is not None and each is not None and together is None:
                    message = f"the rows of `{field.name}` hold different types: {found} and {each}"
                    self.findings.error(message, phrase.span)
                found = together
            self.types[node] = found
        return self.types[node]
