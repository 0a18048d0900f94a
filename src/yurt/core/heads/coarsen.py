"""The treatment `coarsen`: bands of numbers, months of dates, the first characters of codes."""

from __future__ import annotations

from typing import ClassVar

from yurt.core.base.data_classes import dataclass
from yurt.core.base.nearest import did_you_mean
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.treatment import rule
from yurt.core.model import Treatment

SPANS = ("week", "month", "quarter", "year", "decade")
MOST = 10**12


@dataclass(frozen=True)
class Coarsen(Treatment):
    """A value with less detail: the `band` of a number, the `span` of a date, or the `first` characters."""

    word: ClassVar[str] = "coarsen"
    band: int = 0
    span: str = ""
    first: int = 0


def build(builder: Builder, tree: Tree) -> Coarsen:
    """Return the head of a tree."""
    found = tree.children[-1]
    place = builder.span(tree)
    if not isinstance(found, Tree):
        if str(found) in SPANS:
            return Coarsen(span=str(found))
        expected = "a number, `first 2`, or one of " + ", ".join(SPANS)
        builder.findings.error(f"`{found}` is not a span of time", place, expected, did_you_mean(str(found), SPANS))
        return Coarsen(span="year")
    first = found.data == "prefix"
    value = builder.number(found.children[-1] if first else found)
    if not isinstance(value, int) or not 1 <= value <= MOST:
        builder.findings.error(
            f"`{value}` is not a whole number above 0", place, "`coarsen to 10`, or `coarsen to first 2`"
        )
        return Coarsen(band=1)
    return Coarsen(first=value) if first else Coarsen(band=value)


def _described(head: Coarsen) -> str:
    return f"coarsen to {head.span or (f'first {head.first}' if head.first else head.band)}"


HEAD = rule(Coarsen, build, _described)
