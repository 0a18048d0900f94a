"""Reads the fields of a record type: plain ones, nested records, field groups, `if …:` blocks."""

from __future__ import annotations

import re

from yurt.core.base.data_classes import replace
from yurt.core.base.nearest import did_you_mean
from yurt.core.grammar.builder import all_of
from yurt.core.kinds.catalogue import KINDS
from yurt.core.language import build_phrases
from yurt.core.language.build_phrases import Draft, expression
from yurt.core.language.long_form import spelled_out
from yurt.core.language.read_context import ReadContext
from yurt.core.language.read_tables import TABLE_KEY, TableReader
from yurt.core.model import (
    Derived,
    Field,
    KindOf,
    LabelledExample,
    ListOf,
    Nested,
    Phrase,
    Table,
)
from yurt.core.model.expressions import Expression, Literal, Name, NullTest, Unary
from yurt.core.source.diagnostics import Span
from yurt.core.source.nodes import Mapping, Node, Scalar, Text

TOLD = ("accept", "reject")
# A ready record in place of a head, alone or as a list, with clauses that a nested record may have.
READY = re.compile(
    r"\s*(list\s+(?P<size>\d+(\s*\.\.\s*\d+)?)\s+of\s+)?(?P<name>[a-z][\w-]*)"
    r"(?P<clauses>(\s*,\s*(missing|optional|helper|present if|named)\b[^,]*)*)\s*"
)
MAX_FIELDS = 5000
# The maximum number of fields in all record types together.
MAX_ALL_FIELDS = 10_000
MAX_USES = 2000
MAX_DEPTH = 40


