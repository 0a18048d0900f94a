"""Checks values of which the form of `as` leaves out a part, by the part that is shown.

A number that is rounded, or a date-time without its seconds, must be between the ends of its range, written in the same
form; a value of a list, or of a short range of days, must be one of the written forms; a derived value must be written
as the form says.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

import numpy as np
import pyarrow as pa

from yurt.core import model
from yurt.core.base import compute as pc
from yurt.core.base.arrays import flags, strings, word
from yurt.core.base.types import INTEGER, TEXT, Type, decimal
from yurt.core.columns.column import Column, Mask, cast, compared, constant
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.writers import written
from yurt.core.formats.common.raw import CELL, Raw
from yurt.core.model import Field, ItemValue, Phrase, Schema
from yurt.core.model.expressions import Expression, Literal
from yurt.core.planning.bounds import bounds, steps
from yurt.core.text.display import calendar_like, number_like
from yurt.core.verify.frame import Frame
from yurt.core.verify.shapes import list_text
from yurt.core.verify.typed import typed
from yurt.core.verify.violation import Violation, violation
from yurt.core.verify.wording import value_text
from yurt.core.verify.written import form_of, number_of, reader, restored

# Why a value that `as` cuts is not known.
CUT = "`as` leaves out a part of the value"
# The units that a form may leave out, and the letter that shows each.
UNITS = (("S", 60_000_000), ("f", 1_000_000))
# A range with more values than this is not written out to check a form.
MOST_FORMS = 200_000


def cuts(field: Field, kind: Type, today: date) -> bool:
    """Return whether the form of `as` leaves out a part that the values of a field may have."""
    if field.shown is None:
        return False
    if reader(field.shown.pattern, kind) is None:
        return True
    if kind.name not in ("datetime", "time"):
        return False
    unit = _unit(field.shown.pattern, kind)
    return unit > 1 and any(_finer(phrase.head, unit, today) for phrase in field.phrases)


def _finer(head: model.Head | None, unit: int, today: date) -> bool:
    """Return whether values may be between two multiples of a unit, in microseconds."""
    if isinstance(head, model.DateTime | model.Time):
        ends = bounds(head, today)
        return ends is None or bool(ends[0] % unit or steps(head) % unit)
    if isinstance(head, model.TimeSeries):
        start = head.start.value if isinstance(head.start, Literal) else None
        return start is None or bool(head.jitter or head.step.microseconds % unit or int(constant(start).values) % unit)
    return True


def form_broken(texts: pa.Array, pattern: str, kind: Type) -> Mask:
    """Return where texts do not have the written form."""
    if kind.name in ("date", "datetime", "time") and reader(pattern, kind) is not None:
        return typed(_read(texts, pattern, kind), kind).wrong
    return ~flags(pc.match_substring_regex(texts, pattern=form_of(pattern, kind)))


def part_broken(
    phrase: Phrase, frame: Frame, texts: pa.Array, pattern: str, kind: Type, schema: Schema, today: date
) -> Iterator[Violation] | None:
    """Yield the violations of a phrase among texts of the written form; None if the part that is shown says nothing."""
    head = phrase.head
    shown = _shown(texts, pattern, kind)
    if isinstance(head, model.OneOf | model.FromList):
        values = head.values if isinstance(head, model.OneOf) else schema.lists[head.name].column(head.column)
        return iter([_listed(texts, pattern, kind, values)])
    if isinstance(head, model.Ranged) and shown is not None:
        return iter([_between(head, frame, shown, pattern, kind)])
    if isinstance(head, model.Date | model.DateTime) and (ends := bounds(head, today)):
        unit = 1 if isinstance(head, model.Date) else _unit(pattern, kind)
        first = ends[0] // unit * unit
        if (ends[1] - first) // unit <= MOST_FORMS:
            every = Column(kind, np.arange(first, ends[1] + 1, unit))
            forms = pc.unique(written(every, pattern, len(every.values)))
            unlisted = ~flags(pc.is_in(texts, value_set=forms))
            told = "..".join(value_text(Column(kind, np.array([each])), 0) for each in ends)
            return iter([violation("range", unlisted, f'a value of {told}, written as "{pattern}"')])
    return None


def _unit(pattern: str, kind: Type) -> int:
    """Return the smallest difference, in microseconds, that the form of a date-time shows."""
    letters = {each[1] for each in calendar_like(pattern, kind) if each[0] == "%"}
    return next((size for letter, size in UNITS if letter not in letters), 1)


def derived_text(expression: Expression, frame: Frame, pattern: str, kind: Type) -> Column:
    """Return the result of an expression in its written form."""
    column = cast(evaluate(expression, frame), kind).spread(frame.size)
    return Column(TEXT, written(column, pattern, frame.size), column.nulls)


def _between(head: model.Ranged, frame: Frame, shown: Column, pattern: str, kind: Type) -> Violation:
    ends = [_end(each, frame, pattern, kind) for each in (head.range.low, head.range.high)]
    outside = np.zeros(frame.size, dtype=np.bool_)
    for least, most in ((ends[0][1], shown), (shown, ends[1][1])):
        nulls = np.zeros(frame.size, dtype=np.bool_)
        for each in (least, most):
            nulls |= False if each.nulls is None else each.nulls
        a, b = compared(most, least)
        outside |= np.asarray(a < b, dtype=np.bool_) & ~nulls
    return violation("range", outside, lambda at: "..".join(str(text[at].as_py()) for text, _ in ends))


def _end(end: Expression, frame: Frame, pattern: str, kind: Type) -> tuple[pa.Array, Column]:
    """Return an end of a range in the written form, and what the form shows of it."""
    column = evaluate(end, frame)
    column = (column if kind.numeric and column.type.places > kind.places else cast(column, kind)).spread(frame.size)
    texts = written(column, pattern, frame.size)
    found = _shown(texts, pattern, kind)
    assert found is not None
    return texts, found


def _listed(texts: pa.Array, pattern: str, kind: Type, values: tuple[ItemValue, ...]) -> Violation:
    forms = strings([written(cast(constant(each), kind), pattern, 1)[0].as_py() for each in values])
    return violation("list", ~flags(pc.is_in(texts, value_set=forms)), list_text(tuple(forms.to_pylist())))


def _shown(texts: pa.Array, pattern: str, kind: Type) -> Column | None:
    """Return what a form shows as values that are ordered as those are of which it shows a part; None if none are."""
    if kind.numeric:
        like = number_like(pattern)
        places = like.places + 2 * like.percent
        read = number_of(texts, pattern)
        return typed(_cells(read), decimal(places) if places else INTEGER).column
    return None if reader(pattern, kind) is None else typed(_read(texts, pattern, kind), kind).column


def _read(texts: pa.Array, pattern: str, kind: Type) -> Raw:
    return restored(_cells(texts), pattern, kind)


def _cells(texts: pa.Array) -> Raw:
    return Raw(pc.fill_null(texts, word("?")), np.full(len(texts), CELL, dtype=np.uint8))
