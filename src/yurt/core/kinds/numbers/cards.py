"""Payment cards: the number, its security code, and its last digits agree."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, joined, strings
from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import YurtError
from yurt.core.base.types import INTEGER, TEXT
from yurt.core.columns.column import Column, coded, merge
from yurt.core.kinds.numbers.card_schemes import SCHEMES
from yurt.core.kinds.numbers.digits import luhn
from yurt.core.kinds.numbers.numbered import numbered, written

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext

SAFE = "9999"
# Beginnings in use and the number of digits after them, with their shares.
LIVE = (("4", 16, 0.5), ("51", 16, 0.1), ("53", 16, 0.1), ("55", 16, 0.1), ("2720", 16, 0.1), ("37", 15, 0.1))
VALID = 48


def card(context: KindContext, part: str) -> Column:
    """Return a part of the record's card: number, groups, code, scheme, expiry, month, or year."""
    if part in ("number", "groups", "code", "scheme"):
        return _number(context, part)
    today = context.today_date
    month = today.year * 12 + today.month + (context.unit("card", "expiry") * VALID).astype(np.int64)
    if part == "month":
        return Column(INTEGER, month % 12 + 1)
    if part == "year":
        return Column(INTEGER, month // 12)
    months = pc.take(strings([f"{each:02}/" for each in range(1, 13)]), arrow(month % 12))
    years = pc.take(strings([f"{each:02}" for each in range(100)]), arrow(month // 12 % 100))
    return Column(TEXT, joined(months, years))


def _number(context: KindContext, part: str) -> Column:
    """Return numbers by beginning and length; each kind of card draws for itself."""
    sorts = _sorts(context)
    ends = np.cumsum([each.share for each in sorts])
    which = np.minimum(np.searchsorted(ends, context.unit("card", "sort") * ends[-1], side="right"), len(sorts) - 1)
    if part == "scheme":
        return coded(which, strings([each.scheme for each in sorts]))
    parts = []
    for number, sort in enumerate(sorts):
        places = np.flatnonzero(which == number)
        if not len(places):
            continue
        some = context.at(places)
        if part == "code":
            parts.append((places, some.matching("[0-9]{4}" if sort.length == 15 else "[0-9]{3}", "card code")))
            continue
        shape = sort.beginning + "#" * (sort.length - len(sort.beginning) - 1) + "="
        cells = numbered(some, shape, (lambda cells: luhn(cells[:, :-1]),), shared=True, purpose="card")
        parts.append((places, written(cells, _groups(sort.length) if part == "groups" else "")))
    return merge(parts, context.rows, TEXT)


@dataclass(frozen=True)
class Sort:
    """Cards whose numbers have the same beginning."""

    beginning: str
    length: int
    share: float
    scheme: str = ""


def _sorts(context: KindContext) -> list[Sort]:
    """Return the beginnings, lengths, and shares that the record's fields request."""
    live = any(each.startswith("cc-") for each in context.lifted)
    asked = [SCHEMES[each] for each in context.asked("scheme")]
    if asked:
        return [
            Sort(beginning, each.length, each.share / len(beginnings), each.title)
            for each in asked
            for beginnings in ((each.live,) if live else each.safe,)
            for beginning in beginnings
        ]
    prefixes = [str(each) for each in context.asked("prefix")]
    lengths = context.asked("length")
    if not prefixes and live:
        return [Sort(*each) for each in LIVE]
    length = int(lengths[0]) if lengths else 16
    for prefix in prefixes or [SAFE]:
        if not prefix.isdecimal() or not 12 <= length <= 19 or len(prefix) > length - 2:
            raise YurtError(f"{context.field}: a card of {length} digits that begins with `{prefix}` is not possible")
    return [Sort(prefix, length, 1.0) for prefix in prefixes or [SAFE]]


def _groups(length: int) -> str:
    if length == 15:
        return "xxxx xxxxxx xxxxx"
    return " ".join("x" * min(4, length - start) for start in range(0, length, 4))
