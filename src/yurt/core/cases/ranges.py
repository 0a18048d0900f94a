"""Equivalence partitions of ranges: far below, far above, between two steps, on another day."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import date, timedelta
from decimal import Decimal

from yurt.core import model
from yurt.core.base.data_classes import replace
from yurt.core.base.types import MAX_PLACES, Type
from yurt.core.cases.case import Case, Const, Raw, because
from yurt.core.cases.days import holiday, nearest_allowed, not_allowed, unit_of
from yurt.core.cases.subject import Subject
from yurt.core.cases.words import shown
from yurt.core.formats.common.raw import Number
from yurt.core.model import Field, Phrase
from yurt.core.planning.bounds import bounds, steps

# Makes a case from a partition, a reason, and changes, with the violated rule.
MakeCase = Callable[..., Case]


def around_range(field: Field, phrase: Phrase, kind: Type, case: MakeCase, subject: Subject) -> Iterator[Case]:
    """Far below, far above, between two steps, on another day."""
    head = phrase.head
    assert isinstance(head, model.Ranged)
    ends = bounds(head, subject.today)
    if ends is None:
        return
    low, high = ends
    step = steps(head)
    far = max((high - low) // step, 10) * step
    for partition, value, why in (
        ("below", low - far, "below"),
        ("above", low + (high - low) // step * step + far, "above"),
    ):
        if phrase.days is not None:
            value = int(nearest_allowed(value, phrase.days, head, later=why == "above"))
        if not in_time(value, head) or (head.range.open_high if why == "above" else head.range.open_low):
            continue
        yield case(
            partition,
            because(
                "{value} is {side} {low}..{high}",
                value=shown(value, kind),
                side=why,
                low=shown(low, kind),
                high=shown(high, kind),
            ),
            Const(field.name, value),
            violates="range",
        )
    if step > 1 and high > low:
        value = low + step // 2 if step > 2 else low + 1
        yield case(
            "between two steps",
            because("{value} is between two {steps}", value=shown(value, kind), steps=step_words(head, kind)),
            Const(field.name, value),
            violates="step",
        )
    if isinstance(head, model.DecimalNumber) and field.shown is None:
        value = low + 1 if high > low else low
        text = f"{Decimal(value).scaleb(-head.places):.{head.places}f}"
        text += "5"
        # No number of the language has more places than that.
        if low <= value < high and head.places < MAX_PLACES:
            yield case(
                "too many places",
                because("{text} has more than {places} places", text=text, places=head.places),
                Raw(field.name, Number(text)),
                violates="step",
            )
    days = phrase.days
    if days is not None and (other := not_allowed(replace(days, closed=()), head, low, high)) is not None:
        yield case(
            "another day",
            because("{value} is on a day that is not allowed", value=shown(other, kind)),
            Const(field.name, other),
            violates="weekday" if days.months[_month(other, head)] else "month",
        )
    if days is not None and (other := holiday(days, head, low, high)) is not None:
        yield case(
            "a public holiday",
            because("{value} is a public holiday", value=shown(other, kind)),
            Const(field.name, other),
            violates="holiday",
        )


def _month(value: int, head: model.Ranged) -> int:
    """Return the month of a value, from 0."""
    return (date(1970, 1, 1) + timedelta(days=value // unit_of(head))).month - 1


def step_words(head: model.Ranged, kind: Type) -> str:
    """Return a step as the schema writes it."""
    return shown(steps(head), Type("duration") if kind.name in ("time", "datetime") else kind)


def in_time(value: int, head: model.Ranged) -> bool:
    """Return whether a date is in the years 1 to 9999, or a time is within one day."""
    if isinstance(head, model.Time):
        return 0 <= value < 86_400_000_000
    unit = 86_400_000_000 if isinstance(head, model.DateTime) else 1
    if isinstance(head, model.Date | model.DateTime):
        return -719_162 <= value // unit <= 2_932_896
    return abs(value) < 10**17
