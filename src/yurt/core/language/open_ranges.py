"""What is usual in a range without a limit on one side, if the line does not say it."""

from __future__ import annotations

from yurt.core.base.data_classes import replace
from yurt.core.model import Date, DateTime, DurationRange, Field, Head, Histogram, Phrase, Range, Ranged, Time
from yurt.core.model.expressions import Binary, Duration, Expression, Literal, Name, Value
from yurt.core.source.diagnostics import NOWHERE, Span

DAY = 86_400_000_000
# How far from its other end values are drawn.
NUMBERS, DAYS, LENGTHS = 1000, 365, 1


def usual_of_open(head: Head, span: Span) -> Histogram | None:
    """Return what is usual in a range without a limit on one side: values near the other end, or near 0 or today."""
    if not isinstance(head, Ranged) or not (head.range.open_low or head.range.open_high):
        return None
    if isinstance(head, Time):
        return None
    timed = isinstance(head, Date | DateTime)
    far: Value = NUMBERS
    if timed or isinstance(head, DurationRange):
        far = Duration(microseconds=(DAYS if timed else LENGTHS) * DAY, in_days=True)
    low: Expression = head.range.low
    high: Expression = head.range.high
    if head.range.open_low and head.range.open_high:
        low = Name("today", span) if timed else Literal(0 if far == NUMBERS else Duration(in_days=True), span)
        high = Binary("+", low, Literal(far, span), span)
        low = Binary("-", low, Literal(far, span), span) if timed else low
    elif head.range.open_low:
        low = Binary("-", high, Literal(far, span), span)
    else:
        high = Binary("+", low, Literal(far, span), span)
    return Histogram(((Range(low, high), 1.0),))


def without_default(field: Field) -> Field:
    """Return a field whose values do not repeat without what is usual by default, which would favour some of them."""
    body = field.body
    if isinstance(body, Phrase) and isinstance(body.usually, Histogram) and body.usually.span == NOWHERE:
        return replace(field, body=replace(body, usually=None))
    return field
