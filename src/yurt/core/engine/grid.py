"""The grid of allowed values that a range draws from, and drawing again until a value fits."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from yurt.core.base import exact
from yurt.core.base.arrays import Values
from yurt.core.base.data_classes import dataclass, replace
from yurt.core.base.types import REAL, Type
from yurt.core.columns.column import Column, cast
from yurt.core.columns.faults import RowFault
from yurt.core.engine.scope import BatchScope
from yurt.core.sampling.streams import Unit

Places = NDArray[np.int64]
DAY = 86_400_000_000
HOUR = DAY // 24
ATTEMPTS = 1000


@dataclass(frozen=True)
class Grid:
    """The allowed values of each row: `low`, `low + step`, … , `n` of them, in units of their type."""

    kind: Type
    step: int
    low: Values
    n: Values

    def take(self, at: Places) -> Grid:
        """Return the grid of some rows."""
        low, n = (each if np.ndim(each) == 0 else each[at] for each in (self.low, self.n))
        return replace(self, low=low, n=n)


def in_units(column: Column, kind: Type, up: bool) -> Values:
    """Return a bound in units of the range; one between two values is moved inwards."""
    if column.type.numeric and column.type.places > kind.places:
        factor = 10 ** (column.type.places - kind.places)
        found = exact.divided_up(column.values, factor) if up else exact.divided(column.values, factor)[0]
    elif column.type == REAL:
        scaled = np.clip(column.values * 10.0**kind.places, -exact.FIELD, exact.FIELD)
        found = (np.ceil(scaled) if up else np.floor(scaled)).astype(np.int64)
    else:
        found = cast(column, kind).values
    if not kind.numeric or exact.largest(found) < exact.FIELD:
        return found
    # No value has more than 18 digits: an end beyond them is no end, or leaves no value at all.
    return exact.settled(np.clip(found, -exact.FIELD + up, exact.FIELD - (not up)))


def again_for(batch: BatchScope, waiting: Places, attempt: int) -> BatchScope:
    """Return a batch of some of the rows in which every draw is different."""
    some = batch.select(waiting)
    return some.inner(some.rows, np.arange(len(waiting)), "again", attempt)


def tried(
    once: Callable[[Unit, Grid, BatchScope], Values], fits: Callable[[Values, Grid], Values], field: str,
    grid: Grid, u: Unit, batch: BatchScope,
) -> Values:  # fmt: skip
    """Draw, and draw again what does not fit; every row has its own attempts, independent of the rows around it."""
    place = np.asarray(once(u, grid, batch))
    waiting = np.flatnonzero(~fits(place, grid))
    for attempt in range(1, ATTEMPTS):
        if not len(waiting):
            return place
        some, part = again_for(batch, waiting, attempt), grid.take(waiting)
        again = once(some.unit(field, "value"), part, some)
        place[waiting] = again
        waiting = waiting[~fits(again, part)]
    raise RowFault("practically none of the usual values is allowed", int(batch.rows[waiting[0]]))
