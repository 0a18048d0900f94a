"""The derived heads: `= expression`, and a text with expressions in braces."""

from __future__ import annotations

from yurt.core.base.types import of_field
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.head import HeadRule, not_unique
from yurt.core.model import Derived


def build(builder: Builder, tree: Tree) -> Derived:
    """Return the head of `= expression`."""
    return Derived(builder.build(tree.children[-1]))


def template(builder: Builder, tree: Tree) -> Derived:
    """Return the head of `text "… {expression} …"`."""
    return Derived(builder.template(tree.children[1]))


HEAD = HeadRule(
    Derived,
    {"derived": build, "derived_template": template},
    lambda head, scope, record: of_field(found) if (found := scope.typer(record).type_of(head.expression)) else None,
    lambda head, writer: f"= {writer.text(head.expression)}",
    not_unique("it follows from other fields; make one of those unique instead"),
    lambda head, scope: scope.expression(head.expression),
)
