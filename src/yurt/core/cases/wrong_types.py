"""Equivalence partitions of types: values of another type, in the forms of each format."""

from __future__ import annotations

import calendar
from collections.abc import Iterator
from datetime import date, timedelta

from yurt.core import model
from yurt.core.base.types import BOOLEAN, TEXT
from yurt.core.cases.case import Case, Raw, Reason, Requirement, because
from yurt.core.cases.subject import Subject
from yurt.core.cases.words import type_words
from yurt.core.formats.common.raw import Number
from yurt.core.model import Field
from yurt.core.planning.bounds import bounds

TECHNIQUE = "partition"


def wrong_types(field: Field, subject: Subject) -> Iterator[Case]:
    """Values of another type, in the forms of each format."""
    kind = subject.type(field.name)
    there = (*((Requirement(field.present_if, True),) if field.present_if is not None else ()),)
    right = type_words(kind)

    def case(item: str, reason: Reason, value: object, typed: bool = False) -> Case:
        return Case(TECHNIQUE, field.name, item, reason, (*there, Raw(field.name, value, typed=typed)), "type")

    if kind.name == "list":
        yield case("wrong type", because("a text instead of {right}", right=right), "none")
        yield case("a record", because("a record instead of {right}", right=right), {"value": "x"}, typed=True)
        return
    if kind != TEXT:
        yield case("wrong type", because("letters instead of {right}", right=right), "abc")
        yield case("empty", because("an empty text instead of {right}", right=right), "")
        if not kind.numeric:
            yield case("a number", because("a number instead of {right}", right=right), Number("7"), typed=True)
        else:
            yield case("in quotes", because("a text of digits instead of {right}", right=right), "7", typed=True)
        if kind == BOOLEAN:
            yield (
                case("other words", because("yes instead of {right}", right=right), "yes")
                if field.shown is None
                else case("other words", because("another word"), "perhaps")
            )
    else:
        yield case("a number", because("a number instead of {right}", right=right), Number("7"), typed=True)
        yield case("a Boolean", because("true instead of {right}", right=right), True, typed=True)
    yield case("a list", because("a list instead of {right}", right=right), ["x"], typed=True)
    if kind.name in ("date", "datetime") and field.shown is None:
        tail = "T08:30:00" if kind.name == "datetime" else ""
        if isinstance(field.head, model.DateTime) and field.head.zone is not None:
            tail += "+00:00"
        for item, day, why in _no_days(_years(field, subject)):
            yield case(item, because("{why}", why=why), day + tail)
    if kind.name in ("time", "datetime") and field.shown is None:
        lead = "2026-06-15T" if kind.name == "datetime" else ""
        tail = "+00:00" if isinstance(field.head, model.DateTime) and field.head.zone is not None else ""
        for item, clock, why in (
            ("hour 24", "24:00:00", "the last hour is 23"),
            ("minute 60", "12:60:00", "the last minute is 59"),
            ("twelve-hour clock", "8:30 PM", "the clock has 24 hours"),
        ):
            yield case(item, because("{why}", why=why), lead + clock + tail)


def _years(field: Field, subject: Subject) -> range:
    """Return the years of a range of dates; the present ones if its ends are not fixed."""
    head = field.head
    ends = bounds(head, subject.today) if isinstance(head, model.Date | model.DateTime) else None
    if ends is None:
        return range(subject.today.year - 1, subject.today.year + 1)
    unit = 86_400_000_000 if isinstance(head, model.DateTime) else 1
    first, last = ((date(1970, 1, 1) + timedelta(days=int(each // unit))).year for each in ends)
    return range(first, last + 1)


def _no_days(years: range) -> Iterator[tuple[str, str, str]]:
    """Yield texts that look like dates in some years but are not."""
    year = years[len(years) // 2]
    yield "day 30 of February", f"{year:04}-02-30", "February has no day 30"
    yield "day 31 of April", f"{year:04}-04-31", "April has no day 31"
    common = next((each for each in reversed(years) if not calendar.isleap(each) and each % 100), None)
    if common is not None:
        yield "29 February of a common year", f"{common:04}-02-29", f"{common} is not a leap year"
    for century in (1900, 2100):
        if century in years:
            yield (
                f"29 February {century}",
                f"{century}-02-29",
                f"{century} is not a leap year: only every fourth century is",
            )
    yield "month 13", f"{year:04}-13-01", "there is no month 13"
    yield "day 0", f"{year:04}-06-00", "there is no day 0"
    yield "day first", f"15.06.{year:04}", "the year comes first"
    yield "one digit", f"{year:04}-6-5", "months and days have two digits"
