"""Weekdays and months over the calendar: which days are allowed or favoured, and their number between two days.

The Gregorian calendar repeats after 400 years, including weekdays: 146,097 days. So one table of that many days is
enough for all years.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.arrays import Values
from yurt.core.base.public_holidays import CYCLE, public_holidays
from yurt.core.model import Days

# 1970-01-01 was a Thursday, the fourth day of its week.
FIRST_WEEKDAY = 3
CYCLE_MONTHS = 400 * 12


@lru_cache(maxsize=64)
def sums(
    weekdays: tuple[float, ...], months: tuple[float, ...], closed: tuple[str, ...] = ()
) -> NDArray[np.float64]:  # fmt: skip
    """Return the cumulative weight before each day of a cycle: 146,098 numbers, the last is that of the cycle.

    The public holidays of the countries in `closed` have no weight.
    """
    of_week = np.roll(weekdays, -FIRST_WEEKDAY)[np.arange(CYCLE) % 7]
    weights = of_week * np.array(months)[_months()]
    for country in closed:
        weights[np.array(public_holidays(country), dtype=np.int64)] = 0
    return np.concatenate((np.zeros(1, dtype=weights.dtype), np.cumsum(weights)))


@lru_cache(maxsize=1)
def _months() -> NDArray[np.int64]:
    """Return the month of each day of a cycle, 0 to 11."""
    first_days = np.arange(CYCLE_MONTHS + 1).astype("datetime64[M]").astype("datetime64[D]").astype(np.int64)
    return np.repeat(np.arange(CYCLE_MONTHS) % 12, np.diff(first_days))


def before(table: Values, day: Values) -> Values:
    """Return the cumulative weight from 1970 to before a day (negative for days before 1970)."""
    return day // CYCLE * table[-1] + table[day % CYCLE]


def day_at(table: Values, weight: Values) -> Values:
    """Return the day at which the cumulative weight exceeds `weight`."""
    cycles = np.floor_divide(weight, table[-1])
    inside = np.searchsorted(table[1:], weight - cycles * table[-1], side="right")
    return cycles.astype(np.int64) * CYCLE + np.minimum(inside, CYCLE - 1)


def counted(days: Days) -> NDArray[np.int64]:
    """Return the table in which each allowed day counts 1."""
    return sums(tuple(map(int, days.weekdays)), tuple(map(int, days.months)), days.closed).astype(np.int64)
