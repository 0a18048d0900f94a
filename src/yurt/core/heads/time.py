"""The head `time`: times of day with a step."""

from __future__ import annotations

from datetime import time

from yurt.core.base.types import TIME
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads import ranged
from yurt.core.heads.head import HeadRule
from yurt.core.model import Time

LIMITS = (time(0), time(23, 59, 59))


def build(builder: Builder, tree: Tree) -> Time:
    """Return the head of a tree."""
    _, range_tree, _, step_tree = tree.children
    found = ranged.range_of(builder, range_tree, tree, "time", "time 08:00..22:00", LIMITS)
    return Time(found, ranged.step_of(builder, step_tree, 60_000_000))


HEAD = HeadRule(
    Time,
    {"time": build},
    lambda head, scope, record: TIME,
    ranged.described,
    ranged.cardinality,
    check=ranged.check,
)
