"""From the nodes of a schema file to the model.

`read` returns a schema, or raises SchemaFault with every mistake of the file. A field in its long form (a mapping) is
first put together into the phrase it spells out, so that both forms mean the same.
"""

from __future__ import annotations

import re
from collections.abc import Sequence as Sequence_
from dataclasses import replace
from datetime import date
from pathlib import Path

from yurt.core.base.errors import UsageFault, YurtError
from yurt.core.base.nearest import did_you_mean
from yurt.core.grammar.builder import all_of
from yurt.core.grammar.values import table_values
from yurt.core.kinds.catalogue import KINDS
from yurt.core.language import build_phrases
from yurt.core.language.build_phrases import Draft, expression
from yurt.core.language.check import check
from yurt.core.language.doubts import doubts
from yurt.core.language.long_form import FLAGS, OFF, spelled_out
from yurt.core.language.reuse import Reuse, known_keys, text_of_file
from yurt.core.language.scopes import resolved
from yurt.core.model import (
    Count,
    Derived,
    Field,
    KindOf,
    LabelledExample,
    ListOf,
    Nested,
    Phrase,
    Record,
    Schema,
    Table,
)
from yurt.core.model.expressions import Expression, Literal, Membership, Name, NullTest, Unary
from yurt.core.model.words import NOW_NAMES, RECORD_KEYS, RESERVED, SCHEMA_KEYS
from yurt.core.planning.restrictions import with_conditions
from yurt.core.source.diagnostics import Diagnostic, Findings, Source, Span
from yurt.core.source.yaml_nodes import QUOTE_ADVICE, Mapping, Node, Scalar, Sequence, Text, cut_by_comment
from yurt.core.source.yaml_nodes import read as read_yaml

# Phrases that replace those of a schema, by `record.field`.
Replaced = dict[str, str]
FIELD_NAME = re.compile(r"[^\W\d]\w*")
BESIDE_TABLE = (*FLAGS, "only if", "named")
TOLD = ("accept", "reject")
TABLE_KEY = re.compile(r"when$|by\b")
# A ready record in the place of a head, alone or as a list, with clauses that a nested record may have.
READY = re.compile(
    r"\s*(list\s+(?P<size>\d+(\s*\.\.\s*\d+)?)\s+of\s+)?(?P<name>[a-z][\w-]*)"
    r"(?P<clauses>(\s*,\s*(missing|optional|hidden|only if|named)\b[^,]*)*)\s*"
)
FAR_FROM_YAML = 8
MAX_FIELDS = 5000
MAX_USES = 2000
FIELDS_COUNT = 10


def read_file(
    path: Path, replaced: Replaced | None = None, variants: Sequence_[str] = ()
) -> tuple[Schema, list[Diagnostic]]:
    """Return the schema of a file and the warnings about it; raise SchemaFault or SurroundingsFault.

    `replaced` has phrases that stand in for those of the file, by `record.field`; `variants` are names of the file's
    own sets of them.
    """
    return read(Source(str(path), text_of_file(path)), replaced, variants, path.parent)


def read_fields(lines: Sequence_[str]) -> tuple[Schema, list[Diagnostic]]:
    """Return the schema of one record type that has these fields, one line each, and no count of its own."""
    for line in lines:
        if "\n" in line or not re.match(r"\s*[^:\s]+\s*:\s", line + " "):
            raise YurtError(f"--field `{line}` is not a field; write it like 'age: integer 18..90'")
    head = f"yurt: 1\nrecords:\n  record:\n    count: {FIELDS_COUNT}\n    fields:\n"
    return read(Source("--field", head + "".join(f"      {line.strip()}\n" for line in lines)))


