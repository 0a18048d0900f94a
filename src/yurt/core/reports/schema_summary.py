"""What a schema says, in the form of plain data: for `yurt check`, as text and as JSON."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from typing import Any

from yurt.core import model
from yurt.core.base.types import Type
from yurt.core.language.build_expressions import UNITS
from yurt.core.language.check import Plan, plan
from yurt.core.model import Field, Phrase, Record, Schema
from yurt.core.model.expressions import Expression
from yurt.core.model.words import DAYS, MONTHS
from yurt.core.planning.capacity import ENDLESS, NotUnique, capacity
from yurt.core.planning.restrictions import written_conditions
from yurt.core.source.diagnostics import Diagnostic, Source

LONGEST = 60
SECOND = 1_000_000


def described(schema: Schema, warnings: list[Diagnostic]) -> dict[str, Any]:
    """Return everything about a schema without mistakes."""
    found = plan(schema)
    return {
        "schema": schema.source.name,
        "title": schema.title,
        "seed": schema.seed,
        "today": schema.today.isoformat() if schema.today else None,
        "locales": dict(schema.locales),
        "lists": {name: list(each.columns) for name, each in schema.lists.items()},
        "records": [_record(each, schema, found) for each in schema.records.values()],
        "warnings": [as_data(each, schema.source) for each in warnings],
    }


def as_data(diagnostic: Diagnostic, source: Source) -> dict[str, Any]:
    """Return a mistake or warning with its place."""
    file, line, column = source.place(diagnostic.span.start).rsplit(":", 2)
    return {
        "file": file, "line": int(line), "column": int(column), "message": diagnostic.message,
        "expected": diagnostic.expected, "hint": diagnostic.hint,
    }  # fmt: skip


def _record(record: Record, schema: Schema, found: Plan) -> dict[str, Any]:
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


def _field(field: Field, record: Record, schema: Schema, found: Plan) -> dict[str, Any]:
    kind = found.types[record.name, field.name]
    inside = f"list of {_named(kind.of)}" if kind.of is not None else _named(kind)
    bodies = [field.body] if isinstance(field.body, Phrase) else [phrase for _, phrase in field.body.rows]
    return {
        "name": field.name,
        "title": field.title,
        "type": inside,
        "allowed": " or ".join(
            dict.fromkeys((each.kind or allowed(each.head, schema)) + _narrower(each) for each in bodies)
        ),
        "usual": "; ".join(dict.fromkeys(filter(None, (usual(each, schema) for each in bodies)))),
        "only if": _text(field.only_if, schema) if field.only_if is not None else None,
        "unique": field.unique or isinstance(field.head, model.Sequence | model.Uuid),
        "values": _room(field, schema),
        "hidden": field.hidden,
        "told": [{"value": each.text, "accept": each.accept, "reason": each.reason} for each in field.told],
        "needs": list(found.needs[record.name, field.name]),
    }


def _named(kind: Type) -> str:
    return {"days": "duration", "period": "duration", "real": "number"}.get(kind.name, kind.name)


def _narrower(phrase: Phrase) -> str:
    """Say what narrows the values of a head."""
    parts: list[str] = []
    if phrase.days is not None:
        for chosen, names, word in ((phrase.days.weekdays, DAYS, "on"), (phrase.days.months, MONTHS, "in")):
            if not all(chosen):
                parts.append(f"{word} {' | '.join(name for name, each in zip(names, chosen, strict=True) if each)}")
    if phrase.narrowed is not None:
        parts += [f"matching /{phrase.narrowed.matching}/"] if phrase.narrowed.matching is not None else []
        parts += [f'without "{phrase.narrowed.without}"'] if phrase.narrowed.without else []
    parts += ["distinct"] if phrase.distinct else []
    return "".join(f", {each}" for each in parts)


def _room(field: Field, schema: Schema) -> int | None:
    """Return how many different values a field has, when they can be counted."""
    if not isinstance(field.body, Phrase) or (isinstance(field.head, model.KindOf) and not field.unique):
        return None
    try:
        room = capacity(field, schema.today or date.today(), schema)
    except NotUnique:
        return None
    return room if room < ENDLESS else None


def _text(expression: Expression, schema: Schema) -> str:
    span = expression.span
    return _cut(schema.source.text[span.start : span.end])


def _cut(text: str) -> str:
    shown = " ".join(text.split())
    return shown if len(shown) <= LONGEST else shown[: LONGEST - 1] + "…"


def _range(range_: model.Range, schema: Schema) -> str:
    return f"{_text(range_.low, schema)}..{_text(range_.high, schema)}"


def allowed(head: model.Head, schema: Schema) -> str:
    """Say what a head allows, in a few words."""
    match head:
        case model.Integer(range=found, step=step):
            return _range(found, schema) + (f" step {step}" if step > 1 else "")
        case model.DecimalNumber(range=found, places=places, step=step):
            by = f" step {Decimal(step).scaleb(-places)}" if step > 1 else ""
            return f"{_range(found, schema)}{by}, {places} places"
        case model.Date(range=found):
            return _range(found, schema)
        case model.Time(range=found, step=step) | model.DurationRange(range=found, step=step) if step > 1:
            return f"{_range(found, schema)} step {_length(step)}"
        case model.Time(range=found) | model.DurationRange(range=found):
            return _range(found, schema)
        case model.DateTime(range=found, step=step, zone=zone):
            by = f" step {_length(step)}" if step != SECOND else ""
            return _range(found, schema) + by + (f" zone {zone}" if zone is not None else "")
        case model.Boolean():
            return "true | false"
        case model.OneOf(values=values):
            shown = " | ".join(str(each).lower() if isinstance(each, bool) else str(each) for each in values[:6])
            return shown + (f" | … ({len(values):,})" if len(values) > 6 else "")
        case model.Matching(pattern=pattern):
            written = pattern.source.startswith(("text ", "like "))
            return _cut(pattern.source if written else f"/{pattern.source}/")
        case model.Bytes():
            return f"{head.low}..{head.high} bytes"
        case model.Sequence():
            return f"{head.start}, {head.start + head.step}, …"
        case model.Uuid(version=version):
            return f"version {version}"
        case model.TimeSeries(start=start):
            return f"a series from {_text(start, schema)}"
        case model.FromList(name=name, column=column):
            return f"{name}.{column}" if column else name
        case model.ListOf():
            return f"{head.low}..{head.high} of {head.phrase.kind or allowed(head.phrase.head, schema)}"
        case model.Nested():
            return "a record"
        case model.Reference(record=record):
            return f"a key of {record}"
        case model.KindOf():
            told = ", ".join(f"{name} = {' | '.join(_text(each, schema) for each in v)}" for name, v in head.arguments)
            clauses = [f" of {head.of}"] if head.of else []
            clauses += [f", locale {head.locale}"] if head.locale else []
            clauses += [", live"] if head.live else []
            clauses += [", chosen by its name"] if head.guessed else []
            return head.name + (f"({told})" if told else "") + "".join(clauses)
        case model.Derived(expression=expression):
            return f"= {_text(expression, schema)}"
    raise AssertionError(head)


def _length(microseconds: int) -> str:
    """Return a length of time in the largest unit that leaves nothing over."""
    for unit, size in UNITS.items():
        if microseconds % size == 0:
            return f"{microseconds // size}{unit}"
    return f"{microseconds / 1000:g}ms"


def usual(phrase: Phrase, schema: Schema) -> str:
    """Say how the allowed is distributed, in a few words."""
    parts: list[str] = []
    if phrase.usually is not None:
        span = phrase.usually.span
        parts.append(" ".join(schema.source.text[span.start : span.end].removeprefix("usually").split()))
    if isinstance(phrase.head, model.OneOf) and phrase.head.weighted:
        parts.append(" | ".join(f"{weight:.0%}" for weight in phrase.head.weights[:6]))
    if isinstance(phrase.head, model.Boolean):
        parts.append(f"{phrase.head.share:.0%} true")
    parts += ["in turn"] if phrase.in_turn else []
    parts += [f"weighted by {phrase.weighted_by}"] if phrase.weighted_by else []
    parts += [f"tracks {each.name} by {each.rank:g}" for each in phrase.tracks]
    parts += [f"outliers {phrase.outliers * 100:g}%"] if phrase.outliers else []
    parts += [f"missing {phrase.missing * 100:g}%"] if phrase.missing else []
    return ", ".join(parts)
