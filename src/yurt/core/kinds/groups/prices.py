"""Kinds of prices with the usual endings."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.base.types import decimal
from yurt.core.kinds.catalogue import Parameter, kind
from yurt.core.kinds.contract import Contract, Terms

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext

RANGE = {"lowest": Parameter("the lowest value", "0.50"), "highest": Parameter("the highest value", "500.00")}
# The endings of prices, in hundredths, and their cumulative frequency in percent; the rest have any ending.
ENDINGS = ((99, 38), (0, 58), (50, 72), (90, 84), (95, 94))
SPREAD = 0.7


def _ends(low: object, high: object) -> tuple[int, int]:
    """Return the lowest and the highest price in hundredths."""
    return round(float(str(low)) * 100), round(float(str(high)) * 100)


def _range(terms: Terms) -> Contract:
    low, high = _ends(*(terms.one(name) or each.default for name, each in RANGE.items()))
    return Contract(low=low, high=high)


@kind(
    "price",
    "a price with two places, most often with a usual ending",
    type=decimal(2),
    parameters=RANGE,
    contract=_range,
)
def price(context: KindContext) -> Column:
    import numpy as np
    from scipy.special import ndtr, ndtri

    low, high = _ends(*(context.given(name) or each.default for name, each in RANGE.items()))
    # Lognormal between the ends, around a fifth of their sum.
    middle = np.log(max((low + high) / 5, 1))
    first, last = (ndtr((np.log(max(end, 0.5)) - middle) / SPREAD) for end in (low, high))
    cents = np.exp(middle + SPREAD * ndtri(first + context.own_unit("price") * (last - first)))
    ends = np.array([ending for ending, _ in ENDINGS] + [-1])
    ending = ends[np.searchsorted([share / 100 for _, share in ENDINGS], context.own_unit("ending"), side="right")]
    usual = np.floor(cents / 100) * 100 + ending
    fits = (ending >= 0) & (usual >= low) & (usual <= high)
    return context.whole(np.clip(np.where(fits, usual, np.rint(cents)), low, high), decimal(2))
