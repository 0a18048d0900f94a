"""What all heads with a grid of values between two bounds have in common."""

from __future__ import annotations

import re
from datetime import date

from yurt.core import model
from yurt.core.base.types import DATETIME, DURATION, NULL
from yurt.core.grammar.builder import UNITS, Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.head import CheckScope, Describer, NotUnique
from yurt.core.model import Phrase, Range, Schema
from yurt.core.model.expressions import Literal, Value
from yurt.core.planning.bounds import allowed_between, bounds, family_of, steps
from yurt.core.planning.typing import article
from yurt.core.source.diagnostics import Span


def range_of(
    builder: Builder, tree: Tree | None, whole: Tree, word: str, example: str, limits: tuple[Value, Value]
) -> Range:  # fmt: skip
    """Return the range of a head; note a missing one. `limits` are those of the type, for ends that are left open."""
    if tree is None:
        span = builder.span(whole)
        builder.findings.error(f"`{word}` needs a range", span, f"for example `{example}`")
        return Range(Literal(0, span), Literal(0, span))
    low, high = tree.children
    span = builder.span(tree)
    return Range(
        builder.build(low) if low is not None else Literal(limits[0], span),
        builder.build(high) if high is not None else Literal(limits[1], span),
        low is None,
        high is None,
    )


def step_of(builder: Builder, tree: Tree | None, default: int) -> int:
    """Return a step in microseconds."""
    step = builder.duration(tree).microseconds if tree is not None else default
    if tree is not None and step < 1:
        message = "the step is not a length in w, d, h, min, s or ms"
        builder.findings.error(message, builder.span(tree))
    return max(step, 1) if tree is not None else step


def described(head: model.Ranged, writer: Describer, usual_step: int = 1) -> str:
    """Return the range, and the step if it is not the default, as a duration."""
    text = range_text(head, writer)
    return text + (f" step {length_text(steps(head))}" if steps(head) != usual_step else "")


def range_text(head: model.Ranged, writer: Describer) -> str:
    """Return a range as the schema writes it; an open end is left out."""
    low = "" if head.range.open_low else writer.text(head.range.low)
    high = "" if head.range.open_high else writer.text(head.range.high)
    return f"{low}..{high}"


def length_text(microseconds: int) -> str:
    """Return a duration in the largest unit that divides it."""
    for unit, size in UNITS.items():
        if microseconds % size == 0:
            return f"{microseconds // size}{unit}"
    return f"{microseconds / 1000:g}ms"


def cardinality(head: model.Ranged, phrase: Phrase, today: date, schema: Schema) -> int:
    """Return the number of values of the grid, on allowed days if days are chosen."""
    ends = bounds(head, today)
    if ends is None:
        raise NotUnique("its range depends on other fields; give it fixed bounds")
    if phrase.days is not None and isinstance(head, model.Date):
        return allowed_between(phrase.days, *ends)
    if phrase.days is not None:
        raise NotUnique("date-times on chosen days cannot be counted; use two fields for the date and the time")
    return max(0, (ends[1] - ends[0]) // steps(head) + 1)


def check(head: model.Ranged, phrase: Phrase, scope: CheckScope) -> None:
    """Check that both bounds have the type of the head, and that the range is not empty."""
    wanted = family_of(head)
    fitting = True
    for end in (head.range.low, head.range.high):
        found = scope.typer.type_of(end)
        wrong = found is not None and found != NULL and found.family != wanted
        if found is not None and (wrong or (isinstance(head, model.Date) and found == DATETIME)):
            fitting = False
            advice = "date(x) gives its date" if found == DATETIME else _unpadded_date(scope, end.span)
            scope.findings.error(f"this bound is {article(found)}, not {article(wanted)}", end.span, hint=advice)
        elif isinstance(head, model.DurationRange) and head.in_days and found == DURATION:
            fitting = False
            scope.findings.error("this bound is not in whole days", end.span, hint="give the step: `step 1h`")
    ends = bounds(head, scope.today)
    if fitting and ends is not None and max(map(abs, ends)) >= 10**18:
        message = "a bound of more than 18 digits, places included"
        scope.findings.error(message, head.range.high.span, "at most 18 digits")
    elif fitting and ends is not None and ends[0] > ends[1]:
        span = Span(head.range.low.span.start, head.range.high.span.end)
        scope.findings.error("the range is empty: its minimum is above its maximum", span, "low..high")


def _unpadded_date(scope: CheckScope, span: Span) -> str | None:
    """`2026-6-1` is parsed as two subtractions."""
    written = scope.findings.source.text[span.start : span.end]
    found = re.fullmatch(r"(\d{4})-(\d{1,2})-(\d{1,2})", written)
    return f"write {found[1]}-{int(found[2]):02}-{int(found[3]):02}" if found else None
