"""Usual values among the allowed ones: positions on a grid, drawn from a distribution, histogram, mixture, or
profile.
"""

from __future__ import annotations

from datetime import time

import numpy as np
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.base.arrays import Values, distinct
from yurt.core.base.data_classes import replace
from yurt.core.base.types import DATE, DATETIME, REAL, TIME
from yurt.core.columns.column import Column, cast
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import refuse
from yurt.core.distributions.registry import all_distributions
from yurt.core.engine.grid import DAY, Grid, in_units, tried
from yurt.core.engine.profiles import by_profile, on_days
from yurt.core.engine.scope import BatchScope
from yurt.core.model.expressions import Literal
from yurt.core.sampling import almanac, grids
from yurt.core.sampling.streams import Unit
from yurt.core.sampling.weights import Weighted, weighted
from yurt.core.source.diagnostics import NOWHERE

# The position of each row, and the rows without one.
Drawn = tuple[Values, NDArray[np.bool_] | None]
# More positions than this are drawn from all 64 bits.
EXACT = 1 << 40
# The number of days that are listed with their shares, and the share of allowed days below which drawing fails.
MOST_DAYS = 4096
# The number of grid intervals whose shares are tabulated.
CELLS = 1 << 16
LEAST = 1e-12


def draw(field: str, phrase: model.Phrase, grid: Grid, batch: BatchScope) -> Drawn:
    """Return a position for each row, and where there is none because an argument is missing (None for nowhere)."""
    days = _allowed_days(phrase, grid)
    if field in batch.table.in_order and (phrase.outliers or isinstance(phrase.usually, model.Mixture)):
        return _in_order(field, phrase, grid, batch), None
    place, nulls = _first(field, phrase, grid, batch, days)
    if phrase.outliers:
        far = batch.unit(field, "outlier") < phrase.outliers
        u = batch.unit(field, "outlier", "value")
        plain = on_days(u, grid, phrase.days, batch) if days is not None else (u * grid.n).astype(np.int64)
        place = np.where(far, plain, place)
    return place, nulls


def _allowed_days(phrase: model.Phrase, grid: Grid) -> model.Days | None:
    return phrase.days if phrase.days is not None and grid.kind.family == "date" else None


def _first(field: str, phrase: model.Phrase, grid: Grid, batch: BatchScope, days: model.Days | None) -> Drawn:
    usual = phrase.usually
    u = batch.value_unit(field)
    if isinstance(usual, model.Profile) and grid.kind == TIME:
        usual = _hours_of_the_day(usual)
    if isinstance(usual, model.Profile):
        return by_profile(field, usual, days or model.Days(), grid, u, batch), None
    if days is None:
        return _shaped(field, usual, grid, u, batch)
    if usual is None and grid.kind == DATE:
        return on_days(u, grid, days, batch), None
    if usual is None:
        return by_profile(field, model.Profile(), days, grid, u, batch), None
    return _shaped_on_days(field, usual, days, grid, u, batch)


# ---- shapes ----------------------------------------------------------------------------------------------------------


def _shaped(field: str, usual: model.Usual | None, grid: Grid, u: Unit, batch: BatchScope) -> Drawn:
    match usual:
        case None | model.NamedDistribution(name="uniform"):
            place = (u * grid.n).astype(np.int64)
            # Row by row, not for the block: a row must not depend on the rows around it.
            wide = grid.n > EXACT
            if not np.any(wide) or field in batch.table.in_order:
                return place, None
            return np.where(wide, _scaled(batch.stream(field, "value").bits(batch.rows), grid.n), place), None
        case model.NamedDistribution():
            return _by_name(usual, grid, u, batch)
        case model.Histogram():
            return _by_histogram(usual, grid, u, batch), None
        case model.Mixture():
            return _mixed(field, usual, grid, u, batch)
        case model.Empirical():
            return _empirical(usual, grid, u, batch), None
        case _:
            raise AssertionError(usual)


def _scaled(bits: Values, n: Values) -> Values:
    """Return the upper half of the 128-bit product of 64 random bits and n, which is uniform over 0 … n-1."""
    n = np.asarray(n, dtype=np.uint64)
    half, low_half = np.uint64(32), np.uint64(0xFFFFFFFF)
    a, b, c, d = bits >> half, bits & low_half, n >> half, n & low_half
    middle = (b * d >> half) + (a * d & low_half) + b * c
    return (a * c + (a * d >> half) + (middle >> half)).astype(np.int64)


