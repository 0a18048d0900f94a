"""Equivalence partitions of types: values of another type, in the forms that formats have."""

from __future__ import annotations

from collections.abc import Iterator

from yurt.core import model
from yurt.core.base.types import BOOLEAN, TEXT
from yurt.core.cases.case import Case, Raw, Reason, Requirement, because
from yurt.core.cases.subject import Subject
from yurt.core.cases.words import type_words
from yurt.core.formats.common.raw import Number
from yurt.core.model import Field

TECHNIQUE = "partition"


def wrong_types(field: Field, subject: Subject) -> Iterator[Case]:
    """Values of another type, in the forms that formats have."""
    kind = subject.type(field.name)
    there = (*((Requirement(field.only_if, True),) if field.only_if is not None else ()),)
    right = type_words(kind)

    def case(item: str, reason: Reason, value: object, typed: bool = False) -> Case:
        return Case(TECHNIQUE, field.name, item, reason, (*there, Raw(field.name, value, typed=typed)), "type")

    if kind.name == "list":
        yield case("wrong type", because("a text where {right} belongs", right=right), "none")
        yield case("a record", because("a record where {right} belongs", right=right), {"value": "x"}, typed=True)
        return
    if kind != TEXT:
        yield case("wrong type", because("letters where {right} belongs", right=right), "abc")
        yield case("empty", because("an empty text where {right} belongs", right=right), "")
        if not kind.numeric:
            yield case("a number", because("a number where {right} belongs", right=right), Number("7"), typed=True)
        else:
            yield case("in quotes", because("a text of digits where {right} belongs", right=right), "7", typed=True)
        if kind == BOOLEAN:
            yield (
                case("other words", because("yes where {right} belongs", right=right), "yes")
                if field.shown is None
                else case("other words", because("another word"), "perhaps")
            )
    else:
        yield case("a number", because("a number where {right} belongs", right=right), Number("7"), typed=True)
        yield case("a truth value", because("true where {right} belongs", right=right), True, typed=True)
    yield case("a list", because("a list where {right} belongs", right=right), ["x"], typed=True)
    if kind.name in ("date", "datetime") and field.shown is None:
        tail = "T08:30:00" if kind.name == "datetime" else ""
        if isinstance(field.head, model.DateTime) and field.head.zone is not None:
            tail += "+00:00"
        for item, day, why in (
            ("day 30 of February", "2026-02-30", "February has no day 30"),
            ("29 February of no leap year", "2025-02-29", "2025 is no leap year"),
            ("month 13", "2026-13-01", "there is no month 13"),
            ("day 0", "2026-06-00", "there is no day 0"),
            ("day first", "15.06.2026", "the year comes first"),
            ("one digit", "2026-6-5", "months and days have two digits"),
        ):
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
