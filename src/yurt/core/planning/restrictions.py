"""`matching /…/` and `without "…"`: the remaining values of a list or a pattern."""

from __future__ import annotations

from datetime import date, datetime, time
from decimal import Decimal

from yurt.core import model
from yurt.core.base.data_classes import replace
from yurt.core.base.types import TEXT
from yurt.core.kinds.catalogue import KINDS
from yurt.core.model.expressions import Binary, Expression, Literal, Matching, Membership, Name, NullTest, Unary, Value
from yurt.core.model.restriction import left_of_pattern
from yurt.core.patterns.tree import Pattern
from yurt.core.source.diagnostics import Span


def needs_condition(phrase: model.Phrase) -> bool:
    """Return whether the remaining values cannot be listed, so that rows are drawn until one fits."""
    narrowed = phrase.narrowed
    if narrowed is None:
        return False
    if isinstance(phrase.head, model.KindOf):
        return phrase.head.name in KINDS and KINDS[phrase.head.name].listed is None
    if not isinstance(phrase.head, model.Matching) or narrowed.matching is None:
        return False
    return isinstance(left_of_pattern(phrase.head.pattern, narrowed), Pattern)


def with_conditions(record: model.Record) -> model.Record:
    """Return a record whose `always` also contains restrictions that cannot be met directly."""
    more = tuple(
        condition(field.name, field.body.narrowed)
        for field in record.fields
        if isinstance(field.body, model.Phrase)
        and field.body.narrowed is not None
        and needs_condition(field.body)
        and record.list_around(field.name) is None
    )
    more += tuple(
        _not_among(field, rejected)
        for field in record.fields
        if (rejected := _rejected(field)) and record.list_around(field.name) is None
    )
    return replace(record, always=(*record.always, *more)) if more else record


def _rejected(field: model.Field) -> list[Literal]:
    """Return the values that a field must not have although they have its type."""
    found = [(literal_of(each.text, field), each.span) for each in field.told if not each.accept]
    return [Literal(value, span) for value, span in found if value is not None]


def literal_of(text: str, field: model.Field) -> Value:
    """Return a value in the type of a field's head, as written; None if it is not of that type."""
    head = field.phrases[0].head
    try:
        match head:
            case model.Integer() | model.Sequence():
                return int(text)
            case model.DecimalNumber():
                return Decimal(text)
            case model.Date():
                return date.fromisoformat(text)
            case model.DateTime():
                return datetime.fromisoformat(text)
            case model.Time():
                return time.fromisoformat(text)
            case model.Boolean():
                return {"true": True, "false": False}.get(text)
            case model.OneOf(values=values):
                return next((each for each in values if str(each) == text), None)
            case model.Matching() | model.Uuid() | model.FromList():
                return text
            case model.KindOf(name=name):
                return text if name in KINDS and KINDS[name].type == TEXT else None
    except (ValueError, ArithmeticError):
        return None
    return None


def _not_among(field: model.Field, rejected: list[Literal]) -> Expression:
    """Return the condition that a field has none of the rejected values."""
    at = rejected[0].span
    name = Name(field.name, at)
    return Binary("or", NullTest(name, at), Unary("not", Membership(name, tuple(rejected), at), at), at)


def written_conditions(record: model.Record) -> tuple[Expression, ...]:
    """Return the conditions of `always` as written, without those that stand for restrictions of a field."""
    spans = {each.narrowed.span for field in record.fields for each in field.phrases if each.narrowed is not None}
    spans |= {each.span for field in record.fields for each in field.told}
    return tuple(each for each in record.always if each.span not in spans)


def of_usual_kinds(record: model.Record) -> set[Span]:
    """Return the places of conditions that only keep a usual kind within what is allowed.

    They never make a schema impossible: where too few draws meet them, the texts are shortened or replaced.
    """
    phrases = (phrase for field in record.fields for phrase in field.phrases)
    return {each.narrowed.span for each in phrases if each.allowed is not None and each.narrowed is not None}


def condition(field: str, narrowed: model.Restriction) -> Expression:
    """Return the condition that a field has only remaining values, or none."""
    at = narrowed.span
    name = Name(field, at)
    found: Expression = NullTest(name, at)
    parts: list[Expression] = []
    if narrowed.matching is not None:
        parts.append(Matching(name, narrowed.matching, at))
    if narrowed.without:
        parts.append(Matching(name, "[^" + "".join(f"\\x{{{ord(each):X}}}" for each in narrowed.without) + "]*", at))
    for each in parts[1:]:
        parts[0] = Binary("and", parts[0], each, at)
    return Binary("or", found, parts[0], at)
