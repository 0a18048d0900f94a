"""The head `uuid`: UUIDs of version 4 or 7 (RFC 9562)."""

from __future__ import annotations

from yurt.core.base.types import TEXT
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.head import HeadRule
from yurt.core.model import Uuid


def build(builder: Builder, tree: Tree) -> Uuid:
    """Return the head of a tree."""
    return Uuid(7 if tree.children[1] == "v7" else 4)


HEAD = HeadRule(
    Uuid,
    {"uuid": build},
    lambda head, scope, record: TEXT,
    lambda head, writer: f"version {head.version}",
)
