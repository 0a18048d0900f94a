"""The head `every`: a time series."""

from __future__ import annotations

from yurt.core.base.types import DATE, DATETIME, Type
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.head import CheckScope, HeadRule, TypeScope, not_unique
from yurt.core.model import Phrase, Record, TimeSeries
from yurt.core.planning.typing import article


def build(builder: Builder, tree: Tree) -> TimeSeries:
    """Return the head of a tree."""
    step = builder.duration(tree.children[1])
    if not step.microseconds and not step.months:
        builder.findings.error("a step of 0", builder.span(tree.children[1]), "a step such as 15min")
    return TimeSeries(builder.build(tree.children[3]), step)


def _data_type(head: TimeSeries, scope: TypeScope, record: Record) -> Type | None:
    """Steps of whole days from a date are dates, all others date-times."""
    start = scope.typer(record).type_of(head.start)
    timed = start == DATETIME or head.jitter or not (head.step.in_days or head.step.months)
    return None if start is None else DATETIME if timed else DATE


def _check(head: TimeSeries, phrase: Phrase, scope: CheckScope) -> None:
    found = scope.typer.type_of(head.start)
    if found is not None and found.family != "date":
        example = "`every 15min from 2026-06-15T00:00`"
        scope.findings.error(f"a series begins with {article(found)}", head.start.span, "a date or datetime", example)


HEAD = HeadRule(
    TimeSeries,
    {"series": build},
    _data_type,
    lambda head, writer: f"a series from {writer.text(head.start)}",
    not_unique("a series starts again at each parent, and jitter may produce equal values"),
    check=_check,
)
