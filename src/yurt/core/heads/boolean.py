"""The head `boolean`: true in a share of the rows."""

from __future__ import annotations

from yurt.core.base.types import BOOLEAN
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.head import HeadRule
from yurt.core.model import Boolean


def build(builder: Builder, tree: Tree) -> Boolean:
    """Return the head of a tree."""
    share = tree.children[1]
    return Boolean(builder.percentage(share, builder.span(tree)) if share is not None else 0.5)


HEAD = HeadRule(
    Boolean,
    {"boolean": build},
    lambda head, scope, record: BOOLEAN,
    lambda head, writer: "true | false",
    lambda head, phrase, today, schema: 2,
)
