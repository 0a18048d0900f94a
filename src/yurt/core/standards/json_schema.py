"""JSON Schema 2020-12 (https://json-schema.org/draft/2020-12): what a JSON file of a record type may hold."""

from __future__ import annotations

import json
from datetime import date, time
from decimal import Decimal
from fractions import Fraction

from yurt.core.base.json_object import JsonObject
from yurt.core.kinds.contract import lengths
from yurt.core.model import ItemValue, Record
from yurt.core.model.constants import Constant
from yurt.core.standards.common.document import Asked, Document, Written
from yurt.core.standards.common.expressions import ecma
from yurt.core.standards.common.facts import Allowed, Facts, FactsOf, Unsaid
from yurt.core.writing.nested import children_of

DRAFT = "https://json-schema.org/draft/2020-12/schema"
PARTS = r"(\.\d{6})?"
DAY, CLOCK = r"\d{4}-[01]\d-[0-3]\d", r"([01]\d|2[0-3]):[0-5]\d:[0-5]\d" + PARTS
OFFSET = r"(Z|[+-]\d{2}:\d{2})"
# The types of JSON, and the forms of texts.
TYPES: dict[str, JsonObject] = {
    "integer": {"type": "integer"}, "decimal": {"type": "number"}, "real": {"type": "number"},
    "boolean": {"type": "boolean"}, "text": {"type": "string"},
    "date": {"type": "string", "format": "date", "pattern": f"^{DAY}$"},
    # The format `time` of JSON Schema, and its `date-time`, need an offset.
    "time": {"type": "string", "pattern": f"^{CLOCK}$"},
    "datetime": {"type": "string", "pattern": f"^{DAY}T{CLOCK}$"},
    "zoned": {"type": "string", "format": "date-time", "pattern": f"^{DAY}T{CLOCK}{OFFSET}$"},
    **{name: {"type": "string", "format": "duration", "pattern": "^-?P.+$"} for name in ("duration", "days", "period")},
}  # fmt: skip
NUMBER = {"type": "string", "pattern": r"^-?\d+(\.\d+)?$"}