def _by_name(usual: model.NamedDistribution, grid: Grid, u: Unit, batch: BatchScope) -> Drawn:
    given = [evaluate(each, batch) for each in usual.arguments]
    masks = [each.nulls for each in given if each.nulls is not None]
    nulls = np.logical_or.reduce([np.broadcast_to(each, u.shape) for each in masks]) if masks else None
    if nulls is not None:
        given = [replace(each, values=np.where(nulls, 1, each.values)) for each in given]
    arguments = _in_steps(usual.name, given, grid)
    return grids.draw(usual.name, u, grid.n, arguments, batch.rows), nulls


def _in_steps(name: str, given: list[Column], grid: Grid) -> list[Values]:
    """Return the arguments of a distribution in steps of the grid, counted from its minimum."""
    kind, step, low = grid.kind, grid.step, grid.low
    timed = not kind.numeric

    def size(column: Column) -> Values:
        if column.type.family == "duration":
            in_days = column.values if column.type.name == "days" else column.values / DAY
            return in_days * (1 if kind.name in ("date", "days") else DAY) / step
        return cast(column, REAL).values * 10.0**kind.places / step

    def place(column: Column) -> Values:
        if kind.family == "duration":
            return size(column) - low / step
        if timed:
            return (cast(column, kind).values - low) / step
        return (cast(column, REAL).values * 10.0**kind.places - low) / step

    def plain(column: Column) -> Values:
        return cast(column, REAL).values

    chosen = all_distributions()[name]
    ways = {"position": place, "distance": size, "number": plain}
    found = [ways[argument.unit](each) for argument, each in zip(chosen.arguments, given, strict=True)]
    if not chosen.from_zero:
        return found
    # Durations have a zero of their own; dates and times are counted from the minimum.
    return [*found, np.array(0.0) if timed and kind.family != "duration" else np.asarray(-low / step)]


def _ends_in_units(bucket: model.Range, grid: Grid, batch: BatchScope) -> list[Values]:
    """Return the ends of an interval in units of the grid; one between two units is moved inwards."""
    found = []
    for expression, up in ((bucket.low, True), (bucket.high, False)):
        column = evaluate(expression, batch)
        if column.type.family == "duration":
            size = _in_steps("exponential", [column], replace(grid, step=1))[0]
            found.append(np.asarray(np.ceil(size) if up else np.floor(size)).astype(np.int64))
        else:
            found.append(in_units(column, grid.kind, up))
    return found


