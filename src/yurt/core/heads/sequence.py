"""The head `sequence`: running numbers."""

from __future__ import annotations

from yurt.core.base.types import INTEGER
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.head import HeadRule
from yurt.core.model import Sequence


def build(builder: Builder, tree: Tree) -> Sequence:
    """Return the head of a tree."""
    _, _, start, _, step = tree.children
    values = [builder.number(each) if each is not None else 1 for each in (start, step)]
    if not all(isinstance(each, int) for each in values) or not values[1]:
        expected = "`sequence from 10001 step 5`"
        builder.findings.error("a sequence counts in whole numbers", builder.span(tree), expected)
        return Sequence()
    return Sequence(int(values[0]), int(values[1]))


HEAD = HeadRule(
    Sequence,
    {"sequence": build},
    lambda head, scope, record: INTEGER,
    lambda head, writer: f"{head.start}, {head.start + head.step}, …",
)
