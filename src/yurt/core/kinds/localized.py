"""Amounts and dates in the form of a country, by the facts of its locale."""

from __future__ import annotations

from datetime import date, timedelta
from functools import lru_cache

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, joined, strings
from yurt.core.base.json_object import JsonObject
from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column, coded
from yurt.core.kinds.cldr import months
from yurt.core.sampling.streams import Unit

DAYS = 730


def money_text(facts: JsonObject, cents: NDArray[np.int64]) -> Column:
    """Return amounts below a thousand million hundredths as texts, with the country's sign, grouping, and decimal
    mark.
    """
    whole, rest = np.divmod(cents, 100)
    if int(facts.get("currency-places", 2)) == 0:
        whole = np.where(rest >= 50, whole + 1, whole)
    groups = [whole // 1_000_000, whole // 1000 % 1000, whole % 1000]
    plain, filled = _words(False), _words(True)
    text: pa.Array = pc.take(plain, arrow(groups[2]))
    mark = str(facts["group-mark"])
    if len(whole) and int(whole.max()) >= 1000:
        thousands = joined(pc.take(plain, arrow(groups[1])), mark, pc.take(filled, arrow(groups[2])))
        millions = joined(
            pc.take(plain, arrow(np.minimum(groups[0], 999))), mark, pc.take(filled, arrow(groups[1])), mark,
            pc.take(filled, arrow(groups[2])),
        )  # fmt: skip
        text = pc.if_else(arrow(whole >= 1000), thousands, text)
        text = pc.if_else(arrow(whole >= 1_000_000), millions, text)
    if int(facts.get("currency-places", 2)):
        text = joined(text, str(facts["decimal-mark"]), pc.take(_two(), arrow(rest)))
    before, after = str(facts["money-form"]).split("{amount}")
    return Column(TEXT, joined(before, text, after))


@lru_cache(maxsize=2)
def _words(filled: bool) -> pa.Array:
    return strings([f"{each:03}" if filled else str(each) for each in range(1000)])


@lru_cache(maxsize=1)
def _two() -> pa.Array:
    return strings([f"{each:02}" for each in range(100)])


def date_text(form: str, locale: str, today: date, u: Unit) -> Column:
    """Return a recent date for each number in (0, 1), in a form such as `{d}. {m} {y}`."""
    return coded((u * DAYS).astype(np.int64), _days(form, locale, today))


@lru_cache(maxsize=64)
def _days(form: str, locale: str, today: date) -> pa.Array:
    names = months(locale, "format")
    found = []
    for back in range(DAYS):
        day = today - timedelta(days=back)
        parts = {
            "d": str(day.day), "dd": f"{day.day:02}", "m": names[day.month - 1], "n": str(day.month),
            "nn": f"{day.month:02}", "y": str(day.year), "yy": f"{day.year % 100:02}",
        }  # fmt: skip
        found.append(form.format_map(parts))
    return strings(found)
