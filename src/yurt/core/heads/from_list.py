"""The head `from`: a column of a value list."""

from __future__ import annotations

from datetime import date

from yurt.core.base.nearest import did_you_mean
from yurt.core.base.types import Type
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.head import ENDLESS, CheckScope, HeadRule, NotUnique, TypeScope
from yurt.core.model import FromList, ItemValue, Phrase, Record, Schema
from yurt.core.model.expressions import common_type
from yurt.core.model.restriction import fits
from yurt.core.source.diagnostics import Findings, Span


def build(builder: Builder, tree: Tree) -> FromList:
    """Return the head of a tree."""
    return FromList(*builder.list_and_column(tree.children[1], tree.children[2]))


def _known(head: FromList, schema: Schema) -> bool:
    listed = schema.lists.get(head.name)
    return listed is not None and bool(listed.columns) and (not head.column or head.column in listed.columns)


def _data_type(head: FromList, scope: TypeScope, record: Record) -> Type | None:
    return common_type(scope.schema.lists[head.name].column(head.column)) if _known(head, scope.schema) else None


def _cardinality(head: FromList, phrase: Phrase, today: date, schema: Schema) -> int:
    if not _known(head, schema):
        return ENDLESS
    listed = schema.lists[head.name]
    if listed.weights is not None:
        raise NotUnique("weights favour some rows, and `unique` takes each at most once")
    if listed.gaps(head.column):
        raise NotUnique(f"the column `{head.column or 'value'}` has empty cells")
    values = [each for each in listed.column(head.column) if phrase.narrowed is None or fits(phrase.narrowed, each)]
    if len(set(values)) < len(values):
        raise NotUnique(f"the column `{head.column or 'value'}` has repeated values")
    return len(values)


def _check(head: FromList, phrase: Phrase, scope: CheckScope) -> None:
    column_of(scope.schema, head.name, head.column, scope.findings, phrase.span)
    listed = scope.schema.lists.get(head.name)
    if listed is not None and listed.gaps(head.column) and all(each is not phrase for each in scope.field.phrases):
        message = f"the list `{head.name.strip(chr(34))}` has empty cells in `{head.column or 'value'}`"
        expected = "a column without empty cells: only a field as a whole can be missing"
        scope.findings.error(message, phrase.span, expected)


def column_of(schema: Schema, name: str, column: str, findings: Findings, span: Span) -> tuple[ItemValue, ...]:
    """Return the values of a column of a value list; note an unknown list or column and return nothing."""
    listed = schema.lists.get(name)
    if listed is None:
        known = [each for each in schema.lists if not each.startswith('"')]
        expected = (
            "one of " + ", ".join(known)
            if known
            else '`value-lists:` at the top, or a file in quotes: from "routes.csv".name'
        )
        findings.error(f"there is no list `{name}`", span, expected, did_you_mean(name, known), unknown=True)
        return ()
    if column and listed.columns and column not in listed.columns:
        hint = did_you_mean(column, listed.columns)
        findings.error(
            f"the list `{name.strip(chr(34))}` has no column `{column}`", span, ", ".join(listed.columns), hint
        )
        return ()
    return listed.column(column) if listed.columns else ()


HEAD = HeadRule(
    FromList,
    {"from_list": build},
    _data_type,
    lambda head, writer: f"{head.name}.{head.column}" if head.column else head.name,
    _cardinality,
    check=_check,
)
