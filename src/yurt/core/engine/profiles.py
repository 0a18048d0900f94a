"""Days of a range by the calendar: allowed days, and the shares of months, weekdays, and hours."""

from __future__ import annotations

from functools import lru_cache
from operator import and_

import numpy as np

from yurt.core import model
from yurt.core.base.arrays import Values
from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import DATE, DATETIME
from yurt.core.columns.faults import refuse
from yurt.core.engine.grid import DAY, HOUR, Grid, Places, tried
from yurt.core.engine.scope import BatchScope
from yurt.core.sampling import almanac
from yurt.core.sampling.streams import Unit


def on_days(u: Unit, grid: Grid, days: model.Days | None, batch: BatchScope) -> Values:
    """Draw from the allowed days, with equal chances; `grid` is one of dates or of date-times."""
    if grid.kind != DATE or days is None:
        return by_profile("", model.Profile(), days or model.Days(), grid, u, batch)
    first, count = ranks(grid, days, batch)
    return nth_day(first + (u * count).astype(np.int64), days) - grid.low


def ranks(grid: Grid, days: model.Days, batch: BatchScope) -> tuple[Values, Values]:
    """Return the number of the first allowed day of each row's range, and the number of allowed days."""
    table = almanac.counted(days)
    first = table.before(np.asarray(grid.low))
    count = table.before(np.asarray(grid.low + grid.n)) - first
    refuse(batch.rows, count < 1, "none of the allowed days is within its range")
    return first, np.maximum(count, 1)


def nth_day(rank: Values, days: model.Days) -> Values:
    """Return the allowed day with a number."""
    return almanac.counted(days).day_at(rank)


def by_profile(
    field: str, profile: model.Profile, days: model.Days, grid: Grid, u: Unit, batch: BatchScope
) -> Values:  # fmt: skip
    """Choose a month and a weekday by their shares, then one of their days, and a time of day by the hours.

    Months and weekdays without a day in the range have no share. A number decides both: what is left of it, after the
    choice, draws the day.
    """
    sorts = _sorts(profile, days)
    if len(sorts) * len(sorts[0]) == 1:
        return _by_days(field, profile, days, grid, u, batch)
    if np.ndim(grid.low) == np.ndim(grid.n) == 0:
        return _same_for_all(profile, days, grid, u, batch)
    unit = DAY if grid.kind == DATETIME else 1
    first, last = grid.low // unit, (grid.low + grid.step * (grid.n - 1)) // unit
    place = np.zeros(len(u), dtype=np.int64)
    there = np.array([[_any_day(each.days, first, last) for each in weekdays] for weekdays in sorts])
    shares = np.array([[each.share for each in weekdays] for weekdays in sorts])
    weights = shares.reshape(shares.shape + (1,) * (there.ndim - 2)) * there
    by_month = np.array([weekdays[0].of_month for weekdays in sorts]).reshape((-1,) + (1,) * (there.ndim - 2))
    months = by_month * (weights.sum(axis=1) > 0)
    refuse(batch.rows, months.sum(axis=0) <= 0, "none of the allowed days is within its range")
    month, rest = _chosen(months, u)
    row = np.arange(len(u)) if there.ndim > 2 else np.zeros(len(u), dtype=np.int64)
    columns = np.moveaxis(weights.reshape(*weights.shape[:2], -1), 1, 0)[:, month, row]
    weekday, rest = _chosen(columns, rest)
    wanted = month * len(sorts[0]) + weekday
    for at, one in enumerate(each for weekdays in sorts for each in weekdays):
        places = np.flatnonzero(wanted == at)
        if len(places):
            inside = model.Profile(hours=profile.hours)
            some = batch.select(places)
            place[places] = _by_days(field, inside, one.days, grid.take(places), rest[places], some)
    return place


def _same_for_all(profile: model.Profile, days: model.Days, grid: Grid, u: Unit, batch: BatchScope) -> Values:
    """Draw from a range that is the same for all rows; a larger number never gives an earlier day."""
    timed = grid.kind == DATETIME
    table = _tabulated(profile, days, timed, int(grid.low), int(grid.low + grid.step * (grid.n - 1)), grid.step)
    refuse(batch.rows, not table.ends[-1] > 0, "none of the allowed days is within its range")
    aim = u * table.ends[-1]
    at = np.searchsorted(table.ends, aim, side="right")
    if not timed:
        return table.first + at - grid.low
    before = np.concatenate(([0.0], table.ends))
    share = (aim - before[at]) / (before[at + 1] - before[at])
    share = table.starts[at] + share * (table.stops[at] - table.starts[at])
    place = ((table.first + at) * DAY + _time_at(share, _ends_of_hours(profile)) - grid.low) // grid.step
    return np.clip(place, 0, grid.n - 1)


@dataclass(frozen=True)
class _Table:
    """The days of a range: the first one, the sums of the shares, and what part of each day is in the range."""

    first: int
    ends: Values
    starts: Values
    stops: Values