def read(
    source: Source, replaced: Replaced | None = None, variants: Sequence_[str] = (), folder: Path | None = None
) -> tuple[Schema, list[Diagnostic]]:
    """Return the schema of a text and the warnings about it; raise SchemaFault with all mistakes.

    Files that it names are looked for in `folder`.
    """
    findings = Findings(source)
    reader = _Reader(findings, _checked(replaced or {}), variants, folder or Path())
    root = read_yaml(findings)
    schema = None
    if isinstance(root, Mapping):
        schema = reader.schema(root)
    elif not findings.errors or len(findings.errors) > FAR_FROM_YAML:
        # So many faults that nothing is left are no mistakes of a schema: it is another file.
        findings.errors.clear()
        findings.error("this is not a schema", Span(0, 1), "a mapping that begins with `yurt: 1` and has `records:`")
    if schema is not None:
        plan = check(schema, findings)
        if plan is not None:
            schema = replace(schema, plan=plan)
            doubts(schema, findings)
    findings.raise_if_any()
    assert schema is not None
    if left := [name for name in reader.replaced if name not in reader.met]:
        known = [f"{record.name}.{each.name}" for record in schema.records.values() for each in record.fields]
        raise UsageFault(f"there is no field `{left[0]}`; " + (did_you_mean(left[0], known) or ", ".join(known)))
    return schema, findings.warnings


def speaking_of(field: Field, name: str) -> Field:
    """Return a field of a ready record whose kinds speak of the person and place of that record alone."""

    def of(phrase: Phrase) -> Phrase:
        head = phrase.head
        if isinstance(head, KindOf) and not head.of and head.name in KINDS and KINDS[head.name].about:
            return replace(phrase, head=replace(head, of=name))
        if isinstance(head, ListOf):
            return replace(phrase, head=replace(head, phrase=of(head.phrase)))
        return phrase

    assert isinstance(field.body, Phrase), field.name
    return replace(field, body=of(field.body))


def _checked(replaced: Replaced) -> Replaced:
    """Return the phrases once each is known to be one; a mistake in it is shown where it was written."""
    for name, phrase in replaced.items():
        findings = Findings(Source(f"--set {name}", phrase))
        build_phrases.phrase(Text(phrase, tuple(range(len(phrase) + 1))), findings)
        findings.raise_if_any()
    return replaced


