"""The treatment `keep`: the first or last characters stay, a mark covers the rest."""

from __future__ import annotations

from typing import ClassVar

from yurt.core.base.data_classes import dataclass
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.treatment import rule
from yurt.core.model import Treatment

MARK = "*"
MOST = 1000


@dataclass(frozen=True)
class Keep(Treatment):
    """The `first` and the `last` characters of a value, with a mark in place of each letter and digit between them."""

    word: ClassVar[str] = "keep"
    first: int = 0
    last: int = 0
    mark: str = MARK


def build(builder: Builder, tree: Tree) -> Keep:
    """Return the head of a tree."""
    _, _, first, _, last, _, mark = tree.children
    sizes = [builder.number(each) if each is not None else 0 for each in (first, last)]
    if not all(isinstance(each, int) and 0 <= each <= MOST for each in sizes) or (first is None and last is None):
        builder.findings.error("`keep` takes a number of characters", builder.span(tree), "`keep first 2 last 4`")
        return Keep()
    text = builder.quoted(mark) if mark is not None else MARK
    if len(text) != 1 or not text.isprintable():
        builder.findings.error("a mark is one character", builder.span(tree), '`keep last 4 with "#"`')
        text = MARK
    return Keep(first=int(sizes[0]), last=int(sizes[1]), mark=text)


def _described(head: Keep) -> str:
    parts = [f"first {head.first}"] * bool(head.first) + [f"last {head.last}"] * bool(head.last)
    return " ".join(["keep", *parts]) + (f' with "{head.mark}"' if head.mark != MARK else "")


HEAD = rule(Keep, build, _described)
