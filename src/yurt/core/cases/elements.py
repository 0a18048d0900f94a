"""Equivalence partitions of list elements: an element that is missing, of another type, or not allowed."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import Any

from yurt.core import model
from yurt.core.base.data_classes import replace
from yurt.core.base.types import TEXT, Type
from yurt.core.cases.case import Case, Change, Drawn, Raw, Reason, Requirement, because
from yurt.core.cases.subject import Subject
from yurt.core.cases.words import shown, type_words
from yurt.core.formats.common.raw import NOTHING, Number, written
from yurt.core.formats.json.reading import DECODER
from yurt.core.model import Field, Phrase
from yurt.core.planning.bounds import bounds, steps

TECHNIQUE = "partition"
# A replacement for an element, or for a field of one: a word, the rule, the reason, and the value.
Other = tuple[str, str, Reason, Any]


def elements(
    field: Field, phrase: Phrase, requirements: tuple[Requirement, ...], row: str, subject: Subject
) -> Iterator[Case]:
    """Yield cases for the first element of a list, and for the fields of the first record in a list of records."""
    head = phrase.head
    assert isinstance(head, model.ListOf)
    if head.high < 1:
        return
    present = Drawn(field.name, replace(phrase, head=replace(head, low=max(head.low, 1)), missing=0.0, missing_if=None))

    def case(target: str, change: Other, made: Callable[[str], str | None]) -> Case:
        item, violates, reason, _ = change
        changes: tuple[Change, ...] = (*requirements, present, Raw(field.name, made=made))
        return Case(TECHNIQUE, target, f"element 1: {item}", reason, changes, violates, row=row)

    if not head.of_records:
        of = subject.type(field.name).of
        assert of is not None
        for change in _changes(head.phrase, of, subject):
            yield case(field.name, change, partial(_first, change[3]))
        return
    for inner in subject.record.shown:
        if inner.parent != field.name or inner.present_if is not None or not isinstance(inner.body, Phrase):
            continue
        if isinstance(inner.head, model.Nested | model.ListOf | model.Derived):
            continue
        for change in _changes(inner.body, subject.type(inner.name), subject, inner.optional):
            yield case(inner.name, change, partial(_inside, inner.title, change[3]))


def _changes(phrase: Phrase, kind: Type, subject: Subject, optional: bool = False) -> Iterator[Other]:
    head = phrase.head
    if not phrase.missing and not optional:
        yield "missing", "presence", because("a value is required"), None
    if kind != TEXT and kind.name != "list":
        yield "wrong type", "type", because("letters instead of {right}", right=type_words(kind)), "abc"
    if isinstance(head, model.OneOf) and kind == TEXT and phrase.narrowed is None:
        yield "not listed", "list", because("`unlisted` is not listed"), "unlisted"
    ends = bounds(head, subject.today) if isinstance(head, model.Ranged) else None
    if isinstance(head, model.Ranged) and ends is not None and phrase.days is None:
        top = ends[0] + (ends[1] - ends[0]) // steps(head) * steps(head)
        for item, value, end in (("below", ends[0] - steps(head), ends[0]), ("above", top + steps(head), top)):
            if head.range.open_low if item == "below" else head.range.open_high:
                continue
            text = shown(value, kind)
            reason = because("{value} is {side} {end}", value=text, side=item, end=shown(end, kind))
            if kind.numeric or kind.name == "date":
                yield item, "range", reason, Number(text) if kind.numeric else text


def _first(value: Any, text: str) -> str | None:
    """Return a JSON list with another first element; None for an empty list."""
    found, _ = DECODER.raw_decode(text)
    return written([value, *found[1:]]) if found and isinstance(found, list) else None


def _inside(name: str, value: Any, text: str) -> str | None:
    """Return a JSON list of records in which one field of the first record is replaced or absent."""
    found, _ = DECODER.raw_decode(text)
    if not found or not isinstance(found, list) or not isinstance(found[0], dict):
        return None
    left = {key: each for key, each in found[0].items() if key != name or value is not NOTHING}
    return written([left | ({name: value} if value is not NOTHING else {}), *found[1:]])
