"""Functions of dates, moments and durations."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from yurt.core.base.types import DATE, DATETIME, INTEGER, TIME
from yurt.core.columns.column import Column
from yurt.core.columns.faults import OUT_OF_YEARS, refuse
from yurt.core.columns.functions.registry import kernel, nulls_of

if TYPE_CHECKING:
    from yurt.core.columns.scope import Scope

DAY = 86_400_000_000
MOST_WORKING_DAYS = 1_000_000
# 0001-01-01 and 9999-12-31, in days since 1970.
FIRST_DAY, LAST_DAY = -719_162, 2_932_896


def _microseconds(column: Column) -> Any:
    return column.values * DAY if column.type.name == "days" else column.values


@kernel
def seconds(columns: list[Column], _scope: Scope) -> Column:
    return Column(INTEGER, _microseconds(columns[0]) // 1_000_000, columns[0].nulls)


@kernel
def hour(columns: list[Column], _scope: Scope) -> Column:
    values = columns[0].values // 3_600_000_000 % 24 if columns[0].type.name == "datetime" else columns[0].values * 0
    return Column(INTEGER, values, columns[0].nulls)


@kernel
def week_start(columns: list[Column], _scope: Scope) -> Column:
    days_since = _day_number(columns[0])
    return Column(DATE, days_since - (days_since + 3) % 7, columns[0].nulls)


def _new_year(column: Column, later: int) -> Any:
    year = np.asarray(_day_number(column)).astype("datetime64[D]").astype("datetime64[Y]")
    return (year + np.timedelta64(later, "Y")).astype("datetime64[D]").astype(np.int64)


@kernel
def year_start(columns: list[Column], _scope: Scope) -> Column:
    return Column(DATE, _new_year(columns[0], 0), columns[0].nulls)


@kernel
def year_end(columns: list[Column], _scope: Scope) -> Column:
    return Column(DATE, _new_year(columns[0], 1) - 1, columns[0].nulls)


@kernel
def add_working_days(columns: list[Column], scope: Scope) -> Column:
    """A day of a weekend counts as the Friday before it, or the Monday after it when going back."""
    days_since = np.asarray(_day_number(columns[0])).astype("datetime64[D]")
    steps, nulls = columns[1].values, nulls_of(columns)
    refuse(scope.rows, np.abs(steps) > MOST_WORKING_DAYS, "more than 1,000,000 working days", nulls)
    steps = np.clip(steps, -MOST_WORKING_DAYS, MOST_WORKING_DAYS)
    ahead = np.busday_offset(days_since, np.maximum(steps, 0), roll="preceding")
    back = np.busday_offset(days_since, np.minimum(steps, 0), roll="following")
    found = np.where(steps == 0, days_since, np.where(steps > 0, ahead, back)).astype(np.int64)
    refuse(
        scope.rows,
        (found < FIRST_DAY) | (found > LAST_DAY),
        OUT_OF_YEARS,
        nulls,
        {"the date": columns[0], "the number of days": columns[1]},
    )
    return Column(DATE, found, nulls)


@kernel
def days(columns: list[Column], _scope: Scope) -> Column:
    values = columns[0].values if columns[0].type.name == "days" else columns[0].values // DAY
    return Column(INTEGER, values, columns[0].nulls)


@kernel
def hours(columns: list[Column], _scope: Scope) -> Column:
    return Column(INTEGER, _microseconds(columns[0]) // 3_600_000_000, columns[0].nulls)


@kernel
def minutes(columns: list[Column], _scope: Scope) -> Column:
    return Column(INTEGER, _microseconds(columns[0]) // 60_000_000, columns[0].nulls)


def _day_number(column: Column) -> Any:
    return column.values // DAY if column.type.name == "datetime" else column.values


def _calendar(column: Column) -> tuple[Any, Any, Any]:
    """Return year, month and day of the month."""
    moments = np.asarray(_day_number(column)).astype("datetime64[D]")
    month_start = moments.astype("datetime64[M]")
    months = month_start.astype(np.int64)
    return 1970 + months // 12, months % 12 + 1, (moments - month_start.astype("datetime64[D]")).astype(np.int64) + 1


@kernel
def date_(columns: list[Column], _scope: Scope) -> Column:
    return Column(DATE, _day_number(columns[0]), columns[0].nulls)


@kernel
def year(columns: list[Column], _scope: Scope) -> Column:
    return Column(INTEGER, _calendar(columns[0])[0], columns[0].nulls)


@kernel
def month(columns: list[Column], _scope: Scope) -> Column:
    return Column(INTEGER, _calendar(columns[0])[1], columns[0].nulls)


@kernel
def day(columns: list[Column], _scope: Scope) -> Column:
    return Column(INTEGER, _calendar(columns[0])[2], columns[0].nulls)


@kernel
def weekday(columns: list[Column], _scope: Scope) -> Column:
    """1970-01-01 was a Thursday."""
    return Column(INTEGER, (_day_number(columns[0]) + 3) % 7 + 1, columns[0].nulls)


@kernel
def quarter(columns: list[Column], _scope: Scope) -> Column:
    return Column(INTEGER, (_calendar(columns[0])[1] + 2) // 3, columns[0].nulls)


@kernel
def iso_week(columns: list[Column], _scope: Scope) -> Column:
    """The week of a day is counted in the year of its Thursday (ISO 8601)."""
    days_since = _day_number(columns[0])
    thursday = days_since - (days_since + 3) % 7 + 3
    first = np.asarray(thursday).astype("datetime64[D]").astype("datetime64[Y]").astype("datetime64[D]")
    return Column(INTEGER, (thursday - first.astype(np.int64)) // 7 + 1, columns[0].nulls)


@kernel
def month_start(columns: list[Column], _scope: Scope) -> Column:
    return Column(DATE, _day_number(columns[0]) - _calendar(columns[0])[2] + 1, columns[0].nulls)


@kernel
def month_end(columns: list[Column], _scope: Scope) -> Column:
    month = np.asarray(_day_number(columns[0])).astype("datetime64[D]").astype("datetime64[M]")
    following = (month + np.timedelta64(1, "M")).astype("datetime64[D]").astype(np.int64)
    return Column(DATE, following - 1, columns[0].nulls)


@kernel
def working_days(columns: list[Column], _scope: Scope) -> Column:
    first, last = (np.asarray(_day_number(each)).astype("datetime64[D]") for each in columns)
    return Column(INTEGER, np.busday_count(first, last).astype(np.int64), nulls_of(columns))


@kernel
def time_(columns: list[Column], _scope: Scope) -> Column:
    values = columns[0].values % DAY if columns[0].type.name == "datetime" else columns[0].values * 0
    return Column(TIME, values, columns[0].nulls)


@kernel
def at(columns: list[Column], _scope: Scope) -> Column:
    return Column(DATETIME, _day_number(columns[0]) * DAY + columns[1].values, nulls_of(columns))


@kernel
def age(columns: list[Column], scope: Scope) -> Column:
    born, until = columns[0], columns[1] if len(columns) > 1 else scope.named("today")
    (year_1, month_1, day_1), (year_2, month_2, day_2) = _calendar(born), _calendar(until)
    before = (month_2 < month_1) | ((month_2 == month_1) & (day_2 < day_1))
    return Column(INTEGER, year_2 - year_1 - before, nulls_of([born, until]))
