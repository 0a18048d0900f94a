"""The head `date`: dates."""

from __future__ import annotations

from datetime import date

from yurt.core.base.types import DATE
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads import ranged
from yurt.core.heads.head import HeadRule
from yurt.core.model import Date

LIMITS = (date.min, date.max)


def build(builder: Builder, tree: Tree) -> Date:
    """Return the head of a tree."""
    return Date(ranged.range_of(builder, tree.children[1], tree, "date", "date 2026-06-15..2026-09-30", LIMITS))


HEAD = HeadRule(
    Date,
    {"date": build},
    lambda head, scope, record: DATE,
    ranged.described,
    ranged.cardinality,
    check=ranged.check,
)
