"""The head `column`: a column of an existing file."""

from __future__ import annotations

from yurt.core.base.types import Type
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.head import CheckScope, HeadRule, TypeScope, not_unique
from yurt.core.model import FromColumn, Phrase, Record


def build(builder: Builder, tree: Tree) -> FromColumn:
    """Return the head of a tree."""
    return FromColumn(builder.quoted(tree.children[1]))


def _data_type(head: FromColumn, scope: TypeScope, record: Record) -> Type | None:
    return head.type


def _check(head: FromColumn, phrase: Phrase, scope: CheckScope) -> None:
    if head.type is None:
        message = f"`column` reads an existing file, and there is none with a column `{head.title}`"
        scope.findings.error(message, phrase.span, "`yurt extend` or `yurt disguise` with that file")


HEAD = HeadRule(
    FromColumn,
    {"column": build},
    _data_type,
    lambda head, writer: f'column "{head.title}"',
    not_unique("the values of a column are those of the file"),
    check=_check,
)