def _by_histogram(usual: model.Histogram, grid: Grid, u: Unit, batch: BatchScope) -> Values:
    """Choose an interval by its share, and a position in it; the share of what is not allowed is lost."""
    parts = []
    for bucket, share in usual.buckets:
        first, last = _ends_in_units(bucket, grid, batch)
        start = np.clip(-((grid.low - first) // grid.step), 0, grid.n)
        end = np.clip((last - grid.low) // grid.step + 1, start, grid.n)
        whole = np.maximum((last - first) // grid.step + 1, 1)
        parts.append((start, end, share * (end - start) / whole))
    total = sum(weight for _, _, weight in parts)
    refuse(batch.rows, np.asarray(total) <= 0, "no interval of the histogram is within its range")
    aim = u * total
    place = np.zeros(len(u), dtype=np.int64)
    before = np.zeros(1)
    for start, end, weight in parts:
        inside = (aim >= before) & (aim < before + weight)
        share = (aim - before) / np.where(weight > 0, weight, 1.0)
        further = np.clip(np.floor(share * (end - start)), 0, np.maximum(end - start - 1, 0)).astype(np.int64)
        place = np.where(inside, start + further, place)
        before = before + weight
    # A rounding error in the last bit may lead beyond the last interval.
    beyond = aim >= before
    for _, end, weight in reversed(parts):
        if not np.any(beyond):
            break
        place = np.where(beyond & (weight > 0), end - 1, place)
        beyond = beyond & ~(np.asarray(weight) > 0)
    return place


def _mixed(field: str, usual: model.Mixture, grid: Grid, u: Unit, batch: BatchScope) -> Drawn:
    """Choose a distribution by its share, and draw from it."""
    chosen = weighted(np.array([share for _, share in usual.parts]))(batch.unit(field, "part"))
    place = np.zeros(len(u), dtype=np.int64)
    nulls = np.zeros(len(u), dtype=np.bool_)
    for number, (part, _) in enumerate(usual.parts):
        at = np.flatnonzero(chosen == number)
        if len(at):
            place[at], missing = _shaped(field, part, grid.take(at), u[at], batch.select(at))
            nulls[at] = False if missing is None else missing
    return place, nulls if nulls.any() else None


def _in_order(field: str, phrase: model.Phrase, grid: Grid, batch: BatchScope) -> Values:
    """Draw so that a larger number never gives a smaller value, as rank correlation requires.

    The share of everything up to a position is the sum over the parts of a mixture; outliers are one more part. It is
    tabulated once, for every position, or for 65,536 intervals of a longer grid.
    """
    key = ("in order", field)
    if key not in batch.table.once:
        batch.table.once[key] = _tabulated(field, phrase, grid, batch)
    edges, weighted = batch.table.once[key]
    u = batch.value_unit(field)
    cell = weighted(u)
    before = np.concatenate(([0.0], weighted.ends))[cell]
    share = np.clip((u - before) / np.maximum(weighted.ends[cell] - before, 1e-300), 0, 1 - 2.0**-53)
    return np.floor(edges[cell] + share * (edges[cell + 1] - edges[cell])).astype(np.int64)


def _tabulated(field: str, phrase: model.Phrase, grid: Grid, batch: BatchScope) -> tuple[Values, Weighted]:
    """Return the first positions of the intervals, with the end after them, and a function that draws the intervals."""
    n = int(grid.n)
    edges = distinct(np.rint(np.linspace(0, n, min(n, CELLS) + 1)))
    parts = phrase.usually.parts if isinstance(phrase.usually, model.Mixture) else ((phrase.usually, 1.0),)
    # As many rows as edges: the expressions in the parts are the same for all rows.
    some = batch.table.batch(np.zeros(len(edges), dtype=np.uint64))
    total = phrase.outliers * edges / n
    for part, share in parts:
        low, high = np.zeros(len(edges)), np.ones(len(edges))
        for _ in range(54):
            middle = (low + high) / 2
            place, _ = _shaped(field, part, grid, np.clip(middle, 1e-16, 1 - 1e-16), some)
            low, high = np.where(place < edges, middle, low), np.where(place < edges, high, middle)
        low[0], low[-1] = 0.0, 1.0
        total = total + (1 - phrase.outliers) * share * low
    return edges, weighted(np.maximum(np.diff(total), 0))


def _empirical(usual: model.Empirical, grid: Grid, u: Unit, batch: BatchScope) -> Values:
    """Draw from the sorted values of a column; if most of them differ, also between two neighbours."""
    values, most_differ = batch.table.run.sorted_values(usual.list, usual.column, grid.kind)
    first = np.searchsorted(values, grid.low, side="left")
    last = np.searchsorted(values, grid.low + grid.step * (grid.n - 1), side="right")
    refuse(batch.rows, first >= last, "no value of the column is within its range")
    at = first + u * (last - first - int(most_differ))
    lower = np.minimum(np.floor(at).astype(np.int64), last - 1)
    found = values[lower]
    if most_differ:
        found = found + (at - lower) * (values[np.minimum(lower + 1, last - 1)] - found)
    return grids.places((found - grid.low) / grid.step, grid.n)


def _hours_of_the_day(profile: model.Profile) -> model.Histogram:
    """Return a profile of hours over times of day."""
    total = sum(profile.hours)
    ends = [
        model.Range(Literal(time(hour), NOWHERE), Literal(time(hour, 59, 59), NOWHERE)) for hour in range(24)
    ]  # fmt: skip
    return model.Histogram(tuple((end, hour / total) for end, hour in zip(ends, profile.hours, strict=True)))


def _shaped_on_days(
    field: str, usual: model.Usual, days: model.Days, grid: Grid, u: Unit, batch: BatchScope
) -> Drawn:  # fmt: skip
    """Draw from a distribution until the day is allowed: that truncates the distribution to the allowed days."""
    table = almanac.counted(days)
    if (listed := _listed_days(usual, table, grid, batch)) is not None:
        return listed(u), None
    nulls: list[NDArray[np.bool_] | None] = []

    def once(u: Unit, grid: Grid, batch: BatchScope) -> Values:
        place, missing = _shaped(field, usual, grid, u, batch)
        nulls.append(missing)
        return place

    def fits(place: Values, grid: Grid) -> Values:
        value = grid.low + grid.step * place
        day = value // DAY if grid.kind == DATETIME else value
        return table.before(day + 1) > table.before(day)

    return tried(once, fits, field, grid, u, batch), nulls[0]


def _listed_days(usual: model.Usual, table: Values, grid: Grid, batch: BatchScope) -> Weighted | None:
    """Return a function that draws the allowed days by their shares, if they are few and the same for all rows."""
    if (
        not isinstance(usual, model.NamedDistribution)
        or grid.kind != DATE
        or np.ndim(grid.low)
        or int(grid.n) > MOST_DAYS
    ):
        return None
    given = [evaluate(each, batch) for each in usual.arguments]
    if not all(each.constant and each.nulls is None for each in given):
        return None
    arguments = [float(each) for each in _in_steps(usual.name, given, grid)]
    days = int(grid.low) + np.arange(int(grid.n))
    allowed = table.before(days + 1) - table.before(days)
    weights = grids.by_place(usual.name, int(grid.n), *arguments) * allowed
    return weighted(weights) if weights.sum() > LEAST else None