@lru_cache(maxsize=32)
def _tabulated(profile: model.Profile, days: model.Days, timed: bool, low: int, high: int, step: int) -> _Table:
    unit = DAY if timed else 1
    first, last = low // unit, high // unit
    every = np.arange(first, last + 1)
    starts, stops = np.zeros(len(every)), np.ones(len(every))
    if timed:
        hours = _ends_of_hours(profile)
        starts[0], stops[-1] = _share_at(low % DAY, hours), _share_at(min(high % DAY + step, DAY), hours)
    weights = np.zeros(len(every))
    for weekdays in _sorts(profile, days):
        inside = [(_there(each.days, every) * (stops - starts), each.share) for each in weekdays]
        total = sum(share for sizes, share in inside if sizes.sum() > 0)
        for sizes, share in inside:
            if sizes.sum() > 0 and total > 0:
                weights += weekdays[0].of_month * share / total * sizes / sizes.sum()
    return _Table(first, np.cumsum(weights), starts, stops)


def _there(days: model.Days, every: Values) -> Values:
    """Return 1 for each of some days that is allowed, else 0."""
    table = almanac.counted(days)
    return table.before(every + 1) - table.before(every) if not table.empty else np.zeros(len(every))


def _ends_of_hours(profile: model.Profile) -> Values:
    return np.concatenate(([0.0], np.cumsum(profile.hours) / np.sum(profile.hours)))


def _share_at(micros: int, hours: Values) -> float:
    """Return the share of a day before a time."""
    hour = min(micros // HOUR, 23)
    return float(hours[hour] + (hours[hour + 1] - hours[hour]) * (micros - hour * HOUR) / HOUR)


def _time_at(share: Values, hours: Values) -> Values:
    """Return the time of day, in microseconds, before which a share of the day lies."""
    share = np.clip(share, 0, 1 - 2.0**-53)
    hour = np.searchsorted(hours, share, side="right") - 1
    part = np.clip((share - hours[hour]) / (hours[hour + 1] - hours[hour]), 0, 1 - 2.0**-40)
    return hour * HOUR + (part * HOUR).astype(np.int64)


@dataclass(frozen=True)
class _Sort:
    """Days of a group of months and a group of weekdays, with the shares of both groups."""

    days: model.Days
    share: float
    of_month: float


def _sorts(profile: model.Profile, days: model.Days) -> list[list[_Sort]]:
    """Return the days of each group of months, by groups of weekdays; all days are one sort without groups."""
    return [
        [_Sort(model.Days(weekdays, months, days.closed), share, of_month) for weekdays, share in by_weekday]
        for by_weekday in [_groups(profile.weekdays, days.weekdays)]
        for months, of_month in _groups(profile.months, days.months)
    ]


def _groups(groups: tuple[model.Group, ...], allowed: tuple[bool, ...]) -> list[model.Group]:
    """Return what is allowed of each group; everything that is, without groups."""
    return [(tuple(map(and_, members, allowed)), share) for members, share in groups] or [(allowed, 1.0)]


def _any_day(days: model.Days, first: Values, last: Values) -> Values:
    """Return whether there is an allowed day between two."""
    table = almanac.counted(days)
    if table.empty:
        return np.zeros_like(first, dtype=np.bool_)
    return np.asarray(table.before(np.asarray(last) + 1) > table.before(np.asarray(first)))


def _chosen(weights: Values, u: Unit) -> tuple[Places, Unit]:
    """Choose a row of some weights, which may differ by column; return it, and the rest of the number in (0, 1)."""
    ends = np.cumsum(weights.reshape(len(weights), -1), axis=0)
    aim = u * ends[-1]
    at = np.minimum((ends <= aim).sum(axis=0), len(weights) - 1)
    column = np.arange(len(u)) if ends.shape[1] > 1 else np.zeros(len(u), dtype=np.int64)
    size = weights.reshape(len(weights), -1)[at, column]
    rest = (aim - (ends[at, column] - size)) / np.where(size > 0, size, 1)
    return at, np.clip(rest, 1e-16, 1 - 2.0**-53)


def _by_days(
    field: str, profile: model.Profile, days: model.Days, grid: Grid, u: Unit, batch: BatchScope
) -> Values:  # fmt: skip
    """Draw a day by the weights of its weekday and month, and a time of day by those of the hours."""
    weekdays = tuple(weight * allowed for weight, allowed in zip(profile.favoured, days.weekdays, strict=True))
    table = almanac.weighted(weekdays, tuple(map(float, days.months)), days.closed)
    timed = grid.kind == DATETIME
    hours = _ends_of_hours(profile)

    def once(u: Unit, grid: Grid, batch: BatchScope) -> Values:
        first = grid.low // DAY if timed else grid.low
        last = (grid.low + grid.step * (grid.n - 1)) // DAY if timed else grid.low + grid.n - 1
        start = table.before(np.asarray(first))
        total = table.before(np.asarray(last) + 1) - start
        refuse(batch.rows, total <= 0, "none of the allowed days is within its range")
        aim = start + u * total
        day = table.day_at(aim)
        if not timed:
            return day - grid.low
        # The rest of the number within the day determines the hour, and the rest within the hour the time.
        begins = table.before(day)
        share = (aim - begins) / (table.before(day + 1) - begins)
        moment = day * DAY + _time_at(share, hours)
        return (moment - grid.low) // grid.step

    def fits(place: Values, grid: Grid) -> Values:
        value = grid.low + grid.step * place
        day = value // DAY if timed else value
        weight = table.before(day + 1) - table.before(day)
        good = (place >= 0) & (place < grid.n) & (weight > 0)
        return good & (np.array(profile.hours)[value % DAY // HOUR] > 0) if timed else good

    return tried(once, fits, field, grid, u, batch)
