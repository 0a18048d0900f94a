"""The contents of a schema as plain data: for `yurt check`, as text and as JSON."""

from __future__ import annotations

from datetime import date

from yurt.core import model
from yurt.core.base.json_object import JsonObject
from yurt.core.base.types import Type
from yurt.core.heads.head import ENDLESS, NotUnique
from yurt.core.heads.registry import cardinality, rule_of
from yurt.core.model import Field, Phrase, Record, Schema
from yurt.core.model.expressions import Expression
from yurt.core.model.plan import Plan
from yurt.core.planning.restrictions import written_conditions
from yurt.core.source.diagnostics import Diagnostic

LONGEST = 60


def described(schema: Schema, warnings: list[Diagnostic]) -> JsonObject:
    """Return everything about a schema without mistakes."""
    found = schema.plan
    return {
        "schema": schema.source.name,
        "title": schema.title,
        "seed": schema.seed,
        "today": schema.today.isoformat() if schema.today else None,
        "locales": dict(schema.locales),
        "value-lists": {name: list(each.columns) for name, each in schema.lists.items()},
        "records": [_record(each, schema, found) for each in schema.records.values()],
        "warnings": [each.as_data(schema.source) for each in warnings],
    }


def _record(record: Record, schema: Schema, found: Plan) -> JsonObject:
    count = record.count
    order = [name for owner, name in found.types if owner == record.name]
    return {
        "name": record.name,
        "count": {
            "low": count.low,
            "high": count.high,
            "per": count.per,
            "every combination of": list(count.combinations),
        },
        "key": record.key.name if record.key is not None else None,
        "unique": [list(group) for group in record.unique],
        "always": [_text(each, schema) for each in written_conditions(record)],
        "order": order,
        "fields": [_field(each, record, schema, found) for each in record.fields],
    }


def _field(field: Field, record: Record, schema: Schema, found: Plan) -> JsonObject:
    kind = found.types[record.name, field.name]
    inside = f"list of {_named(kind.of)}" if kind.of is not None else _named(kind)
    bodies = [field.body] if isinstance(field.body, Phrase) else [phrase for _, phrase in field.body.rows]
    return {
        "name": field.name,
        "title": field.title,
        "type": inside,
        "allowed": " or ".join(dict.fromkeys(_allowed(each, schema) for each in bodies)),
        "usual": "; ".join(dict.fromkeys(filter(None, (usual(each, schema) for each in bodies)))),
        "present if": _text(field.present_if, schema) if field.present_if is not None else None,
        "unique": field.never_repeats,
        "values": _room(field, schema),
        "helper": field.helper,
        "told": [{"value": each.text, "accept": each.accept, "reason": each.reason} for each in field.told],
        "needs": list(found.needs[record.name, field.name]),
    }


def _named(kind: Type) -> str:
    return {"days": "duration", "period": "duration", "real": "number"}.get(kind.name, kind.name)


def _allowed(phrase: Phrase, schema: Schema) -> str:
    """Describe what a phrase allows."""
    if phrase.allowed is not None:
        return allowed(model.Matching(phrase.allowed), schema)
    return (phrase.kind or allowed(phrase.head, schema)) + _narrower(phrase)


def _narrower(phrase: Phrase) -> str:
    """Describe what narrows the values of a head."""
    parts: list[str] = []
    if phrase.days is not None:
        parts.append(str(phrase.days))
    if phrase.narrowed is not None:
        parts += [f"matching /{phrase.narrowed.matching}/"] if phrase.narrowed.matching is not None else []
        parts += [f'without "{phrase.narrowed.without}"'] if phrase.narrowed.without else []
    parts += ["distinct"] if phrase.distinct else []
    return "".join(f", {each}" for each in parts)


def _room(field: Field, schema: Schema) -> int | None:
    """Return the number of different values of a field, if they can be counted."""
    if not isinstance(field.body, Phrase) or (isinstance(field.head, model.KindOf) and not field.unique):
        return None
    try:
        room = cardinality(field, schema.today or date.today(), schema)
    except NotUnique:
        return None
    return room if room < ENDLESS else None


class Writer:
    """Writes parts of a head as the schema does."""

    def __init__(self, schema: Schema) -> None:
        self.schema = schema

    def text(self, expression: Expression) -> str:
        """Return an expression on one line, cut if it is long."""
        return self.cut(self.schema.source.text[expression.span.start : expression.span.end])

    def cut(self, text: str) -> str:
        """Return a text on one line, cut if it is long."""
        whole = " ".join(text.split())
        return whole if len(whole) <= LONGEST else whole[: LONGEST - 1] + "…"

    def phrase(self, phrase: Phrase) -> str:
        """Describe a phrase that is part of a head."""
        return phrase.kind or allowed(phrase.head, self.schema)


def _text(expression: Expression, schema: Schema) -> str:
    return Writer(schema).text(expression)


def allowed(head: model.Head, schema: Schema) -> str:
    """Describe in a few words what a head allows."""
    return rule_of(head).describe(head, Writer(schema))


def usual(phrase: Phrase, schema: Schema) -> str:
    """Describe in a few words how the allowed values are distributed."""
    parts: list[str] = []
    if phrase.usually is not None:
        span = phrase.usually.span
        parts.append(" ".join(schema.source.text[span.start : span.end].removeprefix("usually").split()))
    if isinstance(phrase.head, model.OneOf) and phrase.head.weighted:
        parts.append(" | ".join(f"{weight:.0%}" for weight in phrase.head.weights[:6]))
    if isinstance(phrase.head, model.Boolean):
        parts.append(f"{phrase.head.share:.0%} true")
    if phrase.allowed is not None:
        parts.append(f"as {allowed(phrase.head, schema)}")
    parts += ["in turn"] if phrase.in_turn else []
    parts += [f"weighted by {phrase.weighted_by}"] if phrase.weighted_by else []
    parts += [f"tracks {each.name} by {each.rank:g}" for each in phrase.tracks]
    parts += [f"outliers {phrase.outliers * 100:g}%"] if phrase.outliers else []
    parts += [f"missing {phrase.missing * 100:g}%"] if phrase.missing else []
    return ", ".join(parts)
