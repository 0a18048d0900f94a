"""The treatment `noise`: numbers become a little larger or smaller."""

from __future__ import annotations

from typing import ClassVar

from yurt.core.base.data_classes import dataclass
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.treatment import rule
from yurt.core.model import Treatment


@dataclass(frozen=True)
class Noise(Treatment):
    """Numbers, changed by up to `share` of themselves; they keep their places after the point."""

    word: ClassVar[str] = "noise"
    keeps_type: ClassVar[bool] = True
    share: float = 0.0


def build(builder: Builder, tree: Tree) -> Noise:
    """Return the head of a tree."""
    span = builder.span(tree)
    share = builder.percentage(tree.children[1], span)
    if not share:
        builder.findings.error("noise of 0% changes nothing", span, "`noise 10%`")
    return Noise(share=share)


HEAD = rule(Noise, build, lambda head: f"noise {head.share:.3g}")
