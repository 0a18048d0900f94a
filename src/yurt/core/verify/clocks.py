"""The clock of a zone: which times it shows, and with which offset from UTC."""

from __future__ import annotations

from datetime import datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.columns.column import Mask

# Clocks are put forward and back at whole quarters of an hour.
QUARTER = 900_000_000
EPOCH = datetime(1970, 1, 1)


def told(moments: NDArray[np.int64], zone: str, offsets: pa.Array) -> tuple[Mask, Mask]:
    """Return where the clock of a zone never shows a time, and where it shows it with another offset."""
    quarters, at = np.unique(moments // QUARTER, return_inverse=True)
    allowed = [_offsets(int(each), zone) for each in quarters.tolist()]
    written = offsets.to_pylist()
    skipped = np.array([not each for each in allowed] or [False], dtype=np.bool_)[at] if len(at) else at.astype(bool)
    other = [
        bool(allowed[place]) and sign not in allowed[place] for place, sign in zip(at.tolist(), written, strict=True)
    ]
    return skipped, np.array(other, dtype=np.bool_)


@lru_cache(maxsize=100_000)
def _offsets(quarter: int, zone: str) -> tuple[str, ...]:
    """Return the offsets that the clock may have at a time: none where it is put forward over it."""
    if zone == "utc" or zone[0] in "+-":
        return ("Z",) if zone == "utc" else (zone,)
    info = ZoneInfo(zone)
    shown = EPOCH + timedelta(microseconds=quarter * QUARTER)
    found = []
    for fold in (0, 1):
        moment = shown.replace(tzinfo=info, fold=fold)
        back = (moment - (moment.utcoffset() or timedelta())).replace(tzinfo=ZoneInfo("UTC")).astimezone(info)
        if back.replace(tzinfo=None) == shown:
            found.append(_sign(moment.utcoffset() or timedelta()))
    return tuple(found)


def _sign(offset: timedelta) -> str:
    minutes = round(offset.total_seconds() / 60)
    return f"{'-' if minutes < 0 else '+'}{abs(minutes) // 60:02}:{abs(minutes) % 60:02}"
