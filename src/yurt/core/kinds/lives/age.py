"""The birthday and the age of a person: drawn, or fixed by a field of the record."""

from __future__ import annotations

from datetime import date
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext
    from yurt.core.kinds.picks import Codes
    from yurt.core.sampling.streams import Unit

DAY_ZERO = date(1970, 1, 1).toordinal()
OLDEST = 120
# The ages of persons if the record has no request.
USUAL = {"youngest": 18, "oldest": 90}


def born(context: KindContext) -> Codes:
    """Return the birthday, in days since 1970."""
    ages = [context.asked_number(name, usual) for name, usual in USUAL.items()]
    today = context.today_date
    last = _years_before(today, ages[0])
    first = _years_before(today, ages[1] + 1) + 1
    # Old people are fewer: the share of an age falls slowly over the whole range.
    u = context.unit("born")
    back = np.floor((1 - np.sqrt(1 - u * 0.96)) / 0.8 * (last - first + 1)).astype(np.int64)
    found = last - back.clip(0, last - first)
    if (fixed := context.fixed_numbers("age")) is not None:
        values, known = fixed
        found = np.where(known, _of_age(today, values.clip(0, OLDEST), u), found)
    if (fixed := context.fixed_numbers("birth-date")) is not None:
        values, known = fixed
        found = np.where(known, values.clip(_years_before(today, OLDEST), today.toordinal() - DAY_ZERO), found)
    return found


def year_of_birth(context: KindContext) -> Codes:
    """Return the year of birth."""
    return context.born().astype("datetime64[D]").astype("datetime64[Y]").astype(np.int64) + 1970


def age(context: KindContext) -> Codes:
    """Return the age in whole years on the day of the run (`today`)."""
    days = context.born().astype("datetime64[D]")
    today = context.today_date
    year = days.astype("datetime64[Y]").astype(np.int64) + 1970
    month = days.astype("datetime64[M]").astype(np.int64) % 12 + 1
    day = (days - days.astype("datetime64[M]").astype("datetime64[D]")).astype(np.int64) + 1
    before = month * 100 + day > today.month * 100 + today.day
    found: Codes = today.year - year - before
    return found


def _of_age(today: date, ages: Codes, u: Unit) -> Codes:
    """Return a birthday for each age: any day in the year that ends on the anniversary of today."""
    first = np.array([_years_before(today, each) for each in range(OLDEST + 2)])
    found: Codes = first[ages] - np.floor(u * (first[ages] - first[ages + 1])).astype(np.int64)
    return found


def _years_before(day: date, years: int) -> int:
    year = max(day.year - years, 1)
    last = 28 if (day.month, day.day) == (2, 29) else day.day
    return date(year, day.month, last).toordinal() - DAY_ZERO
