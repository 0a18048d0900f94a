"""JSON Schema, draft 7 and 2020-12 (https://json-schema.org/draft/2020-12): what a JSON file may hold.

Each keyword is said by the draft, or it is left out and told: records that are drawn are valid, and what the draft
rejects is not.
"""

from __future__ import annotations

import re

from yurt.core.base.errors import YurtError
from yurt.core.drafting.draft import Draft, FieldDraft, RecordDraft
from yurt.core.drafting.sources import json_conditions, lines
from yurt.core.drafting.sources.json_keywords import (
    ANY_TYPE,
    ASSERTIONS,
    IMPLIED,
    WORDS,
    among,
    anchored,
    apart,
    looks_like_schema,
    only_null,
    or_null,
    says_nothing,
    type_of,
)
from yurt.core.drafting.sources.json_schema_merge import NOTES, Clash, Rules, pointed, same_json, together
from yurt.core.drafting.sources.json_values import Json, document
from yurt.core.drafting.sources.json_values_of import number_line, text_line
from yurt.core.drafting.sources.lines import Unwritable
from yurt.core.drafting.sources.names import one_line, record_name
from yurt.core.drafting.sources.source import Asked, Source
from yurt.core.language.over_columns import field_names

COUNT = "100"
DEEPEST = 30
OLD = re.compile(r"draft-0[3-7]")
MISSING = "missing 10%"


