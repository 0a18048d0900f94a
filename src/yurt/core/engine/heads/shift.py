"""Moves dates by a time of the person's own."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa

from yurt.core import model
from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, flags, numbers, strings, word
from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column
from yurt.core.columns.faults import RowFault
from yurt.core.engine.by_value import DATE_WANTED, hashed, originals, secret_of
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.heads.shift import Shift

DAY = 86_400_000_000
DATE = r"^\d{4}-\d\d-\d\d"
FIRST_DAY, LAST_DAY = -719_162, 2_932_896


def shift(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """Dates, moved by 1 to `most` days to either side; whatever stands behind the date stays."""
    head = phrase.head
    assert isinstance(head, Shift)
    hash_of = hashed(secret_of(table), "shift", head.domain)
    most = np.uint64(head.most.microseconds // DAY)

    def make(batch: BatchScope) -> Column:
        found = originals(head.original, batch)
        texts = pc.take(found.different, arrow(found.codes))
        empty = found.empty
        missing = empty if found.nulls is None else found.nulls | empty
        days = _days(texts, missing, field.name, batch)
        if head.per is None:
            keys = np.broadcast_to(hash_of(strings([""])), (len(texts),))
        else:
            person = originals(head.per, batch)
            keys = hash_of(person.different)[person.codes]
        moved = (keys % (most * np.uint64(2))).astype(np.int64)
        moved = np.where(moved < int(most), moved + 1, int(most) - 1 - moved)
        shifted = np.clip(days + moved, FIRST_DAY, LAST_DAY)
        dates = pc.cast(arrow(shifted.astype(np.int32), None, pa.date32()), pa.string())
        rest = pc.utf8_slice_codeunits(texts, 10, None)
        whole = pc.binary_join_element_wise(dates, rest, word(""))
        return found.kept_empty(Column(TEXT, whole, found.nulls))

    return make


def _days(
    texts: pa.Array, missing: np.ndarray[tuple[int], np.dtype[np.bool_]], name: str, batch: BatchScope
) -> np.ndarray[tuple[int], np.dtype[np.int64]]:
    """Return the dates of texts in days since 1970. Raises RowFault for a text that does not begin with a date."""
    good = flags(pc.match_substring_regex(texts, DATE)) | missing
    dates = pc.utf8_slice_codeunits(texts, 0, 10)
    dates = pc.if_else(arrow(good & ~missing), dates, word("1970-01-01"))
    try:
        found = numbers(pc.cast(dates, pa.date32()), np.int32).astype(np.int64)
    except pa.ArrowInvalid:
        good = good & np.array([_is_date(each) for each in dates.to_pylist()], dtype=np.bool_)
        found = np.zeros(len(texts), dtype=np.int64)
    if not good.all():
        at = int(np.argmin(good))
        told = f"`{texts[at].as_py()}` is not {DATE_WANTED}"
        raise RowFault(told, int(batch.rows[at]))
    return found


def _is_date(text: str) -> bool:
    try:
        np.datetime64(text)
    except ValueError:
        return False
    return True


MAKES = {Shift: shift}
