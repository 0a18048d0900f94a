"""The clock of a zone: the time it shows at an instant."""

from __future__ import annotations

from datetime import datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, numbers
from yurt.core.verify.plain import ZULU

# Clocks change at whole quarters of an hour.
QUARTER = 900_000_000
MINUTE = 60_000_000
# Quarters in a day.
DAY = 96
EPOCH = datetime(1970, 1, 1)


def shown(date_times: NDArray[np.int64], offsets: NDArray[np.int32], zone: str) -> NDArray[np.int64]:
    """Return what the clock of a zone shows at date-times with an offset (in minutes), in microseconds.

    The same instant in another offset is the same value.
    """
    instants = date_times - np.where(offsets == ZULU, 0, offsets).astype(np.int64) * MINUTE
    days, at = _distinct(instants // (DAY * QUARTER))
    begins = np.array([_offset(each * DAY, zone) for each in days], dtype=np.int64)
    ends = np.array([_offset((each + 1) * DAY, zone) for each in days], dtype=np.int64)
    found = begins[at]
    # The time of day only matters on the few days when the clock changes.
    odd = np.flatnonzero((begins != ends)[at])
    if len(odd):
        quarters, back = _distinct(instants[odd] // QUARTER)
        found[odd] = np.array([_offset(each, zone) for each in quarters], dtype=np.int64)[back]
    moved: NDArray[np.int64] = instants + found * MINUTE
    return moved


def _distinct(values: NDArray[np.int64]) -> tuple[list[int], NDArray[np.int32]]:
    """Return the different values, and the number of each row's."""
    coded = pc.dictionary_encode(arrow(values))
    return coded.dictionary.to_pylist(), numbers(coded.indices, np.int32).astype(np.int32)


@lru_cache(maxsize=100_000)
def _offset(quarter: int, zone: str) -> int:
    """Return the difference between the clock of a zone and UTC at an instant, in minutes; instants are quarters since
    1970.
    """
    if zone == "utc":
        return 0
    if zone[0] in "+-":
        return (int(zone[1:3]) * 60 + int(zone[4:])) * (-1 if zone[0] == "-" else 1)
    try:
        instant = (EPOCH + timedelta(microseconds=quarter * QUARTER)).replace(tzinfo=ZoneInfo("UTC"))
        offset = instant.astimezone(ZoneInfo(zone)).utcoffset() or timedelta()
    except OverflowError:
        return 0
    return round(offset.total_seconds() / 60)
