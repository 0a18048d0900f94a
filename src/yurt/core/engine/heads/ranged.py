"""Makes integers, decimals, dates, times, and durations: a grid of allowed values between two bounds."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import get_args

import numpy as np

from yurt.core import model
from yurt.core.base.arrays import Values
from yurt.core.base.types import DATE, DATETIME, DAYS, DURATION, INTEGER, TIME, Type, decimal
from yurt.core.columns.column import Column
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import RowFault, refuse
from yurt.core.columns.writers import skipped
from yurt.core.engine import range_sampling
from yurt.core.engine.grid import ATTEMPTS, Grid, again_for, in_units
from yurt.core.engine.profiles import nth_day, ranks
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.planning.bounds import bounds, steps


def ranged(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """Return the maker of a range."""
    head = phrase.head
    assert isinstance(head, model.Ranged)
    kind, step = kind_of(head), steps(head)
    fixed = bounds(head, table.run.today)

    def make(batch: BatchScope) -> Column:
        low, high, nulls = (
            ends_of(head, kind, batch) if fixed is None else (np.array(fixed[0]), np.array(fixed[1]), None)
        )
        n = (high - low) // step + 1
        if fixed is None:
            ends = {"the minimum": Column(kind, low), "the maximum": Column(kind, high)}
            refuse(batch.rows, n < 1, "its range is empty: the minimum is above the maximum", nulls, ends)
            n = np.maximum(n, 1)
        grid = Grid(kind, step, low, n)
        if (rank := batch.rank(field.name)) is not None:
            return Column(kind, _ranked(rank, grid, phrase, batch))
        place, missing = range_sampling.draw(field.name, phrase, grid, batch)
        if isinstance(head, model.DateTime) and head.zone is not None:
            place = _on_the_clock(place, head.zone, field.name, phrase, grid, batch)
        nulls = missing if nulls is None else nulls if missing is None else nulls | missing
        return Column(kind, low + step * place, nulls)

    return make


def grid_of(head: model.Ranged, today: date) -> Grid | None:
    """Return the grid of a range with fixed bounds; None if they depend on the row."""
    ends = bounds(head, today)
    if ends is None:
        return None
    return Grid(kind_of(head), steps(head), np.array(ends[0]), np.array((ends[1] - ends[0]) // steps(head) + 1))


def _on_the_clock(
    place: Values, zone: str, name: str, phrase: model.Phrase, grid: Grid, batch: BatchScope
) -> Values:  # fmt: skip
    """Draw again the times that the clock of the zone skips."""
    waiting = np.flatnonzero(skipped(grid.low + grid.step * place, zone))
    for attempt in range(1, ATTEMPTS):
        if not len(waiting):
            return place
        some, part = again_for(batch, waiting, attempt), grid.take(waiting)
        place[waiting], _ = range_sampling.draw(name, phrase, part, some)
        waiting = waiting[skipped(part.low + part.step * place[waiting], zone)]
    raise RowFault(f"the clock of {zone} skips all of its range", int(batch.rows[waiting[0]]))


def _ranked(rank: Values, grid: Grid, phrase: model.Phrase, batch: BatchScope) -> Values:
    """Return the value of each number, counted from the lowest one."""
    if phrase.days is None:
        return grid.low + grid.step * rank
    first, _ = ranks(grid, phrase.days, batch)
    return nth_day(first + rank, phrase.days)


def kind_of(head: model.Ranged) -> Type:
    """Return the type of the values of a range."""
    match head:
        case model.Integer():
            return INTEGER
        case model.DecimalNumber(places=places):
            return decimal(places)
        case model.Date():
            return DATE
        case model.Time():
            return TIME
        case model.DurationRange(in_days=in_days):
            return DAYS if in_days else DURATION
        case _:
            return DATETIME


def ends_of(head: model.Ranged, kind: Type, batch: BatchScope) -> tuple[Values, Values, Values]:
    """Evaluate bounds that depend on the row; a row with a missing bound has a missing value."""
    ends = [evaluate(each, batch) for each in (head.range.low, head.range.high)]
    masks = [each.nulls for each in ends if each.nulls is not None]
    nulls = np.broadcast_to(np.logical_or.reduce(masks), (len(batch.rows),)) if masks else None
    low = in_units(ends[0], kind, up=True)
    high = in_units(ends[1], kind, up=False)
    return low, high, nulls


MAKES = dict.fromkeys(get_args(model.Ranged), ranged)
