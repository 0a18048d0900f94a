"""The treatment `substitute`: another value of a kind, a list, or a range for each value."""

from __future__ import annotations

from datetime import date
from typing import ClassVar

from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import Type
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads import registry, treatment
from yurt.core.heads.head import ENDLESS, CheckScope, Describer, HeadRule, NotUnique, TypeScope
from yurt.core.kinds.catalogue import BY_NUMBER, KINDS
from yurt.core.model import (
    Derived,
    KindOf,
    ListOf,
    Nested,
    Phrase,
    Record,
    Reference,
    Schema,
    Sequence,
    TimeSeries,
    Treatment,
    Uuid,
)

NOTHING = Phrase(Nested())
# What depends on other rows, or on nothing that a value could choose.
NOT_BY_VALUE = (Derived, ListOf, Nested, Reference, Sequence, TimeSeries, Treatment)


@dataclass(frozen=True)
class Substitute(Treatment):
    """A value of another phrase, chosen by the value itself.

    `evenly` gives each value of the phrase's list the same chance, and different values of it different ones.
    """

    word: ClassVar[str] = "substitute"
    phrase: Phrase = NOTHING
    evenly: bool = False


def build(builder: Builder, tree: Tree) -> Substitute:
    """Return the head of a tree."""
    return Substitute(phrase=builder.inner(Tree("phrase", [tree.children[-1]], tree.start, tree.end), "`substitute`"))


def _data_type(head: Substitute, scope: TypeScope, record: Record) -> Type | None:
    return registry.data_type(head.phrase.head, scope, record)


def _check(head: Substitute, phrase: Phrase, scope: CheckScope) -> None:
    treatment.check(head, phrase, scope)
    if isinstance(head.phrase.head, NOT_BY_VALUE):
        message = "`substitute` takes a kind, a list, a range, or a pattern"
        scope.findings.error(message, phrase.span, "such as `substitute given-name`")
        return
    scope.inside(head.phrase)


def _described(head: Substitute, writer: Describer) -> str:
    return f"substitute {writer.phrase(head.phrase)}" + ", evenly" * head.evenly


def _cardinality(head: Substitute, phrase: Phrase, today: date, schema: Schema) -> int:
    inner = head.phrase.head
    by_number = isinstance(inner, KindOf) and inner.name in KINDS and KINDS[inner.name].unique == BY_NUMBER
    if by_number or isinstance(inner, Uuid):
        return ENDLESS
    reason = "two values may get the same one; `encrypt` keeps different values different"
    raise NotUnique(f"{reason}, and so do `email`, `username`, and `uuid`")


HEAD = HeadRule(
    Substitute,
    {"substitute": build},
    _data_type,
    _described,
    _cardinality,
    check=_check,
)
