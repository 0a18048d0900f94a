"""Makes values with less detail."""

from __future__ import annotations

import re
from collections.abc import Callable

import pyarrow as pa
import pyarrow.compute as pc

from yurt.core import model
from yurt.core.base.arrays import strings
from yurt.core.columns.column import Column
from yurt.core.engine.by_value import changed
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.heads.coarsen import Coarsen

NUMBER = re.compile(r"([+-]?\d{1,15})([.,]\d{1,9})?")
DATE = re.compile(r"(\d{4})-(\d\d)-(\d\d)(?:[T ].*)?")


def coarsen(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """Bands, spans, or first characters. What is no number or no date has no band and no span: it is left out."""
    head = phrase.head
    assert isinstance(head, Coarsen)
    if head.first:
        return changed(head, table, lambda texts: pc.utf8_slice_codeunits(texts, 0, head.first))
    one: Callable[[str], str | None] = (lambda text: _band(text, head.band)) if head.band else (lambda text: _span(text, head.span))
    return changed(head, table, lambda texts: _each(texts, one))


def _each(texts: pa.Array, change: Callable[[str], str | None]) -> pa.Array:
    # The different values of a block: numbers and dates with bands have few.
    return strings([change(each) for each in texts.to_pylist()])


def _band(text: str, size: int) -> str | None:
    """Return the band of a number, such as 30..39."""
    found = NUMBER.fullmatch(text)
    if found is None:
        return None
    whole = int(found[1])
    if found[1].startswith("-") and found[2] and found[2].strip(".,0"):
        whole -= 1
    low = whole // size * size
    return f"{low}..{low + size - 1}" if size > 1 else str(low)


def _span(text: str, span: str) -> str | None:
    """Return the week, month, quarter, year, or decade of a date."""
    from datetime import date

    found = DATE.fullmatch(text)
    if found is None:
        return None
    year, month, day = int(found[1]), int(found[2]), int(found[3])
    try:
        own = date(year, month, day)
    except ValueError:
        return None
    if span == "week":
        of_year, week, _ = own.isocalendar()
        return f"{of_year:04d}-W{week:02d}"
    if span == "decade":
        return f"{year // 10 * 10}..{year // 10 * 10 + 9}"
    return {"month": f"{year:04d}-{month:02d}", "quarter": f"{year:04d}-Q{(month + 2) // 3}", "year": f"{year:04d}"}[span]


MAKES = {Coarsen: coarsen}