class JsonSchemaOf:
    """Writes the definitions of record types."""

    def __init__(self, asked: Asked) -> None:
        self.asked = asked
        self.unsaid: list[Unsaid] = []

    def definition(self, name: str) -> JsonObject:
        """Return the definition of a record type."""
        record = self.asked.schema.records[name]
        collected = FactsOf(self.asked.schema, record)
        chosen = self.asked.output.chosen("json", name)
        self.texts = chosen.get("numbers") == "text"
        facts = collected.all()
        self.unsaid += collected.unsaid
        found = self._object(record, facts)
        for group in record.unique:
            self._tell(record, "", f"that {', '.join(group)} do not repeat together")
        if chosen.get("children") == "inside":
            for child in children_of(self.asked.schema, name):
                count = self.asked.schema.records[child].count
                found["properties"][child] = {
                    "type": "array", "items": {"$ref": f"#/$defs/{child}"}, "minItems": count.low,
                    "maxItems": count.high,
                }  # fmt: skip
                found["required"].append(child)
        elif record.count.per:
            self._tell(record, "", f"that each {record.count.per} has {record.count.low} to {record.count.high}")
        return found

    def _tell(self, record: Record, name: str, rule: str) -> None:
        self.unsaid.append(Unsaid(record.name, name, rule))

    def _object(self, record: Record, facts: tuple[Facts, ...]) -> JsonObject:
        return {
            "type": "object",
            "properties": {each.title: self._field(record, each) for each in facts},
            "required": [each.title for each in facts if not each.missing],
            "additionalProperties": False,
        }

    def _field(self, record: Record, facts: Facts) -> JsonObject:
        name = facts.field.name
        if facts.field.never_repeats:
            self._tell(record, name, "that its values do not repeat")
        if facts.referred:
            self._tell(record, name, f"that it is the key of a {facts.referred}")
        if facts.field.shown is not None and facts.field.shown.always:
            self._tell(record, name, f"its form, as {facts.field.shown.pattern}")
            found: JsonObject = {"type": "string"}
        elif facts.inside and facts.type.name != "list":
            found = self._object(record, facts.inside)
        else:
            every = [self._line(record, facts, each) for each in facts.lines]
            different = [each for at, each in enumerate(every) if each not in every[:at]]
            found = different[0] if len(different) == 1 else {"anyOf": different}
        return _or_null(found) if facts.missing else found

    def _line(self, record: Record, facts: Facts, line: Allowed) -> JsonObject:
        name = facts.field.name
        if line.type.name == "list":
            items = self._object(record, facts.inside) if facts.inside else {}
            if line.items is not None:
                items = self._line(record, facts, line.items)
                items = _or_null(items) if line.items.missing else items
            found: JsonObject = {"type": "array", "items": items}
            if line.most:
                found |= {"minItems": line.least, "maxItems": line.most}
            elif line.least:
                found |= {"minItems": line.least}
            return found | ({"uniqueItems": True} if line.distinct else {})
        if line.type.numeric and self.texts:
            self._tell(record, name, "the range of a number that is a text")
            return dict(NUMBER)
        found = dict(TYPES["zoned" if facts.zoned and line.type.name == "datetime" else line.type.name])
        if not line.fine and line.type.name in ("time", "datetime") and line.low is not None:
            found["pattern"] = found["pattern"].replace(PARTS, "")
        if line.values is not None:
            return {"enum": [_json(each) for each in line.values]}
        self._ends(record, name, line, found)
        if line.patterns:
            least, most = lengths(line.patterns)
            expressions = [ecma(each) for each in line.patterns]
            found |= {"pattern": expressions[0]} if len(expressions) == 1 else {}
            found |= {"allOf": [{"pattern": each} for each in expressions]} if len(expressions) > 1 else {}
            found |= {"minLength": least} if least else {}
            found |= {"maxLength": most} if most is not None else {}
        return found | ({"format": "uuid"} if line.uuid else {})

    def _ends(self, record: Record, name: str, line: Allowed, found: JsonObject) -> None:
        ends = {"minimum": line.low, "maximum": line.high}
        if line.type.numeric:
            found |= {word: _json(end) for word, end in ends.items() if isinstance(end, int | Decimal)}
        elif line.low is not None or line.high is not None:
            words = "..".join("" if each is None else str(_json(each)) for each in ends.values())
            self._tell(record, name, f"its range {words}: JSON has no days and times")
        if line.step is None or line.step == 1:
            return
        if Fraction(line.step).denominator & (Fraction(line.step).denominator - 1) == 0:
            found["multipleOf"] = _json(line.step)
        else:
            # Most programs divide binary numbers, and would refuse 0.07 as a multiple of 0.01.
            self._tell(record, name, f"its steps of {line.step}, because most programs have binary numbers only")


def _or_null(found: JsonObject) -> JsonObject:
    """Return what also allows null."""
    if "enum" in found:
        return {"enum": [*found["enum"], None]}
    if isinstance(found.get("type"), str):
        return found | {"type": [found["type"], "null"]}
    return {"anyOf": [*found["anyOf"], {"type": "null"}]}


def _json(value: ItemValue | Constant) -> object:
    """Return a value as JSON has it."""
    if isinstance(value, Decimal):
        return int(value) if value == value.to_integral_value() else float(value)
    if isinstance(value, date | time):
        return value.isoformat()
    return value if isinstance(value, bool | int | str) else str(value)


def definitions(asked: Asked, names: tuple[str, ...]) -> tuple[JsonObject, list[Unsaid]]:
    """Return the definitions of record types by name, with those inside them, and the rules that they leave out."""
    writer = JsonSchemaOf(asked)
    found: JsonObject = {}
    waiting = list(names)
    while waiting:
        name = waiting.pop(0)
        if name not in found:
            found[name] = writer.definition(name)
            if asked.output.chosen("json", name).get("children") == "inside":
                waiting += children_of(asked.schema, name)
    return found, list(dict.fromkeys(writer.unsaid))


def _write(asked: Asked) -> Written:
    (name,) = asked.names
    found, unsaid = definitions(asked, asked.names)
    whole: JsonObject = {"$schema": DRAFT, "title": f"{asked.schema.title}: {name}" if asked.schema.title else name}
    if unsaid:
        whole["$comment"] = "Not stated here: " + "; ".join(map(str, unsaid))
    whole |= {"type": "array", "items": {"$ref": f"#/$defs/{name}"}, "$defs": found}
    return Written(json.dumps(whole, indent=2, ensure_ascii=False) + "\n", tuple(unsaid))


DOCUMENT = Document(
    "json-schema", ".schema.json", "JSON Schema 2020-12, for JSON and YAML files", _write, form="json", apart=True
)
