"""Ranges with round ends: they contain every value, and tell no single one."""

from __future__ import annotations

from datetime import date, timedelta

import numpy as np

from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import DATE, DATETIME, INTEGER, TIME, Type
from yurt.core.drafting.quoting import DAY, EPOCH, MINUTE
from yurt.core.drafting.samples.column import Numbers

# A range of at most this number of steps keeps its ends; a longer one is widened by at most this share at each end.
EXACT, SHARE = 20, 0.05
HOUR = 60 * MINUTE
# The steps that date-times and times can have, in microseconds.
CLOCK_STEPS = (DAY, 12 * HOUR, 6 * HOUR, HOUR, 30 * MINUTE, 15 * MINUTE, 10 * MINUTE, 5 * MINUTE, MINUTE, 1_000_000)
# Values further than this many times the spread of the others from them are outliers, up to a share of all.
FAR, FEW = 8, 0.005


@dataclass(frozen=True)
class Ends:
    """A range in units of its type, and the values outside it that were left out of it, below and above."""

    low: int
    high: int
    step: int
    below: int = 0
    above: int = 0

    @property
    def positions(self) -> int:
        """The number of values on the grid."""
        return (self.high - self.low) // self.step + 1


def ends_of(values: Numbers, kind: Type, least: int) -> Ends:
    """Return the range of some values with round ends, its step, and the number of outliers on each side.

    An end that at least `least` rows have stays as it is.
    """
    inside, below, above = without_outliers(values)
    low, high = int(inside.min()), int(inside.max())
    step = 1 if kind == DATE else _step(inside, kind)
    if kind == DATE:
        first, last = _days(low, high)
    elif kind in (DATETIME, TIME):
        first, last = _clock(low, high, kind, step)
    else:
        first, last = numbers(low, high, step)
    first = low if (inside == low).sum() >= least else first
    last = high if (inside == high).sum() >= least else last
    if kind == INTEGER or kind.places:
        first = first if first < low or (inside == low).sum() >= least else _beside(low, step, -1)
        last = last if last > high or (inside == high).sum() >= least else _beside(high, step, 1)
    if (low - first) % step:
        # Steps are counted from the minimum.
        first = low - -(-(low - first) // step) * step
    return Ends(first, last, step, below, above)


def _beside(end: int, step: int, way: int) -> int:
    """Return a multiple of 5 beyond an end of three or more digits that is the value of few rows."""
    size = 5 * step
    if abs(end) < 100 or end % size == 0:
        return end
    return end // size * size if way < 0 else -(-end // size) * size


def without_outliers(values: Numbers) -> tuple[Numbers, int, int]:
    """Return values without those that are far from all others, and how many there were below and above.

    Far is what is more than 8 times the distance of the middle 99% away from them.
    """
    if len(values) < 200:
        return values, 0, 0
    low, high = np.quantile(values, (FEW, 1 - FEW))
    reach = FAR * max(float(high - low), 1.0)
    below, above = values < low - reach, values > high + reach
    if not (below.any() or above.any()) or (below | above).mean() > FEW:
        return values, 0, 0
    return values[~(below | above)], int(below.sum()), int(above.sum())


def _step(values: Numbers, kind: Type) -> int:
    """Return the distance that all values are multiples of, counted from the lowest."""
    if kind in (DATETIME, TIME):
        return next((each for each in CLOCK_STEPS if not (values % each).any()), 1)
    distance = int(np.gcd.reduce(values - values.min())) if len(values) > 1 else 1
    distance = max(distance, 1)
    different = len(np.unique(values[:2000]))
    if different < 4 or distance == 1:
        return 1
    return distance


def numbers(low: int, high: int, step: int) -> tuple[int, int]:
    """Return round ends around two numbers: multiples of 1 or 5 times a power of ten, and of the step."""
    span = high - low
    unit = step
    if span // step > EXACT:
        unit, size = step, 1
        while size <= span * SHARE:
            for each in (size, 5 * size):
                if each <= span * SHARE and each % step == 0:
                    unit = each
            size *= 10
    first, last = low // unit * unit, -(-high // unit) * unit
    # Numbers from 1 do not get a 0, and numbers from 0 nothing below it.
    if low > 0 >= first:
        first = min(low, step)
    return first, last


def _days(low: int, high: int) -> tuple[int, int]:
    """Return round days around two others: of years, months, or weeks, whichever adds little."""
    span = high - low
    if span <= EXACT:
        return low, high
    return _first_day(EPOCH + timedelta(low), span * SHARE), _last_day(EPOCH + timedelta(high), span * SHARE)


def _first_day(day: date, most: float) -> int:
    for round_day in (day.replace(month=1, day=1), day.replace(day=1)):
        if (day - round_day).days <= most:
            return (round_day - EPOCH).days
    return (day - EPOCH).days - day.weekday()


def _last_day(day: date, most: float) -> int:
    for round_day in (day.replace(month=12, day=31), _month_end(day)):
        if (round_day - day).days <= most:
            return (round_day - EPOCH).days
    return (day - EPOCH).days + 6 - day.weekday()


def _month_end(day: date) -> date:
    return (day.replace(day=28) + timedelta(4)).replace(day=1) - timedelta(1)


def _clock(low: int, high: int, kind: Type, step: int) -> tuple[int, int]:
    span = high - low
    if kind == DATETIME and span > 40 * DAY:
        first, last = _days(low // DAY, high // DAY)
        return first * DAY, last * DAY + (DAY - step)
    unit = next((each for each in CLOCK_STEPS if each <= span * SHARE and each % step == 0), step)
    first, last = low // unit * unit, -(-high // unit) * unit
    if kind == TIME:
        last = min(last, DAY - step)
    return first, last


def round_start(start: int) -> bool:
    """Return whether the start of a sequence is round, or one more, and so tells nothing: 0, 1, 100, 10001."""
    return start <= 1 or set(str(start)[1:]) <= {"0"} or set(str(start - 1)[1:]) <= {"0"}


def scaled(value: int, kind: Type) -> float:
    """Return a whole number in units of a type as a number."""
    return float(value) if kind == INTEGER else value / 10**kind.places
