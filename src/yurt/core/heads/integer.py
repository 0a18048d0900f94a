"""The head `integer`: whole numbers with a step."""

from __future__ import annotations

from yurt.core.base.types import INTEGER
from yurt.core.grammar.builder import LARGEST, Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads import ranged
from yurt.core.heads.head import Describer, HeadRule
from yurt.core.model import Integer


def build(builder: Builder, tree: Tree) -> Integer:
    """Return the head of a tree."""
    _, range_tree, _, step_tree = tree.children
    step = builder.number(step_tree) if step_tree is not None else 1
    if not isinstance(step, int) or step < 1:
        builder.findings.error("the step of an integer is a whole number from 1", builder.span(step_tree))
        step = 1
    # Without a minimum, steps are counted from 0.
    limits = (-(LARGEST // step * step), LARGEST)
    return Integer(ranged.range_of(builder, range_tree, tree, "integer", "integer 1..12", limits), step)


def _described(head: Integer, writer: Describer) -> str:
    text = ranged.range_text(head, writer)
    return text + (f" step {head.step}" if head.step > 1 else "")


HEAD = HeadRule(
    Integer,
    {"integer": build},
    lambda head, scope, record: INTEGER,
    _described,
    ranged.cardinality,
    check=ranged.check,
)
