"""Makes values with less detail."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa

from yurt.core import model
from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, flags, word
from yurt.core.columns.column import Column
from yurt.core.engine.by_value import DATE_WANTED, changed
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.engine.written_numbers import NUMBER_WANTED, merged, written_numbers
from yurt.core.heads.coarsen import Coarsen

DATE = r"^[0-9]{4}-[0-9]{2}-[0-9]{2}([T ].*)?$"
TO = word("..")


def coarsen(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """Bands, spans, or first characters. What is no number or no date is refused."""
    head = phrase.head
    assert isinstance(head, Coarsen)
    if head.first:
        return changed(head, table, lambda texts: pc.utf8_slice_codeunits(texts, 0, head.first))
    if head.band:
        return changed(head, table, lambda texts: _bands(texts, head.band), NUMBER_WANTED)
    return changed(head, table, lambda texts: _spans(texts, head.span), DATE_WANTED)


def _bands(texts: pa.Array, size: int) -> pa.Array:
    """Return the bands of numbers, such as 30..39."""
    parts = []
    for each in written_numbers(texts):
        low = each.values // (size * 10**each.places) * size
        first, last = (pc.cast(arrow(ends), pa.string()) for ends in (low, low + size - 1))
        parts.append((each.at, first if size == 1 else pc.binary_join_element_wise(first, last, TO)))
    return merged(parts, len(texts))


def _spans(texts: pa.Array, span: str) -> pa.Array:
    """Return the week, month, quarter, year, or decade of dates."""
    good = np.flatnonzero(flags(pc.match_substring_regex(texts, DATE))).astype(np.int64)
    chosen = pc.utf8_slice_codeunits(pc.take(texts, arrow(good)), 0, 10)
    days = pc.strptime(chosen, format="%Y-%m-%d", unit="s", error_is_null=True)
    # The thirtieth of February would be read as a day of March.
    there = flags(pc.equal(pc.strftime(days, format="%Y-%m-%d"), chosen))
    good, days, chosen = good[there], pc.filter(days, arrow(there)), pc.filter(chosen, arrow(there))
    year = pc.utf8_slice_codeunits(chosen, 0, 4)
    match span:
        case "year":
            found = year
        case "month":
            found = pc.utf8_slice_codeunits(chosen, 0, 7)
        case "quarter":
            found = pc.binary_join_element_wise(year, pc.cast(pc.quarter(days), pa.string()), word("-Q"))
        case "week":
            calendar = pc.iso_calendar(days)
            week = pc.utf8_lpad(pc.cast(pc.struct_field(calendar, [1]), pa.string()), 2, "0")
            of_year = pc.utf8_lpad(pc.cast(pc.struct_field(calendar, [0]), pa.string()), 4, "0")
            found = pc.binary_join_element_wise(of_year, week, word("-W"))
        case _:
            first = pc.utf8_slice_codeunits(chosen, 0, 3)
            found = pc.binary_join_element_wise(first, word("0.."), first, word("9"), word(""))
    return merged([(good, found)], len(texts))


MAKES = {Coarsen: coarsen}
