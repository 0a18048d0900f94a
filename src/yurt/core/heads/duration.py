"""The head `duration`: lengths of time, in whole days or with a step."""

from __future__ import annotations

from yurt.core.base.types import DAYS, DURATION
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads import ranged
from yurt.core.heads.head import HeadRule
from yurt.core.model import DurationRange
from yurt.core.model.expressions import Duration, Literal, walk

LIMITS = (Duration(in_days=True), Duration(microseconds=10_000 * 86_400_000_000, in_days=True))


def build(builder: Builder, tree: Tree) -> DurationRange:
    """Return the head of a tree."""
    _, range_tree, _, step_tree = tree.children
    found = ranged.range_of(builder, range_tree, tree, "duration", "duration 30min..8h", LIMITS)
    step = ranged.step_of(builder, step_tree, 0)
    written = [each for end in (found.low, found.high) for each in walk(end) if isinstance(each, Literal)]
    in_days = not step and all(getattr(each.value, "in_days", True) for each in written)
    return DurationRange(found, 1 if in_days else step or 60_000_000, in_days)


HEAD = HeadRule(
    DurationRange,
    {"duration_head": build},
    lambda head, scope, record: DAYS if head.in_days else DURATION,
    ranged.described,
    ranged.cardinality,
    check=ranged.check,
)
