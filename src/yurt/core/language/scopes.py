"""The meaning of a name inside nested records: the nearest field of that name, then those further out."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from yurt.core.base.data_classes import fields, is_dataclass, replace
from yurt.core.kinds.catalogue import KINDS
from yurt.core.model import Field, KindOf, Phrase, Record, Reference
from yurt.core.model.expressions import Expression, Literal, Member, Name
from yurt.core.patterns.tree import Pattern
from yurt.core.source.diagnostics import Span


def resolved(record: Record) -> Record:
    """Return the record with every name in its expressions as the full name of a field.

    `address.city` becomes the name of that field, and so does `city` inside `address`. Names of no field stay as they
    are, for the checker to report.
    """
    if not any("." in each.name for each in record.fields):
        return record
    names = {each.name: each for each in record.fields}
    done = tuple(mapped(each, partial(_full, parent=each.parent, names=names)) for each in record.fields)
    always = mapped(record.always, partial(_full, parent="", names=names))
    return replace(record, fields=done, always=always)


def with_plain_words(record: Record) -> Record:
    """Return the record with words such as `country = DE` as texts, if no field has that name."""

    def phrase(each: Phrase) -> Phrase:
        if not isinstance(each.head, KindOf) or each.head.name not in KINDS:
            return each
        known = KINDS[each.head.name].parameters
        arguments = tuple(
            (
                name,
                tuple(_as_text(value, record) for value in values) if name in known and known[name].shared else values,
            )
            for name, values in each.head.arguments
        )
        return each if arguments == each.head.arguments else replace(each, head=replace(each.head, arguments=arguments))

    def field(each: Field) -> Field:
        if isinstance(each.body, Phrase):
            return replace(each, body=phrase(each.body))
        rows = tuple((condition, phrase(inside)) for condition, inside in each.body.rows)
        return replace(each, body=replace(each.body, rows=rows))

    if not any(
        isinstance(each.head, KindOf) and each.head.arguments for field in record.fields for each in field.phrases
    ):
        return record
    return replace(record, fields=tuple(field(each) for each in record.fields))


def _as_text(value: Expression, record: Record) -> Expression:
    return Literal(value.name, value.span) if isinstance(value, Name) and value.name not in record.by_name else value


def _full(node: Expression, parent: str, names: dict[str, Field]) -> Expression:
    if isinstance(node, Name):
        found = next((prefix + node.name for prefix in _prefixes(parent) if prefix + node.name in names), node.name)
        return Name(found, node.span)
    if not isinstance(node, Member):
        return node
    path = f"{node.reference}.{node.name}"
    for prefix in _prefixes(parent):
        if prefix + path in names:
            return Name(prefix + path, node.span)
        steps = path.split(".")
        for size in range(len(steps) - 1, 0, -1):
            held = names.get(prefix + ".".join(steps[:size]))
            if held is not None and isinstance(held.head, Reference):
                return Member(held.name, ".".join(steps[size:]), node.span)
    return node


def _prefixes(parent: str) -> list[str]:
    """Return what may come before a name, from the innermost record outwards."""
    steps = parent.split(".") if parent else []
    return [".".join(steps[:size]) + "." if size else "" for size in range(len(steps), -1, -1)]


def mapped(part: Any, change: Callable[[Expression], Expression]) -> Any:
    """Return a part of the model with every expression in it changed, inner ones first."""
    if isinstance(part, tuple):
        return tuple(mapped(each, change) for each in part)
    if not is_dataclass(part) or isinstance(part, type | Span | Pattern):
        return part
    parts = {each.name: getattr(part, each.name) for each in fields(part)}
    done = {name: mapped(value, change) for name, value in parts.items()}
    changed = {name: value for name, value in done.items() if value is not parts[name]}
    whole = replace(part, **changed) if changed else part
    return change(whole) if isinstance(whole, Expression) else whole
