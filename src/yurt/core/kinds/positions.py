"""Positions near the city of a record, and their written forms."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, joined, strings
from yurt.core.base.types import TEXT, decimal
from yurt.core.columns.column import Column
from yurt.core.kinds.grid_cells import GRIDS
from yurt.core.kinds.lists import NEAR

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext

UNITS = 100_000


def position(context: KindContext, axis: str) -> Column:
    """Return the latitude or longitude of a position near the city, in 1/100,000 degree."""
    values = context.pick("cities").numbers(axis) + (context.unit("near", axis) * 2 - 1) * NEAR
    return context.whole(np.rint(values * UNITS), decimal(5))


def grid_cell(context: KindContext, grid: str) -> Column:
    """Return the cell of a grid over the earth that contains the position near the city."""
    angles = (position(context, axis).values / UNITS for axis in ("latitude", "longitude"))
    return Column(TEXT, GRIDS[grid](*angles))


def in_degrees(angle: Column, ends: str, rows: int) -> Column:
    """Return angles (in 1/100,000 degree) as `47°16′08″N`; `ends` has the letters for positive and negative."""
    seconds = np.rint(np.abs(angle.values) * 3600 / UNITS).astype(np.int64)
    two = strings([f"{each:02}" for each in range(60)])
    minute, second = (pc.take(two, arrow(each)) for each in (seconds // 60 % 60, seconds % 60))
    end = pc.take(strings(list(ends)), arrow((angle.values < 0).astype(np.int64)))
    return Column(TEXT, joined(pc.cast(arrow(seconds // 3600), pa.string()), "°", minute, "′", second, "″", end))
