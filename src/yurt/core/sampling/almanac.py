"""Weekdays and months over the calendar: which days are allowed or favoured, and their number between two days.

The Gregorian calendar repeats after 400 years, including weekdays: 146,097 days. So one table of that many days is
enough for all years; a shorter one, made in a fifth of the time, is enough for the years from 1970 to 2059.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.arrays import Values
from yurt.core.base.public_holidays import CYCLE, public_holidays
from yurt.core.model import Days

# 1970-01-01 was a Thursday, the fourth day of its week.
FIRST_WEEKDAY = 3
CYCLE_MONTHS = 400 * 12
# The days of the shorter table.
NEAR = 1 << 15


class Almanac:
    """The weight of each day: the cumulative weight before it, and the day at which that exceeds a number."""

    def __init__(self, table_of: Callable[[int], Values]) -> None:
        """`table_of` returns the cumulative weights before some days from 1970 on, and that of all of them."""
        self._table_of = table_of

    @cached_property
    def _near(self) -> Values:
        return self._table_of(NEAR)

    @cached_property
    def _whole(self) -> Values:
        return self._table_of(CYCLE)

    @property
    def empty(self) -> bool:
        """Return whether no day has a weight."""
        return not (self._near[-1] or self._whole[-1])

    def before(self, day: Values) -> Values:
        """Return the cumulative weight from 1970 to before a day (negative for days before 1970)."""
        if np.all((day >= 0) & (day <= NEAR)):
            return self._near[day]
        return day // CYCLE * self._whole[-1] + self._whole[day % CYCLE]

    def day_at(self, weight: Values) -> Values:
        """Return the day at which the cumulative weight exceeds `weight`."""
        if np.all((weight >= 0) & (weight < self._near[-1])):
            return np.searchsorted(self._near[1:], weight, side="right").astype(np.int64)
        cycles = np.floor_divide(weight, self._whole[-1])
        inside = np.searchsorted(self._whole[1:], weight - cycles * self._whole[-1], side="right")
        return cycles.astype(np.int64) * CYCLE + np.minimum(inside, CYCLE - 1)


@lru_cache(maxsize=64)
def weighted(weekdays: tuple[float, ...], months: tuple[float, ...], closed: tuple[str, ...] = ()) -> Almanac:
    """Return the days with the weights of their weekday and month.

    The public holidays of the countries in `closed` have no weight.
    """
    return Almanac(lambda count: _sums(weekdays, months, closed, count))


@lru_cache(maxsize=64)
def counted(days: Days) -> Almanac:
    """Return the days in which each allowed one has the weight 1, a whole number."""
    weights = tuple(map(int, days.weekdays)), tuple(map(int, days.months)), days.closed
    return Almanac(lambda count: _sums(*weights, count).astype(np.int64))


def _sums(
    weekdays: tuple[float, ...], months: tuple[float, ...], closed: tuple[str, ...], count: int
) -> NDArray[np.float64]:  # fmt: skip
    of_week = np.roll(weekdays, -FIRST_WEEKDAY)[np.arange(count) % 7]
    weights = of_week * np.array(months)[_months()[:count]]
    for country in closed:
        holidays = np.array(public_holidays(country), dtype=np.int64)
        weights[holidays[holidays < count]] = 0
    return np.concatenate((np.zeros(1, dtype=weights.dtype), np.cumsum(weights)))


@lru_cache(maxsize=1)
def _months() -> NDArray[np.int64]:
    """Return the month of each day of a cycle, 0 to 11."""
    first_days = np.arange(CYCLE_MONTHS + 1).astype("datetime64[M]").astype("datetime64[D]").astype(np.int64)
    return np.repeat(np.arange(CYCLE_MONTHS) % 12, np.diff(first_days))
