"""Conditions of JSON Schema: `if`, `then`, `else`, and `dependentRequired`, as tables and as missing values."""

from __future__ import annotations

from typing import Protocol

from yurt.core.drafting.draft import FieldDraft
from yurt.core.drafting.quoting import quoted
from yurt.core.drafting.sources.json_schema_merge import Clash, Rules, same_json, together
from yurt.core.drafting.sources.json_values import Json
from yurt.core.drafting.sources.source import Asked

SHARE = "missing 40%"


class Reader(Protocol):
    """What reads the schema around a condition."""

    asked: Asked

    def rules(self, schema: Json, place: str) -> tuple[Rules, tuple[str, ...]]:
        """Return the rules of a schema with its references resolved."""

    def line(self, rules: Rules, name: str, place: str) -> str | None:
        """Return the line of a single value."""


def apply(
    reader: Reader, rules: Rules, fields: list[FieldDraft], path: str, names: dict[str, str], place: str,
    around: tuple[str, ...],
) -> None:  # fmt: skip
    """Change the fields of an object as its conditions say; what cannot be said is left out."""
    by_title = {
        title: next((each for each in fields if each.name == _path(path, name)), None) for title, name in names.items()
    }
    required = set(rules.get("required") or ())
    for title, needed in dict(rules.get("dependentRequired") or {}).items():
        for other in needed:
            field, cause = by_title.get(other), by_title.get(title)
            if field is None or other in required:
                if field is None:
                    reader.asked.leave_out("dependentRequired", place, f"`{other}` is no property")
                continue
            if title in required:
                field.clauses = [each for each in field.clauses if not each.startswith("missing")]
            elif cause is not None:
                _missing_if(reader, field, f"{names[title]} is null", "dependentRequired", place)
    if "if" not in rules:
        return
    condition = _condition(rules["if"], by_title, names, required)
    parts = [(rules.get("then"), condition), (rules.get("else"), f"not ({condition})" if condition else None)]
    for schema, holds in parts:
        if schema is None or schema is True or schema == {}:
            continue
        if holds is None or not isinstance(schema, dict):
            reader.asked.leave_out("if", place, "a condition that no table says")
            return
        _then(reader, schema, holds, by_title, rules, names, place)


def _path(path: str, name: str) -> str:
    return f"{path}.{name}" if path else name


def _condition(
    schema: Json, by_title: dict[str, FieldDraft | None], names: dict[str, str], required: set[str]
) -> str | None:
    """Return the condition that properties have certain values; None for anything else."""
    if not isinstance(schema, dict) or not set(schema) <= {"properties", "required", "type"}:
        return None
    if schema.get("type", "object") != "object":
        return None
    parts = []
    surely = required | set(schema.get("required") or ())
    for title, rule in dict(schema.get("properties") or {}).items():
        if not isinstance(rule, dict) or not set(rule) <= {"const", "enum", "type"} or by_title.get(title) is None:
            return None
        values = [rule["const"]] if "const" in rule else rule.get("enum")
        if not values or any(each is None or isinstance(each, dict | list) for each in values):
            return None
        texts = [_literal(each) for each in values]
        name = names[title]
        test = f"{name} == {texts[0]}" if len(texts) == 1 else f"{name} in [{', '.join(texts)}]"
        parts.append(test if title in surely else f"({name} is null or {test})")
    for title in schema.get("required") or ():
        if title not in dict(schema.get("properties") or {}):
            if by_title.get(title) is None:
                return None
            if title not in required:
                parts.append(f"{names[title]} is not null")
    return " and ".join(parts) if parts else None


def _literal(value: Json) -> str:
    if isinstance(value, bool):
        return str(value).lower()
    return quoted(value) if isinstance(value, str) else f"{value}"


def _then(
    reader: Reader, schema: Rules, holds: str, by_title: dict[str, FieldDraft | None], rules: Rules,
    names: dict[str, str], place: str,
) -> None:  # fmt: skip
    for word in schema:
        if word not in ("required", "properties", "type", "description", "title", "$comment"):
            reader.asked.leave_out(word, f"{place}/then", "no table says this")
            return
    required = set(rules.get("required") or ())
    for title in schema.get("required") or ():
        field = by_title.get(title)
        if title in required:
            continue
        if field is None:
            reader.asked.leave_out("required", f"{place}/then", f"`{title}` is no property")
            continue
        _missing_if(reader, field, f"not ({holds})", "if", place)
    for title, more in dict(schema.get("properties") or {}).items():
        field = by_title.get(title)
        if field is None or more is False:
            reader.asked.leave_out("properties", f"{place}/then", f"`{title}` has no line of its own")
            continue
        _table(reader, field, rules["properties"][title], more, holds, title, place)


def _missing_if(reader: Reader, field: FieldDraft, condition: str, keyword: str, place: str) -> None:
    plain = [each for each in field.clauses if each.startswith("missing") and " if " not in each]
    if not plain and any(" if " in each for each in field.clauses):
        reader.asked.leave_out(keyword, place, f"`{field.title}` depends on several conditions")
        return
    field.clauses = [each for each in field.clauses if not each.startswith("missing")] + [f"{SHARE} if {condition}"]


def _table(
    reader: Reader, field: FieldDraft, own: Json, more: Json, holds: str, title: str, place: str
) -> None:  # fmt: skip
    """Give a field another line where a condition holds."""
    base, _ = reader.rules(own, place)
    extra, _ = reader.rules(more, place)
    try:
        both = together(base, extra, same_json)
    except Clash as clash:
        reader.asked.leave_out(clash.keyword, place, str(clash))
        return
    then, otherwise = reader.line(both, field.name, place), reader.line(base, field.name, place)
    if then is None or otherwise is None or field.table is not None or field.nested:
        reader.asked.leave_out("if", place, f"`{title}` depends on several conditions, or is no single value")
        return
    kept = [each for each in field.clauses if each.startswith(("missing", "optional"))]
    if kept:
        then, otherwise = (", ".join([each.removesuffix(", optional"), *kept]) for each in (then, otherwise))
    field.table = ("when", [(holds, then), ("else", otherwise)])
    field.clauses = []
