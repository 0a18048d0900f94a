"""Kinds of prices with the usual endings."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.base.types import decimal
from yurt.core.kinds.catalogue import Parameter, kind
from yurt.core.kinds.contract import Contract, Terms
from yurt.core.kinds.lists import facts

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext

RANGE = {
    "lowest": Parameter("the lowest price (by default, that of the product)"),
    "highest": Parameter("the highest price (by default, that of the product)"),
}
LOWEST, HIGHEST = 0.5, 500.0
# The endings of prices, in hundredths, and their cumulative frequency in percent; the rest have any ending.
ENDINGS = ((99, 38), (0, 58), (50, 72), (90, 84), (95, 94))
SPREAD = 0.7
# The list of products has prices of Germany; those of other countries are scaled by the median salary.
SALARY = 46000.0
# Where prices are so many times higher, they are whole numbers; from the second level on, they end with a nought.
WHOLE, TENS = 15.0, 500.0


def _ends(low: object, high: object) -> tuple[int, int]:
    """Return the lowest and the highest price in hundredths; the other end is a default."""
    first = round(float(str(low or LOWEST)) * 100)
    return first, max(round(float(str(high or HIGHEST)) * 100), first)


def _level(locale: str, folder: str) -> float:
    return float(facts(locale, folder)["salary"]) / SALARY


def _unit(level: float) -> int:
    """Return the smallest difference of two prices, in hundredths."""
    return 1 if level < WHOLE else 100 if level < TENS else 1000


def _range(terms: Terms) -> Contract:
    given = [terms.one(name) for name in RANGE]
    if any(given):
        low, high = _ends(*given)
        return Contract(low=low, high=high)
    return Contract(low=0, rest="whether the price suits the product")


@kind(
    "price",
    "a price with a usual ending that suits the product and the country",
    about="product",
    type=decimal(2),
    parameters=RANGE,
    contract=_range,
)
def price(context: KindContext) -> Column:
    import numpy as np

    from yurt.core.base import normal

    given = [context.given(name) for name in RANGE]
    unit = np.ones(context.rows)
    if any(given):
        low, high = (np.full(context.rows, float(end)) for end in _ends(*given))
        middle = (low + high) / 5
    else:
        levels = np.array([float(each["salary"]) / SALARY for each in context.facts])
        level, products = levels[context.locale()], context.pick("products")
        unit = np.array([_unit(each) for each in levels])[context.locale()] * unit
        low, high = (
            np.maximum(np.rint(products.numbers(end) * 100 * level / unit), 1) * unit for end in ("low", "high")
        )
        middle = np.sqrt(low * high)
    # Lognormal between the ends.
    middle = np.log(np.maximum(middle, 1))
    first, last = (normal.cumulative((np.log(np.maximum(end, 0.5)) - middle) / SPREAD) for end in (low, high))
    cents = np.exp(middle + SPREAD * normal.inverse(first + context.own_unit("price") * (last - first)))
    ends = np.array([ending for ending, _ in ENDINGS] + [-1])
    ending = ends[np.searchsorted([share / 100 for _, share in ENDINGS], context.own_unit("ending"), side="right")]
    usual = np.floor(cents / 100) * 100 + ending
    fits = (ending >= 0) & (usual >= low) & (usual <= high) & (unit == 1)
    return context.whole(np.clip(np.where(fits, usual, np.rint(cents / unit) * unit), low, high), decimal(2))