class SchemaReader:
    """Reads record types out of one document."""

    def __init__(self, whole: Json, asked: Asked) -> None:
        self.whole, self.asked = whole, asked
        self.old = isinstance(whole, dict) and bool(OLD.search(str(whole.get("$schema", ""))))
        self.others: dict[str, Json] = {}
        # Whether some field may be absent but not null, and whether some must be there but may be null.
        self.absent: list[str] = []
        self.nullable: list[str] = []

    # ---- rules -------------------------------------------------------------------------------------------------------

    def rules(self, schema: Json, place: str, around: tuple[str, ...] = ()) -> tuple[Rules, tuple[str, ...]]:
        """Return the rules of a schema with its references and `allOf` resolved, and the references that led there."""
        if schema is True:
            return {}, around
        if not isinstance(schema, dict):
            self._leave_out("false" if schema is False else "schema", place, "no value is allowed")
            return {}, around
        found: Rules = {word: value for word, value in schema.items() if word not in ("$ref", "allOf", "$dynamicRef")}
        parts: list[Json] = list(schema.get("allOf", ()))
        reference = schema.get("$ref")
        if reference is not None:
            if reference in around or len(around) > DEEPEST:
                self._leave_out("$ref", place, f"`{reference}` contains itself")
                return {"type": "string", "maxLength": 0}, around
            around = (*around, reference)
            if self.old:
                # Beside `$ref`, nothing counts before 2019.
                found, parts = {}, []
            parts.insert(0, self._resolved(str(reference), place))
        if "$dynamicRef" in schema:
            self._leave_out("$dynamicRef", place, "it depends on where it is used from")
        for each in parts:
            more, around = self.rules(each, place, around)
            try:
                found = together(found, more, same_json)
            except Clash as clash:
                self._leave_out(clash.keyword, place, str(clash))
            for word in ("additionalProperties", "unevaluatedProperties"):
                # It only knows the properties beside it, and forbids those of the other parts.
                others = set(found.get("properties") or ()) - set(more.get("properties") or ())
                if more.get(word, True) not in (True, {}) and others:
                    self._leave_out(word, place, f"it forbids `{min(others)}`, which another part allows")
        return self._of_one_arm(found, place, around)

    def _of_one_arm(self, rules: Rules, place: str, around: tuple[str, ...]) -> tuple[Rules, tuple[str, ...]]:
        """Return rules without `anyOf` and `oneOf`, where only one arm is left, or all arms are lists of values."""
        for word in ("anyOf", "oneOf"):
            arms = rules.get(word)
            if not isinstance(arms, list) or not arms:
                continue
            rest = {name: value for name, value in rules.items() if name != word}
            resolved = [self.rules(each, place, around)[0] for each in arms]
            present = [each for each in resolved if each.get("type") != "null" and not only_null(each)]
            nullable = len(present) < len(resolved)
            if not present:
                rest["enum"] = [None]
            elif len(present) == 1 or all(each == present[0] for each in present[1:]):
                try:
                    rest = together(rest, present[0], same_json)
                except Clash as clash:
                    self._leave_out(clash.keyword, place, str(clash))
            elif (all("enum" in each or "const" in each for each in present) and word == "anyOf") or apart(present):
                rest["enum"] = [one for each in present for one in (each.get("enum") or [each.get("const")])]
            else:
                self._leave_out(word, place, "a value of one of several forms")
                rest = {**rest, **(present[0] if present else {})}
            if nullable:
                rest = or_null(rest)
            rules = rest
        return rules, around

    def _resolved(self, reference: str, place: str) -> Json:
        file, _, pointer = reference.partition("#")
        whole = self.whole
        if file and not self._is_own(file):
            if file not in self.others:
                self.others[file] = document(self.asked.opener(file), file)
            whole = self.others[file]
        if pointer and not pointer.startswith("/"):
            found = anchored(whole, pointer)
        else:
            found = pointed(whole, pointer) if pointer else whole
        if found is None:
            raise YurtError(f"{self.asked.name}: `$ref`: `{reference}` leads to nothing (at {place})")
        return found

    def _is_own(self, file: str) -> bool:
        own = self.whole.get("$id") or self.whole.get("id") if isinstance(self.whole, dict) else None
        return isinstance(own, str) and own.rstrip("#") == file

    def _leave_out(self, keyword: str, place: str, reason: str) -> None:
        self.asked.leave_out(keyword, place or "the document", reason)

    # ---- record types ------------------------------------------------------------------------------------------------

    def record(self, name: str, schema: Json, place: str) -> RecordDraft:
        """Return a record type; a schema of other values becomes one with the only field `value`."""
        rules, around = self.rules(schema, place)
        kind = self._root_type(rules)
        if kind == "array" and isinstance(rules.get("items"), dict):
            inner, inside = self.rules(rules["items"], f"{place}/items", around)
            if self._root_type(inner) == "object":
                for word in ("uniqueItems", "minItems", "maxItems", "contains", "prefixItems"):
                    if rules.get(word):
                        self._leave_out(word, place, "a rule about the list of all records")
                rules, around, kind = inner, inside, "object"
        if kind != "object":
            rules = {"type": "object", "properties": {"value": schema}, "required": ["value"]}
            around = ()
        fields = self._fields(rules, "", place, around)
        if not fields:
            self._leave_out("properties", place, "it names no fields, so there is nothing to draw")
        record = RecordDraft(name, COUNT, fields or [FieldDraft("value", "value", "text 0.. of any", ["missing 100%"])])
        note = rules.get("description") or (schema.get("description") if isinstance(schema, dict) else None)
        if isinstance(note, str) and note.strip():
            record.notes.append(one_line(note))
        return record

    def _root_type(self, rules: Rules) -> str:
        kind = rules.get("type")
        if isinstance(kind, str):
            return kind
        implied = {IMPLIED[word] for word in rules if word in IMPLIED}
        return "object" if kind is None and implied == {"object"} else ""

    def _fields(self, rules: Rules, path: str, place: str, around: tuple[str, ...]) -> list[FieldDraft]:
        """Return the fields of an object, those inside it after it."""
        self._unknown(rules, "object", place)
        properties = dict(rules.get("properties") or {})
        required = list(rules.get("required") or ())
        for name in required:
            if name not in properties:
                # Any value will do.
                properties[name] = {"type": "boolean"} if self.asked.partly else True
        self._around_properties(rules, properties, required, place)
        names = field_names(list(properties))
        found: list[FieldDraft] = []
        for title, schema in properties.items():
            if schema is False and title not in required:
                continue
            own = f"{path}.{names[title]}" if path else names[title]
            inside = self._field(title, schema, own, f"{place}/properties/{title}", around)
            if inside and title not in required:
                self._optional(inside[0], f"{place}/properties/{title}")
            elif inside and "optional" in inside[0].clauses:
                self.nullable.append(f"{place}/properties/{title}")
            found += inside
        json_conditions.apply(self, rules, found, path, names, place, around)
        return found

    def _optional(self, field: FieldDraft, place: str) -> None:
        """Let a field be absent."""
        if not any(each.startswith(("optional", "missing")) for each in field.clauses):
            field.clauses.append(MISSING)
            self.absent.append(place)

    def _around_properties(self, rules: Rules, properties: dict[str, Json], required: list[str], place: str) -> None:
        """Refuse what says more about the names of properties than which there are."""
        for pattern, schema in dict(rules.get("patternProperties") or {}).items():
            for name in properties:
                try:
                    met = re.search(pattern, name)
                except re.error:
                    met = None
                if met:
                    properties[name] = {"allOf": [properties[name], schema]}
        if isinstance(names := rules.get("propertyNames"), dict) and names:
            self._leave_out("propertyNames", place, "a rule about names")
        if int(rules.get("minProperties", 0)) > len(required):
            self._leave_out("minProperties", place, "more fields than those that are required")
        most = rules.get("maxProperties")
        if most is not None and int(most) < len(properties):
            self._leave_out("maxProperties", place, "fewer fields than there are")

    # ---- values ------------------------------------------------------------------------------------------------------

    def _field(self, title: str, schema: Json, name: str, place: str, around: tuple[str, ...]) -> list[FieldDraft]:
        rules, around = self.rules(schema, place, around)
        draft = FieldDraft(name, title, found="allowed by the source")
        if isinstance(note := rules.get("description"), str) and 0 < len(note.strip()) <= 60:
            draft.notes.append(one_line(note))
        found = self._value(rules, name, place, around)
        draft.head, draft.clauses = found[0].head, found[0].clauses
        draft.nested, draft.list_size = found[0].nested, found[0].list_size
        return [draft, *found[1:]]

    def _value(self, rules: Rules, name: str, place: str, around: tuple[str, ...]) -> list[FieldDraft]:
        """Return the line of a value, and the fields inside it."""
        kind, nullable = self._type(rules, place)
        self._unknown(rules, "number" if kind == "integer" else kind, place)
        if kind == "null":
            return [FieldDraft(name, name, "text 0.. of any", ["missing 100%"])]
        found = self._of_type(kind, rules, name, place, around)
        if nullable:
            found[0].clauses.append("optional")
        return found

    def line(self, rules: Rules, name: str, place: str) -> str | None:
        """Return the line of a single value, for a table; None for a record or a list of records."""
        found = self._value(rules, name, place, ())
        return None if found[0].nested else ", ".join([found[0].head, *found[0].clauses])

    def _of_type(self, kind: str, rules: Rules, name: str, place: str, around: tuple[str, ...]) -> list[FieldDraft]:
        draft = FieldDraft(name, name)
        try:
            if "enum" in rules or "const" in rules:
                draft.head = lines.one_of(self._listed(rules, kind))
            elif kind == "boolean":
                draft.head = "boolean"
            elif kind in ("integer", "number"):
                found = number_line(rules, kind == "integer")
                draft.head = found.head
            elif kind == "string":
                found = text_line(rules, name)
                draft.head, draft.clauses = found.head, list(found.clauses)
            elif kind == "array":
                return self._list(rules, name, place, around)
            elif kind == "object":
                draft.nested = True
                return [draft, *self._fields(rules, name, place, around)]
        except Unwritable as fault:
            word = next((each for each in ("multipleOf", "pattern", "format", "enum", "const", "minLength", "maxLength",
                                           "minimum", "exclusiveMinimum") if each in rules), kind)  # fmt: skip
            self._leave_out(word, place, str(fault))
            draft.head = {"integer": "integer ..", "number": "decimal .. places 2", "boolean": "boolean"}.get(
                kind, "text 0.. of any"
            )
        return [draft]

    def _listed(self, rules: Rules, kind: str) -> list[Json]:
        values = [rules["const"]] if "const" in rules else list(rules["enum"])
        if "const" in rules and "enum" in rules:
            values = [each for each in values if any(same_json(each, one) for one in rules["enum"])]
        values = [each for at, each in enumerate(values) if each is not None and not among(each, values[:at])]
        if any(isinstance(each, dict | list) for each in values):
            raise Unwritable("a list of lists or records")
        if any(word in rules for word in WORDS["number"] + WORDS["string"]):
            raise Unwritable("a list of values beside other rules")
        fits: dict[str, type] = {"integer": int, "string": str, "boolean": bool}
        if kind not in fits:
            return values
        return [
            each for each in values
            if isinstance(each, fits[kind]) and (kind == "boolean" or not isinstance(each, bool))
        ]  # fmt: skip

    def _type(self, rules: Rules, place: str) -> tuple[str, bool]:
        """Return the only type of a value, and whether it may be null."""
        told = rules.get("type")
        kinds = [told] if isinstance(told, str) else list(told or ())
        nullable = bool(rules.get("nullable")) or "null" in kinds
        kinds = [each for each in kinds if each != "null"]
        if "integer" in kinds and "number" in kinds:
            kinds.remove("integer")
        values = [rules["const"]] if "const" in rules else rules.get("enum")
        if isinstance(values, list):
            nullable = nullable and None in values if kinds else None in values
            kinds = kinds or list(dict.fromkeys(map(type_of, (each for each in values if each is not None))))
        if len(kinds) == 1:
            return kinds[0], nullable
        if not kinds and nullable:
            self._leave_out("type", place, "nothing but null")
            return "null", True
        if kinds:
            self._leave_out("type", place, f"a value of one of several types: {', '.join(map(str, kinds))}")
        else:
            words = [word for word in rules if word in IMPLIED]
            beside = f"; `{words[0]}` is only about some of them" if words else ""
            self._leave_out("type", place, f"without it, a value of any type is allowed{beside}")
        implied = [IMPLIED[word] for word in rules if word in IMPLIED]
        return (kinds or implied or ["string"])[0], nullable

    def _list(self, rules: Rules, name: str, place: str, around: tuple[str, ...]) -> list[FieldDraft]:
        low, high = int(rules.get("minItems", 0)), rules.get("maxItems")
        size = f"{low}.." if high is None else f"{low}..{int(high)}" if int(high) != low else str(low)
        if high is not None and int(high) < low:
            raise Unwritable("no list has such a length")
        if "items" not in rules:
            self._leave_out("items", place, "without it, values of any type are allowed")
        schema = rules.get("items", {"type": "string"})
        if isinstance(schema, list):
            self._leave_out("items", place, "a list whose values differ by their position")
            schema = schema[0] if schema else {"type": "string"}
        if schema is True:
            self._leave_out("items", place, "values of any type")
            schema = {"type": "string"}
        inner, around = self.rules(schema, f"{place}/items", around)
        found = self._value(inner, name, f"{place}/items", around)
        draft = FieldDraft(name, name)
        if found[0].head.startswith("list ") or found[0].list_size:
            self._leave_out("items", place, "a list of lists")
            found = [FieldDraft(name, name, "text 0.. of any")]
        if found[0].nested:
            if rules.get("uniqueItems"):
                self._leave_out("uniqueItems", place, "records that differ")
            if "optional" in found[0].clauses:
                self._leave_out("type", f"{place}/items", "a record that may be null, in a list")
            draft.nested, draft.list_size = True, size
            return [draft, *found[1:]]
        clauses = ["missing 10%" if each == "optional" else each for each in found[0].clauses]
        inside = f"({', '.join([found[0].head, *clauses])})" if clauses or rules.get("uniqueItems") else found[0].head
        draft.head = f"list {size} of {inside}"
        draft.clauses = ["distinct"] if rules.get("uniqueItems") else []
        return [draft]

    def _unknown(self, rules: Rules, kind: str, place: str) -> None:
        """Refuse the keywords that nothing here says; those of other types do not matter."""
        known = {*ANY_TYPE, *NOTES, *WORDS.get(kind, ())}
        for word in rules:
            if word in known or word.startswith("x-"):
                continue
            elsewhere = word in IMPLIED and (IMPLIED[word] != kind)
            if not elsewhere and word in ASSERTIONS and not says_nothing(word, rules[word], rules):
                self._leave_out(word, place, "no line says this")


