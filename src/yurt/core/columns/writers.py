"""Writes columns in the form of `as`, and date-times with their zone."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta, timezone
from functools import lru_cache
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base import exact
from yurt.core.base.arrays import arrow, fixed_strings, joined, nothing, strings, word
from yurt.core.base.types import INTEGER, REAL, decimal
from yurt.core.columns.column import Column, cast, coded
from yurt.core.text import forms
from yurt.core.text.display import calendar_like, number_like, words_like

DAY = 86_400_000_000
WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
MONTHS = ("January", "February", "March", "April", "May", "June", "July", "August", "September", "October",
          "November", "December")  # fmt: skip


def written(column: Column, pattern: str, rows: int) -> pa.Array:
    """Return the values as texts in the form of a pattern that fits their type; missing ones stay missing."""
    column = column.spread(rows)
    if column.type.numeric:
        found = _number(column, pattern, rows)
    elif column.type.name == "boolean":
        yes, no = words_like(pattern)
        found = coded((~np.asarray(column.values)).astype(np.int64), strings([yes, no])).text(rows)
    else:
        found = _calendar(column, pattern)
    return _with_nulls(found, column)


def _with_nulls(texts: pa.Array, column: Column) -> pa.Array:
    if column.nulls is None or not column.nulls.any():
        return texts
    return pc.if_else(arrow(column.nulls), nothing(pa.string()), texts)


def _number(column: Column, pattern: str, rows: int) -> pa.Array:
    """Write numbers in the form of the example; halves are rounded away from zero."""
    like = number_like(pattern)
    shift = 2 if like.percent else 0
    if column.type == REAL:
        scaled = column.values * 10.0 ** (like.places + shift)
        units = exact.from_real(np.sign(scaled) * np.floor(np.abs(scaled) + 0.5))
    elif column.type.places > like.places + shift:
        factor = 10 ** (column.type.places - like.places - shift)
        units = exact.rounded(column.values, factor)
    else:
        units = cast(column, decimal(like.places + shift)).values if like.places + shift else column.values
    whole, rest = exact.divided(np.abs(units), 10**like.places)
    digits = pc.utf8_lpad(Column(INTEGER, whole).text(rows), like.width, "0")
    if like.group:
        # Every three digits from the right get a mark: the text is reversed, marked, and reversed again.
        turned = pc.replace_substring_regex(pc.utf8_reverse(digits), pattern=r"(\d{3})", replacement=r"\1,")
        digits = pc.utf8_reverse(pc.utf8_rtrim(turned, ","))
        digits = pc.replace_substring(digits, pattern=",", replacement=like.group)
    parts: list[Any] = [pc.if_else(arrow(units < 0), word("-"), word("")), like.before, digits]
    if like.places:
        parts += [like.point, pc.utf8_lpad(Column(INTEGER, rest).text(rows), like.places, "0")]
    return joined(*parts, like.after)


def _calendar(column: Column, pattern: str) -> pa.Array:
    """Write dates, date-times, and times, one conversion at a time."""
    values = np.asarray(column.values)
    days, micros = (values, np.zeros_like(values)) if column.type.name == "date" else np.divmod(values, DAY)
    parts = [
        _conversion(part[1], days, micros) if part[0] == "%" else word(part)
        for part in calendar_like(pattern, column.type)
    ]
    return joined(*parts, "") if any(isinstance(each, pa.Array) for each in parts) else joined(*parts)


def _conversion(letter: str, days: NDArray[np.int64], micros: NDArray[np.int64]) -> Any:
    """Return one component of the date or time as texts."""
    seconds = micros // 1_000_000
    hour = seconds // 3600
    match letter:
        case "%":
            return word("%")
        case "H":
            return _padded(hour, 2)
        case "I":
            return _padded((hour + 11) % 12 + 1, 2)
        case "M":
            return _padded(seconds // 60 % 60, 2)
        case "S":
            return _padded(seconds % 60, 2)
        case "f":
            return _padded(micros % 1_000_000, 6)
        case "p":
            return _picked(hour // 12, ("AM", "PM"))
    weekday = (days + 3) % 7
    date = days.astype("datetime64[D]")
    month = date.astype("datetime64[M]")
    year = date.astype("datetime64[Y]")
    match letter:
        case "Y":
            return _padded(year.astype(np.int64) + 1970, 4)
        case "y":
            return _padded((year.astype(np.int64) + 1970) % 100, 2)
        case "m":
            return _padded(month.astype(np.int64) % 12 + 1, 2)
        case "d":
            return _padded((date - month.astype("datetime64[D]")).astype(np.int64) + 1, 2)
        case "j":
            return _padded((date - year.astype("datetime64[D]")).astype(np.int64) + 1, 3)
        case "a" | "A":
            return _picked(weekday, WEEKDAYS if letter == "A" else tuple(each[:3] for each in WEEKDAYS))
        case "b" | "B":
            names = MONTHS if letter == "B" else tuple(each[:3] for each in MONTHS)
            return _picked(month.astype(np.int64) % 12, names)
        case "u":
            return _padded(weekday + 1, 1)
        case _:
            thursday = days - weekday + 3
            first = thursday.astype("datetime64[D]").astype("datetime64[Y]").astype("datetime64[D]").astype(np.int64)
            return _padded((thursday - first) // 7 + 1, 2)


def _padded(values: NDArray[np.int64], width: int) -> pa.Array:
    cells = np.empty((len(values), width), dtype=np.uint8)
    for place in range(width - 1, -1, -1):
        values, digit = np.divmod(values, 10)
        cells[:, place] = digit + ord("0")
    return fixed_strings(cells)


def _picked(codes: NDArray[np.int64], words: tuple[str, ...]) -> pa.Array:
    return coded(codes, strings(words)).text(len(codes))


# ---- zones -----------------------------------------------------------------------------------------------------------

# The years in which zones are looked at, without the last; later ones are as the last.
ZONES_FROM, ZONES_TO = 1900, 2100


def with_zone(column: Column, zone: str, rows: int) -> pa.Array:
    """Return date-times in ISO 8601 with the offset of the zone at that time."""
    column = column.spread(rows)
    date_times = np.asarray(column.values)
    if zone == "utc" or zone[0] in "+-":
        sign = "Z" if zone == "utc" else zone
        return _with_nulls(joined(forms.text_of(Column(column.type, date_times).arrow(rows)), sign), column)
    starts, offsets = _offsets(zone, *_years(date_times))
    at = np.searchsorted(starts, date_times, side="right") - 1
    texts = forms.text_of(Column(column.type, date_times).arrow(rows))
    return _with_nulls(joined(texts, coded(at, strings(offsets)).text(rows)), column)


def skipped(date_times: NDArray[np.int64], zone: str) -> NDArray[np.bool_]:
    """Return where a date-time does not exist in a zone, because its clock was put forward over it."""
    if zone == "utc" or zone[0] in "+-":
        return np.zeros(len(date_times), dtype=np.bool_)
    found = np.zeros(len(date_times), dtype=np.bool_)
    for start, end in _gaps(zone, *_years(date_times)):
        found |= (date_times >= start) & (date_times < end)
    return found


def _years(date_times: NDArray[np.int64]) -> tuple[int, int]:
    """Return the years of some date-times, with one more on each side, within those that zones are looked at for."""
    if not len(date_times):
        return ZONES_FROM, ZONES_FROM
    first, last = (int(each.astype("datetime64[us]").astype("datetime64[Y]").astype(np.int64)) + 1970
                   for each in (date_times.min(), date_times.max()))  # fmt: skip
    return max(min(first - 1, ZONES_TO - 1), ZONES_FROM), min(max(last + 1, ZONES_FROM), ZONES_TO - 1)


@lru_cache(maxsize=4096)
def _changes(zone: str, year: int) -> list[tuple[datetime, timedelta, timedelta]]:
    """Return when the offset of a zone changes in a year (UTC), with the offsets before and after.

    Offsets are compared at both ends of each week, counted from the first day of all years.
    """
    info = ZoneInfo(zone)

    def offset(moment: datetime) -> timedelta:
        return moment.astimezone(info).utcoffset() or timedelta()

    found = []
    first, start = datetime(ZONES_FROM, 1, 1, tzinfo=UTC), datetime(year, 1, 1, tzinfo=UTC)
    at = start + (first - start) % timedelta(days=7)
    before = offset(at)
    while at.year == year:
        later = at + timedelta(days=7)
        after = offset(later)
        if before != after:
            low, high = at, later
            while high - low > timedelta(seconds=1):
                middle = low + (high - low) // 2
                middle = middle.replace(microsecond=0)
                low, high = (middle, high) if offset(middle) == before else (low, middle)
            found.append((high, before, offset(high)))
        at, before = later, after
    return found


def _changes_between(zone: str, first: int, last: int) -> list[tuple[datetime, timedelta, timedelta]]:
    return [each for year in range(first, last + 1) for each in _changes(zone, year)]


def _local(moment: datetime, offset: timedelta) -> int:
    """Return the clock time at an offset, in microseconds since 1970."""
    shown = moment.astimezone(timezone(offset)).replace(tzinfo=None)
    return (shown - datetime(1970, 1, 1)) // timedelta(microseconds=1)


@lru_cache(maxsize=256)
def _offsets(zone: str, first: int, last: int) -> tuple[NDArray[np.int64], list[str]]:
    """Return the clock times from which each offset applies; a repeated hour counts as its first occurrence."""
    changes = _changes_between(zone, first, last)
    start = datetime(first, 1, 1, tzinfo=UTC).astimezone(ZoneInfo(zone))
    before = changes[0][1] if changes else start.utcoffset() or timedelta()
    starts = [-(2**62)] + [_local(when, max(earlier, later)) for when, earlier, later in changes]
    return np.array(starts), [_sign(before), *(_sign(after) for _, _, after in changes)]


@lru_cache(maxsize=256)
def _gaps(zone: str, first: int, last: int) -> list[tuple[int, int]]:
    changes = _changes_between(zone, first, last)
    return [(_local(when, before), _local(when, after)) for when, before, after in changes if after > before]


def _sign(offset: timedelta) -> str:
    minutes = round(offset.total_seconds() / 60)
    return f"{'-' if minutes < 0 else '+'}{abs(minutes) // 60:02}:{abs(minutes) % 60:02}"
