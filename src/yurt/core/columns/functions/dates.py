"""Functions of dates, date-times and durations."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from yurt.core.base import exact
from yurt.core.base.arrays import Values
from yurt.core.base.types import DATE, DATETIME, INTEGER, TIME
from yurt.core.columns.column import Column
from yurt.core.columns.faults import OUT_OF_YEARS, refuse
from yurt.core.columns.functions.registry import function, nulls_of

if TYPE_CHECKING:
    from yurt.core.columns.scope import Scope

DAY = 86_400_000_000
MOST_WORKING_DAYS = 1_000_000
# 0001-01-01 and 9999-12-31, in days since 1970.
FIRST_DAY, LAST_DAY = -719_162, 2_932_896


def _microseconds(column: Column) -> Values:
    return exact.scaled(column.values, DAY) if column.type.name == "days" else column.values


@function("duration", "integer", "whole seconds of a duration", "seconds(2min)")
def seconds(columns: list[Column], _scope: Scope) -> Column:
    return Column(INTEGER, _microseconds(columns[0]) // 1_000_000, columns[0].nulls)


@function("date", "integer", "the hour of a date and time, 0 to 23", "hour(2026-06-15T08:30)")
def hour(columns: list[Column], _scope: Scope) -> Column:
    values = columns[0].values // 3_600_000_000 % 24 if columns[0].type.name == "datetime" else columns[0].values * 0
    return Column(INTEGER, values, columns[0].nulls)


@function("date", "date", "the Monday of the week", "week_start(2026-06-18)")
def week_start(columns: list[Column], _scope: Scope) -> Column:
    days_since = _day_number(columns[0])
    return Column(DATE, days_since - (days_since + 3) % 7, columns[0].nulls)


def _new_year(column: Column, later: int) -> Values:
    year = np.asarray(_day_number(column)).astype("datetime64[D]").astype("datetime64[Y]")
    return (year + np.timedelta64(later, "Y")).astype("datetime64[D]").astype(np.int64)


@function("date", "date", "the first day of the year", "year_start(2026-06-15)")
def year_start(columns: list[Column], _scope: Scope) -> Column:
    return Column(DATE, _new_year(columns[0], 0), columns[0].nulls)


@function("date", "date", "the last day of the year", "year_end(2026-06-15)")
def year_end(columns: list[Column], _scope: Scope) -> Column:
    return Column(DATE, _new_year(columns[0], 1) - 1, columns[0].nulls)


@function("date integer", "date", "a number of days from Monday to Friday later", "add_working_days(2026-06-19, 1)")
def add_working_days(columns: list[Column], scope: Scope) -> Column:
    """A weekend day counts as the Friday before it, or as the Monday after it when counting back."""
    days_since = np.asarray(_day_number(columns[0])).astype("datetime64[D]")
    steps, nulls = columns[1].values, nulls_of(columns)
    refuse(scope.rows, np.abs(steps) > MOST_WORKING_DAYS, "more than 1,000,000 working days", nulls)
    steps = exact.settled(np.clip(steps, -MOST_WORKING_DAYS, MOST_WORKING_DAYS))
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


@function("duration", "integer", "whole days of a duration", "days(2026-06-15 - 2026-06-01)")
def days(columns: list[Column], _scope: Scope) -> Column:
    values = columns[0].values if columns[0].type.name == "days" else columns[0].values // DAY
    return Column(INTEGER, values, columns[0].nulls)


@function("duration", "integer", "whole hours of a duration", "hours(90min)")
def hours(columns: list[Column], _scope: Scope) -> Column:
    return Column(INTEGER, _microseconds(columns[0]) // 3_600_000_000, columns[0].nulls)


@function("duration", "integer", "whole minutes of a duration", "minutes(2h)")
def minutes(columns: list[Column], _scope: Scope) -> Column:
    return Column(INTEGER, _microseconds(columns[0]) // 60_000_000, columns[0].nulls)


def _day_number(column: Column) -> Values:
    return column.values // DAY if column.type.name == "datetime" else column.values


def _calendar(column: Column) -> tuple[Values, Values, Values]:
    """Return year, month and day of the month."""
    date_times = np.asarray(_day_number(column)).astype("datetime64[D]")
    month_start = date_times.astype("datetime64[M]")
    months = month_start.astype(np.int64)
    return 1970 + months // 12, months % 12 + 1, (date_times - month_start.astype("datetime64[D]")).astype(np.int64) + 1


@function("date", "date", "the day of a date and time", "date(2026-06-15T08:30)")
def date_(columns: list[Column], _scope: Scope) -> Column:
    return Column(DATE, _day_number(columns[0]), columns[0].nulls)


@function("date", "integer", "the year of a date", "year(2026-06-15)")
def year(columns: list[Column], _scope: Scope) -> Column:
    return Column(INTEGER, _calendar(columns[0])[0], columns[0].nulls)


@function("date", "integer", "the month of a date, 1 to 12", "month(2026-06-15)")
def month(columns: list[Column], _scope: Scope) -> Column:
    return Column(INTEGER, _calendar(columns[0])[1], columns[0].nulls)


@function("date", "integer", "the day of the month, 1 to 31", "day(2026-06-15)")
def day(columns: list[Column], _scope: Scope) -> Column:
    return Column(INTEGER, _calendar(columns[0])[2], columns[0].nulls)


@function("date", "integer", "the weekday of a date, 1 (Monday) to 7 (ISO 8601)", "weekday(2026-06-15)")
def weekday(columns: list[Column], _scope: Scope) -> Column:
    """1970-01-01 was a Thursday."""
    return Column(INTEGER, (_day_number(columns[0]) + 3) % 7 + 1, columns[0].nulls)


@function("date", "integer", "the quarter of the year, 1 to 4", "quarter(2026-06-15)")
def quarter(columns: list[Column], _scope: Scope) -> Column:
    return Column(INTEGER, (_calendar(columns[0])[1] + 2) // 3, columns[0].nulls)


@function("date", "integer", "the week of the year, 1 to 53 (ISO 8601)", "iso_week(2026-06-15)")
def iso_week(columns: list[Column], _scope: Scope) -> Column:
    """The week of a day belongs to the year of its Thursday (ISO 8601)."""
    days_since = _day_number(columns[0])
    thursday = days_since - (days_since + 3) % 7 + 3
    first = np.asarray(thursday).astype("datetime64[D]").astype("datetime64[Y]").astype("datetime64[D]")
    return Column(INTEGER, (thursday - first.astype(np.int64)) // 7 + 1, columns[0].nulls)


@function("date", "date", "the first day of the month", "month_start(2026-06-15)")
def month_start(columns: list[Column], _scope: Scope) -> Column:
    return Column(DATE, _day_number(columns[0]) - _calendar(columns[0])[2] + 1, columns[0].nulls)


@function("date", "date", "the last day of the month", "month_end(2026-02-15)")
def month_end(columns: list[Column], _scope: Scope) -> Column:
    month = np.asarray(_day_number(columns[0])).astype("datetime64[D]").astype("datetime64[M]")
    following = (month + np.timedelta64(1, "M")).astype("datetime64[D]").astype(np.int64)
    return Column(DATE, following - 1, columns[0].nulls)


@function(
    "date date",
    "integer",
    "days from Monday to Friday, from the first date to before the second",
    "working_days(2026-06-15, 2026-06-22)",
)
def working_days(columns: list[Column], _scope: Scope) -> Column:
    first, last = (np.asarray(_day_number(each)).astype("datetime64[D]") for each in columns)
    return Column(INTEGER, np.busday_count(first, last).astype(np.int64), nulls_of(columns))


@function("date", "time", "the time of day of a date and time", "time(2026-06-15T08:30)")
def time_(columns: list[Column], _scope: Scope) -> Column:
    values = columns[0].values % DAY if columns[0].type.name == "datetime" else columns[0].values * 0
    return Column(TIME, values, columns[0].nulls)


@function("date time", "datetime", "a day and a time of day together", "at(2026-06-15, 08:30)")
def at(columns: list[Column], _scope: Scope) -> Column:
    return Column(DATETIME, _day_number(columns[0]) * DAY + columns[1].values, nulls_of(columns))


@function(
    "date date", "integer", "full years from a date to another one, or to today", "age(2000-06-15, 2026-06-14)", least=1
)
def age(columns: list[Column], scope: Scope) -> Column:
    born, until = columns[0], columns[1] if len(columns) > 1 else scope.named("today")
    (year_1, month_1, day_1), (year_2, month_2, day_2) = _calendar(born), _calendar(until)
    before = (month_2 < month_1) | ((month_2 == month_1) & (day_2 < day_1))
    return Column(INTEGER, year_2 - year_1 - before, nulls_of([born, until]))
