"""Allowed days, and the nearest days that are not allowed."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.base.arrays import Values
from yurt.core.base.data_classes import replace
from yurt.core.sampling import almanac

# The number of days that are searched for one that is not allowed: more than a year.
FAR = 400


def unit_of(head: model.Ranged) -> int:
    """Return the number of units per day of a head."""
    return 86_400_000_000 if isinstance(head, model.DateTime) else 1


def nearest_allowed(values: Values, days: model.Days, head: model.Ranged, later: bool) -> NDArray[np.int64]:
    """Move values to the next or previous allowed day at the same time of day; allowed days stay."""
    table = almanac.counted(days)
    day, clock = np.divmod(np.asarray(values, dtype=np.int64), unit_of(head))
    rank = table.before(day) if later else table.before(day + 1) - 1
    found: NDArray[np.int64] = table.day_at(rank) * unit_of(head) + clock
    return found


def holiday(days: model.Days, head: model.Ranged, low: int, high: int) -> int | None:
    """Return the first value, a whole number of days above the minimum, on a public holiday that is not a weekend."""
    workdays = replace(days, closed=())
    return not_allowed(days, head, low, high, among=workdays) if days.closed else None


def not_allowed(
    days: model.Days, head: model.Ranged, low: int, high: int, among: model.Days | None = None
) -> int | None:  # fmt: skip
    """Return the first value, a whole number of days above the minimum, on a day that is not allowed.

    It is on one of the days `among`, if they are given.
    """
    table = almanac.counted(days)
    values = low + np.arange(FAR) * unit_of(head)
    day = values // unit_of(head)
    wrong = (table.before(day + 1) == table.before(day)) & (values <= high)
    if among is not None:
        wider = almanac.counted(among)
        wrong &= wider.before(day + 1) > wider.before(day)
    return int(values[np.argmax(wrong)]) if wrong.any() else None
