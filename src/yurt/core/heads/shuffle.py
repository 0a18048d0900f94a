"""The treatment `shuffle`: the values of a column change their rows."""

from __future__ import annotations

from typing import ClassVar

from yurt.core.base.data_classes import dataclass
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads import treatment
from yurt.core.heads.head import CheckScope
from yurt.core.heads.treatment import rule
from yurt.core.model import FromColumn, Phrase, Treatment
from yurt.core.model.expressions import Expression, Name


@dataclass(frozen=True)
class Shuffle(Treatment):
    """The values of the column in another order, among all rows or among those with the same `within`."""

    word: ClassVar[str] = "shuffle"
    keeps_type: ClassVar[bool] = True
    within: Expression | None = None


def build(builder: Builder, tree: Tree) -> Shuffle:
    """Return the head of a tree."""
    name = tree.children[-1]
    return Shuffle(within=Name(str(name), builder.span(tree)) if name is not None else None)


def _check(head: Shuffle, phrase: Phrase, scope: CheckScope) -> None:
    treatment.check(head, phrase, scope)
    if isinstance(head.within, Name):
        known = scope.typer.type_of(head.within)
        field = scope.record.by_name.get(head.within.name)
        if known is not None and field is not None and not isinstance(field.head, FromColumn):
            message = f"`{head.within.name}` is not a column of the file"
            scope.findings.error(message, phrase.span, "`shuffle within` a column that is in the file")
    if isinstance(scope.field.body, Phrase):
        return
    message = "`shuffle` moves the values of all rows; a table treats each row by itself"
    scope.findings.error(message, phrase.span, "`shuffle within …` on a line of its own")


HEAD = rule(Shuffle, build, lambda head: "shuffle", check=_check)
