"""Integers, decimals, dates and moments: a grid of allowed values between two bounds, and a distribution over it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np

from yurt.core import model
from yurt.core.capacity import bounds, steps
from yurt.core.engine import distributions
from yurt.core.engine.column import Column, cast
from yurt.core.engine.evaluate import evaluate
from yurt.core.engine.faults import refuse
from yurt.core.engine.permutation import Permutation
from yurt.core.types import DATE, DATETIME, INTEGER, REAL, Type, decimal

if TYPE_CHECKING:
    from yurt.core.engine.batch import Batch
    from yurt.core.engine.table import Table

Ranged = model.Integer | model.DecimalNumber | model.Date | model.DateTime
FAVOUR = 4.0
EXACT = 1 << 40


def ranged(field: model.Field, phrase: model.Phrase, table: Table) -> Callable[[Batch], Column]:
    """Return the maker of a range."""
    head = phrase.head
    assert isinstance(head, Ranged)
    kind, step = _type(head), steps(head)
    fixed = bounds(head, table.run.today)

    def make(batch: Batch) -> Column:
        low, high, nulls = _ends(head, kind, batch) if fixed is None else (np.array(fixed[0]), np.array(fixed[1]), None)
        n = (high - low) // step + 1
        if fixed is None:
            refuse(batch.rows, n < 1, "its range is empty: the lower end is above the upper end", nulls)
            n = np.maximum(n, 1)
        if field.unique:
            place = Permutation(int(n), batch.stream(field.name, "unique", fixed=True))(batch.rows)
        else:
            place, missing = _drawn(phrase.usually, kind, step, low, n, batch, field.name)
            nulls = missing if nulls is None else nulls if missing is None else nulls | missing
        return Column(kind, low + step * place, nulls)

    return make


def _type(head: Ranged) -> Type:
    match head:
        case model.Integer():
            return INTEGER
        case model.DecimalNumber(places=places):
            return decimal(places)
        case model.Date():
            return DATE
        case _:
            return DATETIME


def _ends(head: Ranged, kind: Type, batch: Batch) -> tuple[Any, Any, Any]:
    """Evaluate bounds that depend on the row; a row with a missing bound has a missing value."""
    ends = [evaluate(each, batch) for each in (head.range.low, head.range.high)]
    masks = [each.nulls for each in ends if each.nulls is not None]
    nulls = np.broadcast_to(np.logical_or.reduce(masks), (len(batch.rows),)) if masks else None
    low = _rounded(ends[0], kind, up=True)
    high = _rounded(ends[1], kind, up=False)
    return low, high, nulls


def _rounded(column: Column, kind: Type, up: bool) -> Any:
    """Return a bound in units of the range; one between two values is moved inwards."""
    if column.type.numeric and column.type.places > kind.places:
        factor = 10 ** (column.type.places - kind.places)
        return -(-column.values // factor) if up else column.values // factor
    if column.type == REAL:
        scaled = column.values * 10.0**kind.places
        return (np.ceil(scaled) if up else np.floor(scaled)).astype(np.int64)
    return cast(column, kind).values


def _drawn(
    usually: model.Usually | None, kind: Type, step: int, low: Any, n: Any, batch: Batch, name: str
) -> tuple[Any, Any]:
    """Return the places on the grid, and where there is none because an argument of the distribution is missing."""
    stream = batch.stream(name, "value")
    u = stream.unit(batch.rows)
    if usually is None or usually.name == "uniform":
        place = (u * n).astype(np.int64)
        # Row by row, not for the block: the rows around it must not change a row.
        wide = n > EXACT
        return (np.where(wide, _scaled(stream.bits(batch.rows), n), place) if np.any(wide) else place), None
    if usually.name == "on":
        return _favoured_days(u, low, n, usually.days), None
    given = [evaluate(each, batch) for each in usually.arguments]
    masks = [each.nulls for each in given if each.nulls is not None]
    nulls = np.logical_or.reduce([np.broadcast_to(each, u.shape) for each in masks]) if masks else None
    if nulls is not None:
        given = [replace(each, values=np.where(nulls, 1, each.values)) for each in given]
    arguments = _in_steps(usually.name, given, kind, step, low)
    return distributions.draw(usually.name, u, n, arguments, batch.rows), nulls


def _scaled(bits: Any, n: Any) -> Any:
    """Return the upper half of the 128-bit product of 64 random bits and n, which is uniform over 0 … n-1."""
    n = np.asarray(n, dtype=np.uint64)
    half, low_half = np.uint64(32), np.uint64(0xFFFFFFFF)
    a, b, c, d = bits >> half, bits & low_half, n >> half, n & low_half
    middle = (b * d >> half) + (a * d & low_half) + b * c
    return (a * c + (a * d >> half) + (middle >> half)).astype(np.int64)


def _in_steps(name: str, given: list[Column], kind: Type, step: int, low: Any) -> list[Any]:
    """Return the arguments of a distribution in steps of the grid, counted from its lower end."""
    timed = kind.family == "date"

    def size(column: Column) -> Any:
        if column.type.family == "duration":
            day = 86_400_000_000
            in_days = column.values if column.type.name == "days" else column.values / day
            return in_days * (1 if kind == DATE else day) / step
        return cast(column, REAL).values * 10.0**kind.places / step

    def place(column: Column) -> Any:
        if timed:
            return (cast(column, kind).values - low) / step
        return (cast(column, REAL).values * 10.0**kind.places - low) / step

    def plain(column: Column) -> Any:
        return cast(column, REAL).values

    zero = np.array(0.0) if timed else np.asarray(-low / step)
    match name:
        case "normal":
            return [place(given[0]), size(given[1])]
        case "triangular":
            return [place(given[0])]
        case "exponential":
            return [size(given[0])]
        case "lognormal":
            return [size(given[0]), plain(given[1]), zero]
        case "gamma" | "weibull":
            return [plain(given[0]), size(given[1]), zero]
        case "pareto" | "poisson" | "binomial":
            return [*(plain(each) for each in given), zero]
        case _:
            return [plain(each) for each in given]


def _favoured_days(u: Any, low: Any, n: Any, days: tuple[int, ...]) -> Any:
    """Give the favoured weekdays FAVOUR times the share of the others.

    The weight of all days up to a day is a whole number of weeks and a rest; inverting it needs no table of days.
    """
    weights = np.where(np.isin(np.arange(7), days), FAVOUR, 1.0)
    # Day 0 (1970-01-01) was a Thursday, weekday 3: `first` is the weekday of the lower end.
    first = (low + 3) % 7
    before = np.concatenate(([0.0], np.cumsum(weights)))
    week = before[-1]

    def total(day: Any) -> Any:
        return day // 7 * week + before[day % 7]

    start = total(first)
    aim = start + u * (total(first + n) - start)
    weeks = np.floor(aim / week)
    found = weeks.astype(np.int64) * 7 + np.searchsorted(before[1:], aim - weeks * week, side="right") - first
    return np.clip(found, 0, n - 1)
