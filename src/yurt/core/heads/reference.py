"""The head `ref`: the key of a row of another record type."""

from __future__ import annotations

from yurt.core.base.types import Type
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.head import NARROW, CheckScope, HeadRule, TypeScope, WidthScope
from yurt.core.model import Phrase, Record, Reference


def build(builder: Builder, tree: Tree) -> Reference:
    """Return the head of a tree."""
    return Reference(str(tree.children[1]))


def _data_type(head: Reference, scope: TypeScope, record: Record) -> Type | None:
    target = scope.schema.records.get(head.record)
    return scope.field_type(target, target.key) if target is not None and target.key is not None else None


def _width(head: Reference, scope: WidthScope) -> int:
    key = scope.schema.records[head.record].key
    return scope.field(head.record, key.name) if key is not None else NARROW


def _check(head: Reference, phrase: Phrase, scope: CheckScope) -> None:
    chosen = phrase.usually is not None or phrase.weighted_by is not None or phrase.distinct or scope.field.unique
    if head.record == scope.record.name and chosen:
        message = "a reference to the own record type picks every earlier row with the same probability"
        expected = "only `missing`, `optional`, `helper`, `present if`, `named`"
        scope.findings.error(message, phrase.span, expected)


HEAD = HeadRule(
    Reference,
    {"reference": build},
    _data_type,
    lambda head, writer: f"a key of {head.record}",
    width=_width,
    check=_check,
)