class FieldReader:
    """Reads the fields of one record type."""

    def __init__(self, context: ReadContext, record_name: str) -> None:
        self.context = context
        self.record_name = record_name
        self.tables = TableReader(context)
        # The groups that are being inserted, and the number of insertions.
        self.using: list[str] = []
        self.uses = 0
        # The place of each field.
        self.known: dict[str, Span] = {}

    def use(self, name: str, key: Scalar, conditions: list[Expression], into: list[Field], prefix: str) -> None:
        """Insert the fields of a group in place of `use NAME:`."""
        if name not in self.context.reuse.field_groups:
            expected = (
                "one of " + ", ".join(self.context.reuse.field_groups)
                if self.context.reuse.field_groups
                else "`field-groups:` at the top, or in an included file"
            )
            self.context.findings.error(
                f"there is no field group `{name}`",
                key.span,
                expected,
                did_you_mean(name, self.context.reuse.field_groups),
                unknown=True,
            )
        elif self.uses >= MAX_USES:
            self.context.findings.error(f"field groups are used more than {MAX_USES:,} times", key.span)
        elif len(self.using) >= MAX_DEPTH:
            self.context.findings.error(f"more than {MAX_DEPTH} nested field groups", key.span)
        elif name in self.using:
            self.context.findings.error(f"the field group `{name}` uses itself", key.span)
        else:
            self.uses += 1
            self.using.append(name)
            self.fields(self.context.reuse.field_groups[name], conditions, into, prefix)
            self.using.pop()

    def fields(self, node: Node, conditions: list[Expression], into: list[Field], prefix: str = "") -> None:
        """Read the fields of a record or of an `if …:` block, whose condition applies to all fields inside.

        The names of fields in a nested record start with the names of the records around them.
        """
        if not isinstance(node, Mapping):
            self.context.findings.error("one field per line", node.span, "`name: phrase`")
            return
        for key, value in node:
            name = key.text.text
            if re.match(r"if\b", name):
                condition = expression(key.text.cut(2, len(name)), self.context.findings)
                self.fields(value, [*conditions, condition] if condition is not None else conditions, into, prefix)
            elif found := re.fullmatch(r"use +(\S+)", name):
                self.use(found[1], key, conditions, into, prefix)
            elif len(into) >= MAX_FIELDS or self.context.fields >= MAX_ALL_FIELDS:
                most = MAX_FIELDS if len(into) >= MAX_FIELDS else MAX_ALL_FIELDS
                self.context.findings.error(f"more than {most:,} fields", key.span)
                return
            elif self.context.field_name(key, "field"):
                name = prefix + name
                if name in self.known:
                    line, _ = self.context.findings.source.line_and_column(self.known[name].start)
                    advice = "for one field with several forms use `when:`"
                    self.context.findings.error(f"`{name}` is a field already, on line {line}", key.span, hint=advice)
                else:
                    self.known[name] = key.span
                    self.context.fields += 1
                    self.add_field(name, key, value, conditions, into, node.flow)

    def add_field(
        self, name: str, key: Scalar, node: Node, conditions: list[Expression], into: list[Field], flow: bool
    ) -> None:  # fmt: skip
        """Read one field, and those inside it if it is a nested record."""
        node = self.context.replacement(f"{self.record_name}.{name}", node)
        ready = None
        if isinstance(node, Scalar) and (found := READY.fullmatch(node.text.text)) and self._is_ready(found["name"]):
            ready = found["name"]
            node = self._as_nested(node, found)
        entries = node.entries if isinstance(node, Mapping) else ()
        inside = next((value for word, value in entries if word.text.text == "nested"), None)
        if inside is None or not isinstance(node, Mapping):
            into.append(self.field(name, key, node, conditions, flow) or self._stand_in(name, key))
            return
        draft = self._clauses_of_nested(key, node)
        if draft is None:
            into.append(self._stand_in(name, key))
            return
        present_if = all_of([*conditions, draft.present_if] if draft.present_if is not None else conditions)
        listed = isinstance(draft.phrase.head, ListOf)
        phrase = draft.phrase if listed else replace(draft.phrase, head=Nested())
        into.append(
            Field(name, phrase, False, draft.helper, draft.optional, present_if, draft.named, None, (), key.span)
        )
        present = Unary("not", NullTest(Name(name, key.span), key.span), key.span)
        before = len(into)
        maybe = not listed and (phrase.missing or present_if is not None)
        self.fields(inside, [present] if maybe else [], into, f"{name}.")
        if ready is not None:
            into[before:] = [speaking_of(each, name) for each in into[before:]]
        if draft.helper:
            into[before:] = [replace(each, helper=True) for each in into[before:]]
        elif all(each.helper for each in into[before:]):
            # A record without output fields is not in the output.
            into[before - 1] = replace(into[before - 1], helper=True)
        if len(into) == before:
            self.context.findings.error(f"`{name}` has no fields", key.span, "one field per line below `nested:`")

    def _is_ready(self, name: str) -> bool:
        return name not in self.context.reuse.known.kinds and name in KINDS and bool(KINDS[name].record)

    def _as_nested(self, node: Scalar, found: re.Match[str]) -> Mapping:
        """Return the long form of a ready record: `list 1..3 of person, missing 5%` with the record's own fields."""
        inside = self.context.reuse.ready_record(found["name"])
        text, parts = node.text, []
        if found["size"]:
            parts.append(("list", text.cut(*found.span("size"))))
        for each in re.finditer(r"\s*,\s*(missing|optional|helper|present if|named)\b\s*([^,]*)", found["clauses"]):
            start = found.start("clauses")
            value = text.cut(start + each.start(2), start + each.end(2))
            parts.append((each[1], value if value.text else Text("yes", text.at[:1] * 4)))
        keys = [Scalar(Text(word, text.at[:1] * (len(word) + 1)), None) for word, _ in parts]
        entries = [(key, Scalar(value, None)) for key, (_, value) in zip(keys, parts, strict=True)]
        nested = Scalar(Text("nested", text.at[:1] * 7), None)
        return Mapping((*entries, (nested, inside)), node.span, False)

    def _clauses_of_nested(self, key: Scalar, node: Mapping) -> Draft | None:
        """Read what is beside `nested:`: clauses, and `list:` for several records."""
        beside = [each for each in node if each[0].text.text not in ("nested", "list")]
        length = next((value for word, value in node if word.text.text == "list"), None)
        text = Text("= null", (key.span.start,) * 7)
        if isinstance(length, Scalar) and not length.broken:
            # The values are described below `nested:`; a stand-in completes the phrase of the length.
            text = Text("list ", length.text.at[:1] * 6) + length.text + length.text.filler(" of boolean")
        clauses = spelled_out(Mapping(tuple(beside), node.span, node.flow), self.context.findings) if beside else None
        if beside and clauses is None:
            return None
        text = text + text.filler(", ") + clauses if clauses is not None else text
        draft = build_phrases.phrase(text, self.context.findings, None, self.context.reuse.known)
        if draft is not None and (draft.unique or draft.shown or draft.phrase.usually or draft.phrase.distinct):
            expected = "list, missing, optional, helper, present if, named"
            self.context.findings.error("this clause has no meaning for a nested record", key.span, expected)
        if draft is not None and isinstance(draft.phrase.head, ListOf):
            several = replace(draft.phrase.head, phrase=Phrase(Nested(), span=key.span))
            draft.phrase = replace(draft.phrase, head=several)
        return draft

    def field(self, name: str, key: Scalar, node: Node, conditions: list[Expression], flow: bool) -> Field | None:
        body: Phrase | Table
        node, told = self._told(node)
        if isinstance(node, Mapping) and any(TABLE_KEY.match(each.text.text) for each, _ in node):
            drafts = self.tables.table(key, node)
            if drafts is None:
                return None
            body, draft = drafts
        else:
            single = self.tables.draft(key, node, flow)
            if single is None:
                return None
            draft = single
            body = draft.phrase
        present_if = all_of([*conditions, draft.present_if] if draft.present_if is not None else conditions)
        return Field(
            name, body, draft.unique, draft.helper, draft.optional, present_if, draft.named, draft.shown, told, key.span
        )

    def _told(self, node: Node) -> tuple[Node, tuple[LabelledExample, ...]]:
        """Separate the values under `accept` and `reject` from a field; return the rest, and these values."""
        if not isinstance(node, Mapping) or not any(each.text.text in TOLD for each, _ in node):
            return node, ()
        found: list[LabelledExample] = []
        for word, values in node:
            if word.text.text not in TOLD:
                continue
            if not isinstance(values, Mapping):
                self.context.findings.error(
                    f"`{word.text.text}` takes values, each with a reason",
                    word.span,
                    "one `value: reason` per line below it",
                )
                continue
            for value, reason in values:
                if isinstance(reason, Scalar):
                    told = LabelledExample(value.text.text, word.text.text == "accept", reason.text.text, value.span)
                    found.append(told)
                else:
                    self.context.findings.error("a reason is one line", reason.span)
        rest = tuple(entry for entry in node if entry[0].text.text not in TOLD)
        # The rest of `is: …` is the short form again.
        alone = rest[0][1] if len(rest) == 1 and rest[0][0].text.text == "is" else Mapping(rest, node.span, node.flow)
        return alone, tuple(found)

    def _stand_in(self, name: str, key: Scalar) -> Field:
        """Return a field in place of an unreadable one, so that the fields that use it are not wrong as well."""
        self.context.findings.unreadable.add(key.span)
        return Field(name, Phrase(Derived(Literal(None, key.span)), span=key.span), span=key.span)


def speaking_of(field: Field, name: str) -> Field:
    """Return a field of a ready record whose kinds are only about the person and place of that record."""

    def of(phrase: Phrase) -> Phrase:
        head = phrase.head
        if isinstance(head, KindOf) and not head.of and head.name in KINDS and KINDS[head.name].about:
            return replace(phrase, head=replace(head, of=name))
        if isinstance(head, ListOf):
            return replace(phrase, head=replace(head, phrase=of(head.phrase)))
        return phrase

    if isinstance(field.body, Phrase):
        return replace(field, body=of(field.body))
    rows = tuple((condition, of(phrase)) for condition, phrase in field.body.rows)
    return replace(field, body=replace(field.body, rows=rows))