class _Reader:
    def __init__(self, findings: Findings, replaced: Replaced, variants: Sequence_[str], folder: Path) -> None:
        self.findings = findings
        self.replaced = replaced
        self.reuse = Reuse(findings, variants, folder)
        self.met: set[str] = set()
        self.record_name = ""
        self.using: list[str] = []
        self.uses = 0

    # ---- the whole file ----------------------------------------------------------------------------------------

    def schema(self, root: Mapping) -> Schema:
        found = {key.text.text: value for key, value in root}
        known_keys(self.findings, root, SCHEMA_KEYS, "at the top of a schema")
        if "yurt" not in found:
            self.findings.error("the version line is missing", Span(0, 1), "`yurt: 1` at the top")
        elif self._plain(found["yurt"], "yurt").text != "1":
            self.findings.error("an unknown version of the schema language", found["yurt"].span, "`yurt: 1`")
        self.reuse.take(root)
        if "variants" in found:
            self.reuse.choose_variants(found["variants"])
        elif self.reuse.variants:
            raise UsageFault(f"there is no variant `{self.reuse.variants[0]}`; the schema has none")
        records: dict[str, Record] = {}
        node = found.get("records")
        if isinstance(node, Mapping) and node.entries:
            for key, value in node:
                if self._field_name(key, "record"):
                    records[key.text.text] = with_conditions(resolved(self.record(key, value)))
        elif not isinstance(node, Scalar) or not node.broken:
            span = node.span if node is not None else Span(0, 1)
            self.findings.error("a schema needs `records:` with at least one record type", span)
        for name, (key, _) in self.reuse.varied.items():
            if name not in self.met:
                known = [f"{record.name}.{each.name}" for record in records.values() for each in record.fields]
                self.findings.error(f"there is no field `{name}`", key.span, hint=did_you_mean(name, known))
        self.reuse.open_files(records)
        folder = (
            str(self.reuse.folder / self._plain(found["catalogue"], "catalogue").text) if "catalogue" in found else ""
        )
        if folder and not Path(folder).is_dir():
            self.findings.error(f"there is no folder of lists {folder}", found["catalogue"].span)
            folder = ""
        title = self._plain(found["title"], "title").text if "title" in found else ""
        return Schema(
            title,
            records,
            self.reuse.lists,
            self.locales(found["locale"]) if "locale" in found else Schema.locales,
            self.seed(found["seed"]) if "seed" in found else None,
            self.today(found["today"]) if "today" in found else None,
            folder,
            self.findings.source,
        )

    def seed(self, node: Node) -> int | None:
        text = self._plain(node, "seed").text
        if not re.fullmatch(r"\d{1,18}", text):
            self.findings.error("the seed is not a whole number", node.span, "0 to 999999999999999999")
            return None
        return int(text)

    def today(self, node: Node) -> date | None:
        text = self._plain(node, "today").text
        try:
            return date.fromisoformat(text)
        except ValueError:
            self.findings.error("`today` is not a date", node.span, "a date such as 2026-06-01")
            return None

    def locales(self, node: Node) -> tuple[tuple[str, float], ...]:
        if isinstance(node, Scalar):
            return ((node.text.text, 1.0),)
        if isinstance(node, Sequence):
            names = [self._plain(each, "locale").text for each in node.items]
            return tuple((name, 1 / len(names)) for name in names)
        shares: list[tuple[str, float]] = []
        for key, value in node:
            share = re.fullmatch(r"(\d+(?:\.\d+)?) *%", self._plain(value, "locale").text)
            if share is None and not (isinstance(value, Scalar) and value.broken):
                self.findings.error("the share of a locale is missing", value.span, "a percentage such as 45%")
            shares.append((key.text.text, float(share.group(1)) if share else 1.0))
        total = sum(share for _, share in shares)
        if abs(total - 100) > 0.01 and all(share for _, share in shares) and not self.findings.errors:
            self.findings.error(f"the shares of the locales add up to {total:g}%", node.span, "100%")
        return tuple((name, share / total) for name, share in shares) if total else Schema.locales

    # ---- records -----------------------------------------------------------------------------------------------

    def record(self, name: Scalar, node: Node) -> Record:
        empty = Record(name.text.text, Count(0, 0), (), span=name.span)
        if not isinstance(node, Mapping):
            if not (isinstance(node, Scalar) and node.broken):
                self.findings.error("a record type needs `count:` and `fields:`", name.span)
            return empty
        known_keys(self.findings, node, RECORD_KEYS, f"in record type `{name.text.text}`")
        found = {key.text.text: value for key, value in node}
        self.record_name = name.text.text
        fields: list[Field] = []
        if "fields" in found and not (isinstance(found["fields"], Scalar) and not found["fields"].text.text):
            self.fields(found["fields"], [], fields)
        if not fields and not self.findings.errors:
            self.findings.error(f"`{name.text.text}` has no fields", name.span, "`fields:` with one field a line")
        if "count" in found:
            node_of_count = self._replacement(f"{name.text.text}.count", found["count"])
            count = build_phrases.count(self._plain(node_of_count, "count"), self.findings)
        else:
            count = Count(0, 0)
            if all(key in RECORD_KEYS for key in found):
                message = f"`{name.text.text}` has no count"
                self.findings.error(message, name.span, "`count: 100`, or a count such as `0..5 per hiker`")
        always = self.always(found["always"]) if "always" in found else ()
        key = self._plain(found["key"], "key").text if "key" in found else None
        known = [each.name for each in fields]
        if key is not None and key not in known:
            hint = did_you_mean(key, known)
            self.findings.error(f"the key `{key}` is not a field of `{name.text.text}`", found["key"].span, hint=hint)
            key = None
        groups = self.groups(found["unique"], fields) if "unique" in found else ()
        mix, locale_from = self.locale_of_record(found["locale"], known) if "locale" in found else ((), "")
        return Record(name.text.text, count, tuple(fields), always, key, groups, mix, locale_from, name.span)

    def locale_of_record(self, node: Node, fields: list[str]) -> tuple[tuple[tuple[str, float], ...], str]:
        """Read the locales of a record type, or the field that has them."""
        if isinstance(node, Scalar) and node.text.text in fields:
            return (), node.text.text
        return self.locales(node), ""

    def groups(self, node: Node, fields: list[Field]) -> tuple[tuple[str, ...], ...]:
        """Read which fields are unique together: `unique: hiker, hut`, or a list of such lines."""
        found: list[tuple[str, ...]] = []
        known = [each.name for each in fields]
        for each in node.items if isinstance(node, Sequence) and not node.flow else (node,):
            parts = each.items if isinstance(each, Sequence) else (each,)
            names = [name.strip() for part in parts if isinstance(part, Scalar) for name in part.text.text.split(",")]
            for name in names:
                if name not in known:
                    self.findings.error(f"there is no field `{name}`", each.span, hint=did_you_mean(name, known))
            if len(names) < 2 or len(set(names)) < len(names):
                advice = "`unique: hiker, hut`; a single field takes the clause `unique`"
                self.findings.error("two or more different fields are unique together", each.span, advice)
            found.append(tuple(names))
        return tuple(found)

    def _replacement(self, full_name: str, node: Node) -> Node:
        """Return what a variant or the command line puts in the place of a field's or count's node."""
        if full_name in self.reuse.varied:
            self.met.add(full_name)
            node = self.reuse.varied[full_name][1]
        if (phrase := self.replaced.get(full_name)) is not None:
            self.met.add(full_name)
            # Whatever is wrong with it is shown at the field that it replaces.
            node = Scalar(Text(phrase, (node.span.start,) * (len(phrase) + 1)), "'")
        return node

    def always(self, node: Node) -> tuple[Expression, ...]:
        items = node.items if isinstance(node, Sequence) else (node,)
        found: list[Expression] = []
        for each in items:
            if isinstance(each, Scalar):
                built = None if each.broken else expression(each.text, self.findings, self._cut(each))
                found += [built] if built is not None else []
            else:
                advice = f"`- party <= hut.beds`; with a `: ` inside, {QUOTE_ADVICE}"
                self.findings.error("a condition is one line", each.span, advice)
        return tuple(found)

    def use(self, name: str, key: Scalar, conditions: list[Expression], into: list[Field], prefix: str) -> None:
        """Put the fields of a set in the place of `use NAME:`."""
        if name not in self.reuse.sets:
            expected = (
                "one of " + ", ".join(self.reuse.sets)
                if self.reuse.sets
                else "`sets:` at the top, or in an included file"
            )
            self.findings.error(f"there is no set `{name}`", key.span, expected, did_you_mean(name, self.reuse.sets))
        elif self.uses >= MAX_USES:
            self.findings.error(f"sets are used more than {MAX_USES:,} times", key.span)
        elif name in self.using:
            self.findings.error(f"the set `{name}` uses itself", key.span)
        else:
            self.uses += 1
            self.using.append(name)
            self.fields(self.reuse.sets[name], conditions, into, prefix)
            self.using.pop()

    def fields(self, node: Node, conditions: list[Expression], into: list[Field], prefix: str = "") -> None:
        """Read the fields of a record or of an `if …:` block, whose condition all fields inside share.

        Those of a nested record have the names of the records around them as a prefix.
        """
        if not isinstance(node, Mapping):
            self.findings.error("one field a line", node.span, "`name: phrase`")
            return
        for key, value in node:
            name = key.text.text
            if re.match(r"if\b", name):
                condition = expression(key.text.cut(2, len(name)), self.findings)
                self.fields(value, [*conditions, condition] if condition is not None else conditions, into, prefix)
            elif found := re.fullmatch(r"use +(\S+)", name):
                self.use(found[1], key, conditions, into, prefix)
            elif len(into) >= MAX_FIELDS:
                self.findings.error(f"more than {MAX_FIELDS:,} fields", key.span)
                return
            elif self._field_name(key, "field"):
                name = prefix + name
                if name in (names := {each.name: each for each in into}):
                    line, _ = self.findings.source.line_and_column(names[name].span.start)
                    advice = "for one field with several forms use `when:`"
                    self.findings.error(f"`{name}` is a field already, on line {line}", key.span, hint=advice)
                else:
                    self.add_field(name, key, value, conditions, into, node.flow)

    def add_field(
        self, name: str, key: Scalar, node: Node, conditions: list[Expression], into: list[Field], flow: bool
    ) -> None:  # fmt: skip
        """Read one field, and those inside it when it is a nested record."""
        node = self._replacement(f"{self.record_name}.{name}", node)
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
        only_if = all_of([*conditions, draft.only_if] if draft.only_if is not None else conditions)
        listed = isinstance(draft.phrase.head, ListOf)
        phrase = draft.phrase if listed else replace(draft.phrase, head=Nested())
        into.append(Field(name, phrase, False, draft.hidden, draft.optional, only_if, draft.named, None, (), key.span))
        present = Unary("not", NullTest(Name(name, key.span), key.span), key.span)
        before = len(into)
        maybe = not listed and (phrase.missing or only_if is not None)
        self.fields(inside, [present] if maybe else [], into, f"{name}.")
        if ready is not None:
            into[before:] = [speaking_of(each, name) for each in into[before:]]
        if draft.hidden:
            into[before:] = [replace(each, hidden=True) for each in into[before:]]
        elif all(each.hidden for each in into[before:]):
            # A record without anything to show is not shown.
            into[before - 1] = replace(into[before - 1], hidden=True)
        if len(into) == before:
            self.findings.error(f"`{name}` has no fields", key.span, "one field a line below `nested:`")

    def _is_ready(self, name: str) -> bool:
        return name not in self.reuse.known.kinds and name in KINDS and bool(KINDS[name].record)

    def _as_nested(self, node: Scalar, found: re.Match[str]) -> Mapping:
        """Return the long form of a ready record: `list 1..3 of person, missing 5%` with the record's own fields."""
        inside = self.reuse.ready_record(found["name"])
        text, parts = node.text, []
        if found["size"]:
            parts.append(("list", text.cut(*found.span("size"))))
        for each in re.finditer(r"\s*,\s*(missing|optional|hidden|only if|named)\b\s*([^,]*)", found["clauses"]):
            start = found.start("clauses")
            value = text.cut(start + each.start(2), start + each.end(2))
            parts.append((each[1], value if value.text else Text("yes", text.at[:1] * 4)))
        keys = [Scalar(Text(word, text.at[:1] * (len(word) + 1)), None) for word, _ in parts]
        entries = [(key, Scalar(value, None)) for key, (_, value) in zip(keys, parts, strict=True)]
        nested = Scalar(Text("nested", text.at[:1] * 7), None)
        return Mapping((*entries, (nested, inside)), node.span, False)

    def _clauses_of_nested(self, key: Scalar, node: Mapping) -> Draft | None:
        """Read what stands beside `nested:`: clauses, and `list:` for several records."""
        beside = [each for each in node if each[0].text.text not in ("nested", "list")]
        length = next((value for word, value in node if word.text.text == "list"), None)
        text = Text("= null", (key.span.start,) * 7)
        if isinstance(length, Scalar) and not length.broken:
            # What the values are stands below `nested:`; a stand-in makes a phrase of the length.
            text = Text("list ", length.text.at[:1] * 6) + length.text + length.text.filler(" of boolean")
        clauses = spelled_out(Mapping(tuple(beside), node.span, node.flow), self.findings) if beside else None
        if beside and clauses is None:
            return None
        text = text + text.filler(", ") + clauses if clauses is not None else text
        draft = build_phrases.phrase(text, self.findings, None, self.reuse.known)
        if draft is not None and (draft.unique or draft.shown or draft.phrase.usually or draft.phrase.distinct):
            expected = "list, missing, optional, hidden, only if, named"
            self.findings.error("this clause has no meaning for a nested record", key.span, expected)
        if draft is not None and isinstance(draft.phrase.head, ListOf):
            several = replace(draft.phrase.head, phrase=Phrase(Nested(), span=key.span))
            draft.phrase = replace(draft.phrase, head=several)
        return draft

    def field(self, name: str, key: Scalar, node: Node, conditions: list[Expression], flow: bool) -> Field | None:
        body: Phrase | Table
        node, told = self._told(node)
        if isinstance(node, Mapping) and any(TABLE_KEY.match(each.text.text) for each, _ in node):
            drafts = self._table(key, node)
            if drafts is None:
                return None
            body, draft = drafts
        else:
            single = self._draft(key, node, flow)
            if single is None:
                return None
            draft = single
            body = draft.phrase
        only_if = all_of([*conditions, draft.only_if] if draft.only_if is not None else conditions)
        return Field(
            name, body, draft.unique, draft.hidden, draft.optional, only_if, draft.named, draft.shown, told, key.span
        )

    def _told(self, node: Node) -> tuple[Node, tuple[LabelledExample, ...]]:
        """Take the values that are said to be accepted or rejected out of a field; return the rest, and them."""
        if not isinstance(node, Mapping) or not any(each.text.text in TOLD for each, _ in node):
            return node, ()
        found: list[LabelledExample] = []
        for word, values in node:
            if word.text.text not in TOLD:
                continue
            if not isinstance(values, Mapping):
                self.findings.error(
                    f"`{word.text.text}` takes values, each with a reason",
                    word.span,
                    "one `value: reason` a line below it",
                )
                continue
            for value, reason in values:
                if isinstance(reason, Scalar):
                    told = LabelledExample(value.text.text, word.text.text == "accept", reason.text.text, value.span)
                    found.append(told)
                else:
                    self.findings.error("a reason is one line", reason.span)
        rest = tuple(entry for entry in node if entry[0].text.text not in TOLD)
        # What is left of `is: …` is the short form again.
        alone = rest[0][1] if len(rest) == 1 and rest[0][0].text.text == "is" else Mapping(rest, node.span, node.flow)
        return alone, tuple(found)

    def _stand_in(self, name: str, key: Scalar) -> Field:
        """Return a field in the place of one that cannot be read, so that what uses it is not wrong as well."""
        self.findings.unreadable.add(key.span)
        return Field(name, Phrase(Derived(Literal(None, key.span)), span=key.span), span=key.span)

    def _draft(self, key: Scalar, node: Node, flow: bool = False) -> Draft | None:
        """Read one phrase in its short or long form."""
        if isinstance(node, Scalar):
            if node.broken:
                return None
            if not node.text.text.strip():
                builder = build_phrases.Phrases(node.text, self.findings, self.reuse.known)
                return builder.kind_by_name(key.text.text, key.span)
            if flow and node.style is None:
                advice = "write one field a line, without braces"
                self.findings.error("a phrase inside braces is cut at its commas", node.span, hint=advice)
                return None
            cut = self._cut(node)
            found = build_phrases.phrase(node.text, self.findings, cut, self.reuse.known, key.text.text)
            if found is not None and cut and not cut.startswith((" ", "#")):
                self.findings.warn(
                    f"YAML took ` #{cut[:20]}` for a comment", node.span, f"if it is not one, {QUOTE_ADVICE}"
                )
            return found
        if isinstance(node, Sequence):
            self.findings.error("a list is not a phrase", node.span, "`one of a | b | c`, or `one of:` above the list")
            return None
        if node.flow and any(each.style is None for each, _ in node):
            advice = "write `name: phrase` on one line, without braces"
            self.findings.error("a phrase inside braces is cut at its commas", node.span, hint=advice)
            return None
        text = spelled_out(node, self.findings)
        if text is None:
            return None
        return build_phrases.phrase(text, self.findings, None, self.reuse.known, key.text.text)

    def _table(self, name: Scalar, node: Mapping) -> tuple[Table, Draft] | None:
        """Read `when:` or `by FIELD:`, with the clauses of the field beside it."""
        table: Table | None = None
        clauses: set[str] = set()
        only_if: Expression | None = None
        named: str | None = None
        for key, value in node:
            word = key.text.text
            if TABLE_KEY.match(word) and table is None and isinstance(value, Mapping):
                table = self._when(name, value) if word == "when" else self._by(name, key, value)
            elif word in FLAGS and isinstance(value, Scalar):
                clauses |= {word} if value.text.text not in OFF else set()
            elif word == "only if" and isinstance(value, Scalar):
                only_if = expression(value.text, self.findings, self._cut(value))
            elif word == "named" and isinstance(value, Scalar):
                named = value.text.text.strip("\"'")
            else:
                hint = did_you_mean(word, BESIDE_TABLE)
                expected = ", ".join(BESIDE_TABLE)
                self.findings.error(f"`{word}` does not fit beside a table", key.span, expected, hint)
        if table is None or not table.rows:
            if not self.findings.errors:
                self.findings.error("a table needs rows", name.span, "one `condition: phrase` a line, `else:` last")
            return None
        draft = Draft(table.rows[0][1], "unique" in clauses, "hidden" in clauses, "optional" in clauses, only_if, named)
        return table, draft

    def _when(self, name: Scalar, node: Mapping) -> Table:
        """Read a table of conditions."""
        rows: list[tuple[Expression | None, Phrase]] = []
        for key, value in node:
            word = key.text.text
            if word != "else" and re.fullmatch(r"\w+", word) and (hint := did_you_mean(word, ["else"])):
                self.findings.error(f"`{word}` is not a condition", key.span, hint=hint)
            condition = None if word == "else" else expression(key.text, self.findings)
            self._add_row(name, node, key, value, condition, rows)
        return Table(tuple(rows))

    def _by(self, name: Scalar, by: Scalar, node: Mapping) -> Table | None:
        """Read a table of a field's values; a row may name several of them: `booked | arrived: …`."""
        subject = expression(by.text.cut(2, len(by.text.text)), self.findings)
        if subject is None:
            return None
        keys = [key for key, _ in node if key.text.text != "else"]
        values = dict(zip(keys, table_values([key.text.text for key in keys]), strict=True))
        rows: list[tuple[Expression | None, Phrase]] = []
        for key, value in node:
            options = tuple(Literal(each, key.span) for each in values.get(key, ()))
            condition = Membership(subject, options, key.span) if options else None
            self._add_row(name, node, key, value, condition, rows)
        return Table(tuple(rows), subject)

    def _add_row(
        self, name: Scalar, node: Mapping, key: Scalar, value: Node, condition: Expression | None,
        rows: list[tuple[Expression | None, Phrase]],
    ) -> None:  # fmt: skip
        """Read one row of a table."""
        if key.text.text == "else" and key is not node.entries[-1][0]:
            self.findings.error("`else` comes last", key.span)
        draft = self._draft(name, value, node.flow)
        if draft is None or (condition is None and key.text.text != "else"):
            return
        if draft.unique or draft.hidden or draft.optional or draft.only_if is not None or draft.named:
            advice = "put it beside the table"
            self.findings.error("this clause belongs to the field as a whole", draft.phrase.span, hint=advice)
        rows.append((condition, draft.phrase))

    # ---- small things ------------------------------------------------------------------------------------------

    def _cut(self, node: Scalar) -> str | None:
        return cut_by_comment(self.findings.source, node)

    def _plain(self, node: Node, what: str) -> Text:
        if isinstance(node, Scalar):
            return node.text
        self.findings.error(f"`{what}` is one value on one line", node.span)
        return Text("", (node.span.start,))

    def _field_name(self, key: Scalar, what: str) -> bool:
        name = key.text.text
        advice = "letters, digits and underscores, not beginning with a digit"
        if not FIELD_NAME.fullmatch(name):
            suggestion = re.sub(r"\W+", "_", name).strip("_")
            hint = f"write `{suggestion}`" if FIELD_NAME.fullmatch(suggestion) else None
            self.findings.error(f"`{name}` is not a name for a {what}", key.span, advice, hint)
            return False
        if name in RESERVED or (what == "field" and name in NOW_NAMES):
            self.findings.error(f"`{name}` is a word of the language", key.span, "another name", f"write `{name}_`")
            return False
        return True
