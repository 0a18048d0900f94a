"""The keywords of JSON Schema by the types that they are about, and small questions about schemas."""

from __future__ import annotations

import json
import re
from typing import Any

from yurt.core.drafting.sources.json_schema_merge import Rules, same_json
from yurt.core.drafting.sources.json_values import Json

# What each type may have beside its own words.
ANY_TYPE = ("type", "enum", "const", "$ref", "allOf", "anyOf", "oneOf", "nullable")
WORDS = {
    "number": ("minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf", "format"),
    "string": ("minLength", "maxLength", "pattern", "format"),
    "boolean": (),
    "array": ("items", "minItems", "maxItems", "uniqueItems"),
    "object": ("properties", "required", "additionalProperties", "unevaluatedProperties", "patternProperties",
               "propertyNames", "minProperties", "maxProperties", "dependentRequired", "if", "then", "else"),
}  # fmt: skip
IMPLIED = {word: kind for kind, words in WORDS.items() for word in words if word != "format"}

# The keywords that are rules; all others only describe.
ASSERTIONS = ("not", "dependentSchemas", "dependencies", "contains", "prefixItems", "additionalItems",
              "unevaluatedItems", "minContains", "maxContains", "anyOf", "oneOf", "dependentRequired")  # fmt: skip


def says_nothing(word: str, value: Json, rules: Rules) -> bool:
    if word in ("minContains", "maxContains"):
        return "contains" not in rules
    if word == "additionalItems" and not isinstance(rules.get("items"), list):
        return True
    return word not in ("not", "contains") and value in (True, {})


def type_of(value: Json) -> str:
    if isinstance(value, bool):
        return "boolean"
    if isinstance(value, str):
        return "string"
    return "object" if isinstance(value, dict) else "array" if isinstance(value, list) else "number"


def among(value: Json, values: list[Json]) -> bool:
    return any(same_json(value, each) for each in values)


def only_null(rules: Rules) -> bool:
    return ("const" in rules and rules["const"] is None) or rules.get("enum") == [None]


def apart(arms: list[Rules]) -> bool:
    """Return whether arms are lists of values that have none in common."""
    values: list[Json] = []
    for each in arms:
        if "enum" not in each and "const" not in each:
            return False
        values += each.get("enum") or [each.get("const")]
    return all(not same_json(one, two) for at, one in enumerate(values) for two in values[:at])


def or_null(rules: Rules) -> Rules:
    kind = rules.get("type")
    kinds = [kind] if isinstance(kind, str) else list(kind or ())
    if "enum" in rules:
        return {**rules, "enum": [*rules["enum"], None]}
    return {**rules, "type": [*kinds, "null"]} if kinds else {**rules, "nullable": True}


def anchored(whole: Json, anchor: str) -> Json:
    waiting: list[Any] = [whole]
    while waiting:
        each = waiting.pop()
        if isinstance(each, dict):
            if each.get("$anchor") == anchor or each.get("$dynamicAnchor") == anchor or each.get("$id") == f"#{anchor}":
                return each
            waiting += each.values()
        elif isinstance(each, list):
            waiting += each
    return None


SURELY = re.compile(r"[\"']?\$schema[\"']?\s*:")
FIRST_WORD = re.compile(r"\{[^\[]*?\"(properties|\$defs|definitions|\$ref|anyOf|allOf|oneOf)\"\s*:", re.DOTALL)


def looks_like_schema(suffix: str, head: bytes) -> bool:
    """Return whether a file is a JSON Schema, by its suffix and first bytes, rather than data."""
    text = head.decode("utf-8", "replace").lstrip("\ufeff \n\r\t")
    if suffix not in (".json", ".yaml", ".yml", ".schema") or text[:1] == "[":
        return False
    try:
        found = json.loads(text)
    except (ValueError, RecursionError):
        # Too long to be seen as a whole, or wrong: the first words tell.
        return bool(SURELY.search(text) or FIRST_WORD.match(text))
    if not isinstance(found, dict):
        return False
    properties = found.get("properties")
    described = isinstance(properties, dict) and all(isinstance(each, dict | bool) for each in properties.values())
    rules = found.keys() & {"enum", "const", *ASSERTIONS, *(word for words in WORDS.values() for word in words)}
    typed = found.get("type") in ("object", "array", "string", "number", "integer", "boolean") and bool(rules)
    return described or typed or bool(found.keys() & {"$schema", "$defs", "$ref", "allOf", "anyOf", "oneOf"})
