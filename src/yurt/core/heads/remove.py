"""The treatment `remove`: the column is left out."""

from __future__ import annotations

from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.treatment import rule
from yurt.core.model import Removed


def build(builder: Builder, tree: Tree) -> Removed:
    """Return the head of a tree."""
    return Removed()


HEAD = rule(Removed, build, lambda head: "remove")
