"""The head `list … of …`: several values of one phrase."""

from __future__ import annotations

from yurt.core.base.data_classes import replace
from yurt.core.base.types import Type, list_of_type
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads import registry
from yurt.core.heads.head import CheckScope, HeadRule, NotUnique, TypeScope, WidthScope, not_unique
from yurt.core.model import Field, ListOf, OneOf, Phrase, Record

MAX_ITEMS = 1000
# The values that an unlimited list has at most beyond its least number.
MORE = 5


def build(builder: Builder, tree: Tree) -> ListOf:
    """Return the head of a tree."""
    _, low_tree, up_to, _, inner = tree.children
    high_tree = up_to.children[0] if up_to is not None else None
    sizes = [builder.number(each) for each in (low_tree, high_tree) if each is not None]
    low, high = sizes[0], sizes[-1]
    if up_to is not None and high_tree is None and isinstance(low, int) and 0 <= low <= MAX_ITEMS - MORE:
        return ListOf(builder.inner(inner, "a list"), low, low + MORE, unlimited=True)
    if not (isinstance(low, int) and isinstance(high, int) and 0 <= low <= high <= MAX_ITEMS):
        expected = f"0 to {MAX_ITEMS:,} values, the lower one first"
        builder.findings.error("a list of that length is not possible", builder.span(tree), expected)
        low = high = 1
    return ListOf(builder.inner(inner, "a list"), low, high)


def _data_type(head: ListOf, scope: TypeScope, record: Record) -> Type | None:
    inside = registry.data_type(head.phrase.head, scope, record)
    return list_of_type(inside) if inside is not None else None


def _check(head: ListOf, phrase: Phrase, scope: CheckScope) -> None:
    if head.of_records:
        return
    scope.inside(head.phrase)
    if not head.distinct:
        return
    bare = replace(head.phrase, usually=None, outliers=0.0)
    bare = replace(bare, head=replace(bare.head, weighted=False)) if isinstance(bare.head, OneOf) else bare
    try:
        size = registry.cardinality(Field(scope.field.name, bare), scope.today, scope.schema)
    except NotUnique:
        return
    if size < head.high:
        message = f"there are only {size} different values for a list of up to {head.high}"
        scope.findings.error(message, head.phrase.span)


def _width(head: ListOf, scope: WidthScope) -> int:
    return head.high * scope.phrase(head.phrase)


HEAD = HeadRule(
    ListOf,
    {"list_of": build},
    _data_type,
    lambda head, writer: f"{head.low}..{'' if head.unlimited else head.high} of {writer.phrase(head.phrase)}",
    not_unique("lists may repeat; `distinct` only makes the values within one list different"),
    _width,
    _check,
)
