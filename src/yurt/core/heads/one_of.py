"""The head `one of`: a value of a list, with weights."""

from __future__ import annotations

from datetime import date

from yurt.core.grammar import habits
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Token, Tree
from yurt.core.grammar.values import canonical
from yurt.core.heads.head import Describer, HeadRule, NotUnique, WidthScope
from yurt.core.model import ItemValue, OneOf, Phrase, Schema
from yurt.core.model.expressions import common_type
from yurt.core.model.restriction import left_of_list

# The maximum number of values in a description.
LISTED = 6


def build(builder: Builder, tree: Tree) -> OneOf:
    """Return the head of a tree."""
    items = [each for each in tree.children if isinstance(each, Tree)]
    tokens = [each.children[0] for each in items]
    for token in tokens:
        if token[0] in habits.LOOKALIKES:
            at = builder.text.span(token.start, (token.start) + 1)
            hint = f"write `{habits.LOOKALIKES[token[0]]}` instead"
            builder.findings.error(f"`{token[0]}` is a typographic character", at, hint=hint)
    values = _values(builder, tokens)
    seen: dict[ItemValue, Token] = {}
    for value, token in zip(values, tokens, strict=True):
        if value in seen:
            builder.findings.error(f"`{token}` is listed twice", builder.text.span(token.start, token.end))
        seen[value] = token
    weights, weighted = builder.weights([each.children[1] for each in items], builder.span(tree))
    return OneOf(tuple(values), tuple(weights), weighted)


def _values(builder: Builder, tokens: list[Token]) -> list[ItemValue]:
    """Return numbers, Booleans, or dates if all items are in their canonical form; else texts."""
    if not any(token.type == "STRING" for token in tokens):
        return canonical([str(token) for token in tokens])
    return [builder.quoted(each) if each.type == "STRING" else str(each) for each in tokens]


def _described(head: OneOf, writer: Describer) -> str:
    texts = [str(each).lower() if isinstance(each, bool) else str(each) for each in head.values[:LISTED]]
    more = f" | … ({len(head.values):,})" if len(head.values) > LISTED else ""
    return " | ".join(texts) + more


def _cardinality(head: OneOf, phrase: Phrase, today: date, schema: Schema) -> int:
    if head.weighted:
        raise NotUnique("weights favour some values, and `unique` takes each at most once")
    left = left_of_list(head, phrase.narrowed)
    return len(left.values) if left is not None else 0


def _width(head: OneOf, scope: WidthScope) -> int:
    return max((len(each.encode()) for each in head.values if isinstance(each, str)), default=0)


HEAD = HeadRule(
    OneOf,
    {"one_of": build},
    lambda head, scope, record: common_type(head.values),
    _described,
    _cardinality,
    _width,
)
