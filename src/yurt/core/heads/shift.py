"""The treatment `shift`: dates are moved, all those of one person by the same time."""

from __future__ import annotations

from typing import ClassVar

from yurt.core.base.data_classes import dataclass
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads import treatment
from yurt.core.heads.head import CheckScope
from yurt.core.heads.treatment import rule
from yurt.core.model import Phrase, Treatment
from yurt.core.model.expressions import Duration, Expression, Name

NO_TIME = Duration(0)


@dataclass(frozen=True)
class Shift(Treatment):
    """Dates and date-times, moved by up to `most` to either side: by as much in all rows with the same `per`."""

    word: ClassVar[str] = "shift"
    keeps_type: ClassVar[bool] = True
    most: Duration = NO_TIME
    per: Expression | None = None


def build(builder: Builder, tree: Tree) -> Shift:
    """Return the head of a tree."""
    _, most, _, per = tree.children
    span = builder.span(tree)
    return Shift(most=builder.duration(most), per=Name(str(per), span) if per is not None else None)


def _check(head: Shift, phrase: Phrase, scope: CheckScope) -> None:
    treatment.check(head, phrase, scope)
    if head.most.months or head.most.microseconds < 86_400_000_000:
        scope.findings.error("a shift is at least a day, without months", phrase.span, "`shift 30d per guest`")
    if head.per is not None:
        scope.typer.type_of(head.per)


HEAD = rule(Shift, build, lambda head: "shift" + (" per a field" if head.per is not None else ""), check=_check)
