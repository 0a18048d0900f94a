"""The treatment `scrub`: what stands in the treated columns of a row is replaced inside a text, too."""

from __future__ import annotations

from typing import ClassVar

from yurt.core.base.data_classes import dataclass
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.treatment import rule
from yurt.core.model import Treatment
from yurt.core.model.expressions import Expression


@dataclass(frozen=True)
class Scrub(Treatment):
    """A text in which the originals of other columns are replaced by what has become of them.

    `pairs` are the originals and the results of the other treated columns.
    """

    word: ClassVar[str] = "scrub"
    pairs: tuple[tuple[Expression, Expression], ...] = ()


def build(builder: Builder, tree: Tree) -> Scrub:
    """Return the head of a tree."""
    return Scrub()


HEAD = rule(Scrub, build, lambda head: "scrub")