def with_missing(reader: SchemaReader, draft: Draft) -> Draft:
    """Say how missing values are written; both ways at once are not possible."""
    if reader.absent:
        draft.output = {"json": {"missing": "absent"}}
        for place in reader.nullable:
            reader.asked.leave_out("type", place, "null, where the field must be there and others may be absent")
    return draft


def _read(data: bytes, asked: Asked) -> Draft:
    whole = document(data, asked.name)
    if not isinstance(whole, dict | bool):
        raise YurtError(f"{asked.name}: no JSON Schema: an object was expected")
    reader = SchemaReader(whole, asked)
    draft = Draft()
    rules = whole if isinstance(whole, dict) else {}
    inside = rules.get("$defs") or rules.get("definitions") or {}
    words = [word for word in rules if word not in NOTES]
    if not words and inside:
        for name, each in inside.items():
            if isinstance(each, dict) and (each.get("type") == "object" or "properties" in each):
                draft.records.append(reader.record(record_name(name), each, f"#/$defs/{name}"))
    if not draft.records:
        draft.records.append(reader.record(asked.record, whole, "#"))
    if isinstance(rules.get("title"), str):
        draft.title = one_line(rules["title"])
    return asked.finish(with_missing(reader, draft))


SOURCE = Source("JSON Schema", "JSON Schema, draft 7 or 2020-12", looks_like_schema, _read)
