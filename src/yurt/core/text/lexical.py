"""Values as text, in the lexical forms that the standards share.

Dates and date-times as in ISO 8601 and XML Schema (`2026-06-15`, `2026-06-15T08:30:00`), Booleans as `true` and
`false`, decimals with all their places, durations as in ISO 8601 (`P2DT3H`), lists as in JSON. Works on whole Arrow
arrays.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import (
    Numbers,
    arrow,
    bitmap,
    decoded,
    fixed_strings,
    flags,
    joined,
    nothing,
    numbers,
    strings,
    word,
)

DAY = 86_400_000_000
# Arrow writes decimals of at most six places without an exponent.
PLAIN_PLACES = 6
# A power of ten beyond this one needs more than 63 bits.
MOST_PLACES = 18
# A look-up table pays off if a block has this many times as many rows as values.
FEW = 2


def decimal_array(values: NDArray[np.int64], places: int, mask: NDArray[np.bool_] | None) -> pa.Array:
    """Return scaled integers as an exact Arrow decimal array."""
    pairs = np.empty((len(values), 2), dtype=np.int64)
    pairs[:, 0] = values
    pairs[:, 1] = values >> np.int64(63)
    valid = None if mask is None else bitmap(~mask)
    kind = pa.decimal128(max(19, min(places + 1, 38)), places)
    return pa.Array.from_buffers(kind, len(values), [valid, pa.py_buffer(pairs)])


def wide_array(values: Numbers, places: int, mask: NDArray[np.bool_] | None) -> pa.Array:
    """Return Python's integers of at most 38 digits, in units of the last place, as an exact Arrow decimal array."""
    pairs = np.empty((len(values), 2), dtype=np.int64)
    pairs[:, 0] = (values & 0xFFFFFFFFFFFFFFFF).astype(np.uint64).view(np.int64)
    pairs[:, 1] = (values >> 64).astype(np.int64)
    valid = None if mask is None else bitmap(~mask)
    return pa.Array.from_buffers(pa.decimal128(38, places), len(values), [valid, pa.py_buffer(pairs)])


def wide_text(values: Numbers, places: int, mask: NDArray[np.bool_] | None) -> pa.Array:
    """Return Python's integers in units of the last place as texts."""
    size = np.abs(values)
    whole, rest = size // 10**places, size % 10**places
    shown = joined(pc.if_else(arrow(values < 0), word("-"), word("")), strings(whole.astype(str)))
    if places:
        shown = joined(shown, ".", pc.utf8_lpad(strings(rest.astype(str)), places, "0"))
    return shown if mask is None else pc.if_else(arrow(mask), nothing(pa.string()), shown)


def scalar_text(array: pa.Array) -> pa.Array:
    """Return an array of anything except lists and records as Arrow strings; missing values stay missing."""
    kind = array.type
    if pa.types.is_dictionary(kind):
        return decoded(array)
    if pa.types.is_string(kind):
        return array
    if pa.types.is_date32(kind):
        return fixed_strings(_cells(_days(_integers(array))), _missing(array))
    if pa.types.is_timestamp(kind):
        return _moments(array)
    if pa.types.is_time(kind):
        return _times(array)
    if pa.types.is_duration(kind):
        return _lasting(array)
    if pa.types.is_decimal(kind):
        return _long_decimals(array) if kind.scale > PLAIN_PLACES else _decimals(array)
    return pc.cast(array, pa.string())


def _decimals(array: pa.Array) -> pa.Array:
    """Write decimals; if many rows share few values, each value is written once and looked up."""
    raw = low_halves(array)
    low, high = (int(raw.min()), int(raw.max())) if len(raw) else (0, 0)
    if array.null_count or (high - low) * FEW > len(raw):
        return pc.cast(array, pa.string())
    every = decimal_array(np.arange(low, high + 1), array.type.scale, None)
    return pc.take(pc.cast(every, pa.string()), arrow(raw - low))


def low_halves(array: pa.Array) -> NDArray[np.int64]:
    """Return the scaled integers of decimals, which all fit into the lower of their two halves."""
    pairs = np.frombuffer(array.buffers()[1], dtype=np.int64).reshape(-1, 2)
    return pairs[array.offset : array.offset + len(array), 0]


def _missing(array: pa.Array) -> NDArray[np.bool_] | None:
    """Return where an array has no value; None for nowhere."""
    return flags(pc.is_null(array)) if array.null_count else None


def _cells(fixed: Numbers) -> NDArray[np.uint8]:
    """Return fixed-width bytes (dtype S…) as a matrix."""
    return np.ascontiguousarray(fixed).view(np.uint8).reshape(len(fixed), fixed.dtype.itemsize)


def _integers(array: pa.Array) -> NDArray[np.int64]:
    """Return the numbers behind dates or date-times, 0 for missing ones."""
    width = np.int32 if pa.types.is_date32(array.type) else np.int64
    raw = numbers(array, width).astype(np.int64)
    missing = _missing(array)
    return raw if missing is None else np.where(missing, 0, raw)


