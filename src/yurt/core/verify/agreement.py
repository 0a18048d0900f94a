"""Checks that fields with columns of one value list hold values of one of its rows."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import numpy as np

from yurt.core.base import compute as pc
from yurt.core.base.arrays import numbers_or, strings
from yurt.core.columns.column import Column, Mask
from yurt.core.model import Field, FromList, Record, Schema, ValueList
from yurt.core.verify.frame import Frame
from yurt.core.verify.violation import Violation
from yurt.core.verify.wording import item_text, values_text


def disagreements(schema: Schema, record: Record, blind: set[str], frame: Frame) -> Iterator[Violation]:
    """Yield the rows of a block whose values are not together in any row of their list."""
    for name, listed in schema.lists.items():
        fields = [
            each for each in record.shown
            if isinstance(each.head, FromList) and each.head.name == name and each.present_if is None
            and record.list_around(each.name) is None and each.name not in blind
        ]  # fmt: skip
        if len(fields) < 2:
            continue
        sound = np.logical_and.reduce([~frame.at_fault(each.name) for each in fields])
        there = np.array([~frame.missing(each.name) | _is_gap(listed, each) for each in fields])
        lost = np.zeros(frame.size, dtype=np.bool_)
        # The fields that are there are compared with one another.
        for pattern in np.unique(there, axis=1).T if frame.size else ():
            some = [each for each, present in zip(fields, pattern.tolist(), strict=True) if present]
            places = np.flatnonzero(sound & (there == pattern[:, None]).all(axis=0))
            if len(some) > 1 and len(places):
                lost[places] = _in_no_row(listed, some, [frame.fields[each.name].take(places) for each in some])
        wrong = np.flatnonzero(lost)
        if len(wrong):
            expected = f"values of one row of the list `{name}`"
            found = Violation("agreement", wrong, wrong, partial(_text, expected))
            titles = ", ".join(each.name for each in fields)
            yield found.named(record.name, titles, partial(values_text, frame, fields))


def _is_gap(listed: ValueList, field: Field) -> bool:
    """Return whether a missing value can only be an empty cell of the list: not by a clause, or with its record."""
    assert isinstance(field.head, FromList)
    return bool(listed.gaps(field.head.column)) and not field.phrases[0].missing and not field.parent


def _in_no_row(listed: ValueList, fields: list[Field], columns: list[Column]) -> Mask:
    """Number the combinations in the list, column by column, and those of the rows in the same way."""
    size = len(columns[0].values)
    found, allowed = np.zeros(size, dtype=np.int64), np.zeros(listed.size, dtype=np.int64)
    lost = np.zeros(size, dtype=np.bool_)
    for each, column in zip(fields, columns, strict=True):
        assert isinstance(each.head, FromList)
        gaps = listed.gaps(each.head.column)
        texts = [item_text(value, column.type) for value in listed.column(each.head.column)]
        values = strings([None if at in gaps else text for at, text in enumerate(texts)])
        known = pc.unique(values)
        found = found * len(known) + numbers_or(pc.index_in(column.text(size), value_set=known), np.int32, 0)
        allowed = allowed * len(known) + numbers_or(pc.index_in(values, value_set=known), np.int32, 0)
        distinct, allowed = np.unique(allowed, return_inverse=True)
        near = np.minimum(np.searchsorted(distinct, found), len(distinct) - 1)
        lost |= distinct[near] != found
        found = near
    return lost


def _text(text: str, at: int) -> str:
    return text
