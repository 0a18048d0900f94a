"""Positions as degrees, minutes and seconds."""

from __future__ import annotations

import numpy as np

from yurt.core.base.arrays import arrow, joined, strings
from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column

UNITS = 100_000


def in_degrees(angle: Column, ends: str, rows: int) -> Column:
    """Return angles (in 1/100,000 degree) as `47°16′08″N`; `ends` has the letters for above and below 0."""
    seconds = np.rint(np.abs(angle.values) * 3600 / UNITS).astype(np.int64)
    two = strings([f"{each:02}" for each in range(60)])
    minute, second = (two.take(arrow(each)) for each in (seconds // 60 % 60, seconds % 60))
    end = strings(list(ends)).take(arrow((angle.values < 0).astype(np.int64)))
    return Column(TEXT, joined(arrow(seconds // 3600).cast("string"), "°", minute, "′", second, "″", end))