def _days(days: NDArray[np.int64]) -> Numbers:
    """Return days since 1970 as ISO dates; many days, by a table of the days between the first and the last."""
    if not len(days):
        return np.empty(0, dtype="S10")
    first, last = int(days.min()), int(days.max())
    # Like that of seconds, the table is worth making from some thousands of rows on.
    if len(days) < 1024 or last - first > 4 * len(days) + 4096:
        return np.datetime_as_string(days.astype("datetime64[D]")).astype("S10")
    found: Numbers = _table_of_days(first // 4096, last // 4096)[days - first // 4096 * 4096]
    return found


@lru_cache(maxsize=16)
def _table_of_days(first: int, last: int) -> Numbers:
    days = np.arange(first * 4096, (last + 1) * 4096)
    return np.datetime_as_string(days.astype("datetime64[D]")).astype("S10")


@lru_cache(maxsize=1)
def _table_of_seconds() -> NDArray[np.uint8]:
    return _clock(np.arange(86_400))


def _clock(at: NDArray[np.int64]) -> NDArray[np.uint8]:
    """Return seconds of a day as `T00:00:00` to `T23:59:59`, one per row."""
    cells = np.empty((len(at), 9), dtype=np.uint8)
    cells[:, [0, 3, 6]] = np.frombuffer(b"T::", dtype=np.uint8)
    for column, part in ((1, at // 3600), (4, at // 60 % 60), (7, at % 60)):
        cells[:, column], cells[:, column + 1] = part // 10 + ord("0"), part % 10 + ord("0")
    return cells


def _moments(array: pa.Array) -> pa.Array:
    """Write date-times; those with fractions of a second get six places, whatever is around them."""
    date_times = _integers(array)
    days = date_times // DAY
    rest = date_times - days * DAY
    seconds = rest // 1_000_000
    parts = rest - seconds * 1_000_000
    cells = np.empty((len(date_times), 26), dtype=np.uint8)
    cells[:, :10] = _cells(_days(days))
    # The table is worth making from some thousands of rows on.
    cells[:, 10:19] = _clock(seconds) if len(seconds) < 4096 else _table_of_seconds()[seconds]
    whole = fixed_strings(cells[:, :19], _missing(array))
    if not parts.any():
        return whole
    cells[:, 19] = ord(".")
    exact = parts != 0
    for place in range(25, 19, -1):
        parts, digit = np.divmod(parts, 10)
        cells[:, place] = digit + ord("0")
    return pc.if_else(arrow(exact), fixed_strings(cells, _missing(array)), whole)


def _times(array: pa.Array) -> pa.Array:
    """Write times of day as date-times without the day."""
    date_times = pa.Array.from_buffers(pa.timestamp("us"), len(array), array.buffers(), offset=array.offset)
    return pc.utf8_slice_codeunits(_moments(date_times), start=11)


def _lasting(array: pa.Array) -> pa.Array:
    """Write durations in days, hours, minutes, and seconds."""
    length = _integers(array)
    rest = np.abs(length)
    parts: list[tuple[str, pa.Array]] = []
    used = np.zeros(len(rest), dtype=np.bool_)
    timed = rest % DAY != 0
    for size, unit in ((DAY, "D"), (3_600_000_000, "H"), (60_000_000, "M")):
        count, rest = np.divmod(rest, size)
        used |= count > 0
        shown = joined(pc.cast(arrow(count), pa.string()), unit)
        parts.append((unit, pc.if_else(arrow(count > 0), shown, word(""))))
    seconds, micros = np.divmod(rest, 1_000_000)
    point = joined(".", pc.utf8_rtrim(pc.utf8_lpad(pc.cast(arrow(micros), pa.string()), 6, "0"), "0"))
    seconds_text = joined(pc.cast(arrow(seconds), pa.string()), pc.if_else(arrow(micros > 0), point, word("")), "S")
    timed_seconds = pc.if_else(arrow((rest > 0) | ~used), seconds_text, word(""))
    sign = pc.if_else(arrow(length < 0), word("-"), word(""))
    clock = pc.if_else(arrow(timed | ~used), word("T"), word(""))
    found = joined(sign, "P", parts[0][1], clock, parts[1][1], parts[2][1], timed_seconds)
    return pc.if_else(pc.is_valid(array), found, nothing(pa.string())) if array.null_count else found


def _long_decimals(array: pa.Array) -> pa.Array:
    """Write the digits before and after the decimal point separately, where Arrow would use an exponent."""
    places = array.type.scale
    raw = low_halves(array)
    if places > MOST_PLACES:
        return wide_text(raw.astype(object), places, _missing(array))
    whole, rest = np.divmod(np.abs(raw), 10**places)
    digits = pc.utf8_lpad(pc.cast(arrow(rest), pa.string()), places, "0")
    sign = pc.if_else(arrow(raw < 0), word("-"), word(""))
    shown = joined(sign, pc.cast(arrow(whole), pa.string()), ".", digits)
    return pc.if_else(pc.is_valid(array), shown, nothing(pa.string()))
