"""The clock of a zone: which times it shows, and with which offset from UTC."""

from __future__ import annotations

from datetime import datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from yurt.core.columns.column import Mask
from yurt.core.verify.plain import ZULU

# Clocks are put forward and back at whole quarters of an hour.
QUARTER = 900_000_000
# Quarters in a day.
DAY = 96
EPOCH = datetime(1970, 1, 1)
# Stands for no offset.
NEVER = 200_000


def told(moments: NDArray[np.int64], zone: str, offsets: NDArray[np.int32]) -> tuple[Mask, Mask]:
    """Return where the clock of a zone never shows a time, and where it shows it with another offset (in minutes)."""
    days, at = np.unique(moments // (DAY * QUARTER), return_inverse=True)
    begins = [_offsets(int(each) * DAY, zone) for each in days.tolist()]
    ends = [_offsets((int(each) + 1) * DAY, zone) for each in days.tolist()]
    allowed = np.array(begins, dtype=np.int32).reshape(-1, 2)[at]
    # Only on the few days on which the clock is put does the time of day matter.
    odd = np.flatnonzero(np.array([a != b for a, b in zip(begins, ends, strict=True)], dtype=np.bool_)[at])
    if len(odd):
        quarters, back = np.unique(moments[odd] // QUARTER, return_inverse=True)
        exact = [_offsets(int(each), zone) for each in quarters.tolist()]
        allowed[odd] = np.array(exact, dtype=np.int32).reshape(-1, 2)[back]
    skipped = allowed[:, 0] == NEVER
    return skipped, ~skipped & (offsets != allowed[:, 0]) & (offsets != allowed[:, 1])


@lru_cache(maxsize=100_000)
def _offsets(quarter: int, zone: str) -> tuple[int, int]:
    """Return the two offsets that the clock may have at a time, mostly the same."""
    if zone == "utc":
        return ZULU, ZULU
    if zone[0] in "+-":
        minutes = (int(zone[1:3]) * 60 + int(zone[4:])) * (-1 if zone[0] == "-" else 1)
        return minutes, minutes
    info = ZoneInfo(zone)
    shown = EPOCH + timedelta(microseconds=quarter * QUARTER)
    found = []
    for fold in (0, 1):
        moment = shown.replace(tzinfo=info, fold=fold)
        offset = moment.utcoffset() or timedelta()
        # Where the clock is put forward, the way to UTC and back ends elsewhere.
        back = (shown - offset).replace(tzinfo=ZoneInfo("UTC")).astimezone(info)
        found += [round(offset.total_seconds() / 60)] if back.replace(tzinfo=None) == shown else []
    return (found[0], found[-1]) if found else (NEVER, NEVER)
