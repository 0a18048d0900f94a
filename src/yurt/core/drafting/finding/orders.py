"""Ranges that begin or end at another field: a departure after the arrival, no more guests than beds."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import DATE, DATETIME, INTEGER, TIME, Type
from yurt.core.drafting.finding.rounding import HOUR, Ends
from yurt.core.drafting.finding.usual import Grid, usual
from yurt.core.drafting.quoting import DAY, MINUTE, duration
from yurt.core.drafting.samples.column import Column
from yurt.core.drafting.samples.rows import NEAR, Rows

# The share of rows in which the order must hold, and the rows that are compared.
MOST, LEAST = 0.998, 60
# How much narrower the distance must be than the range of the field itself.
NARROWER = 0.34
# One column is never above another if at least this many rows, and this share of them, would be by chance.
BY_CHANCE, LEAST_BY_CHANCE = 0.004, 30
# A condition that more rows than this would break by chance draws so many of them again that the others change.
OFTEN = 0.1
STEPS = (DAY, HOUR, 15 * MINUTE, MINUTE, 1_000_000)


@dataclass(frozen=True)
class Bound:
    """A line whose range begins or ends at another field; `usual` is the clause for it."""

    head: str
    usual: str
    uses: str
    share: float


def after(target: Column, rows: Rows, earlier: list[Column], least: int) -> Bound | None:
    """Return the range of a date or date-time that lies shortly after, or before, another one."""
    if not target.day or target.right.sum() < LEAST:
        return None
    own = float(np.quantile(target.values, 0.95) - np.quantile(target.values, 0.05)) * (
        DAY if target.type == DATE else 1
    )
    best: tuple[float, Column, NDArray[np.int64]] | None = None
    for each in earlier:
        if (
            not each.day
            or not rows.may_depend(target.name, {each.name})
            or (each.type == DATETIME and target.type == DATE)
        ):
            continue
        both = target.right & each.right
        if both.sum() < 0.9 * target.right.sum():
            continue
        distance = _micros(target)[both] - _micros(each)[both]
        width = float(np.quantile(distance, 0.999) - np.quantile(distance, 0.001))
        forward = (distance >= 0).mean() >= MOST or (distance <= 0).mean() >= MOST
        if forward and width < NARROWER * own and (best is None or width < best[0]):
            best = (width, each, distance)
    return _relative(target, best[1], best[2], least) if best is not None else None


def _micros(column: Column) -> NDArray[np.int64]:
    assert column.numbers is not None
    return column.numbers * DAY if column.type == DATE else column.numbers


def _relative(target: Column, other: Column, distance: NDArray[np.int64], least: int) -> Bound:
    kept = distance[(distance >= np.quantile(distance, 0.001)) & (distance <= np.quantile(distance, 0.999))]
    low, high = int(kept.min()), int(kept.max())
    if (distance == distance.min()).sum() >= least or distance.min() >= 0 > low - DAY:
        low = int(distance.min())
    high = max(high, int(distance.max()) if (distance == distance.max()).sum() >= least else high)
    unit = DAY if target.type == DATE else next(each for each in STEPS if each <= max((high - low) / 8, 1_000_000))
    low, high = low // unit * unit, -(-high // unit) * unit
    size = DAY if target.type == DATE else 1_000_000
    ends = Ends(low // size, high // size, 1)
    kind: Type = DATE if target.type == DATE else DATETIME
    grid = Grid(
        kind,
        ends if kind == DATE else Ends(low, high, size),
        lambda place: _plus(other.name, low + round(place / max(unit // size, 1)) * max(unit // size, 1) * size),
    )
    clause = usual(distance // size if kind == DATE else distance, grid).clause
    inside = float(((distance >= low) & (distance <= high)).mean())
    head = f"{target.type} {_plus(other.name, low)}..{_plus(other.name, high)}"
    return Bound(head, clause, other.name, inside)


def _plus(name: str, microseconds: int) -> str:
    if not microseconds:
        return name
    text = _exact(abs(microseconds))
    return f"{name}{'+' if microseconds > 0 else '-'}{text}"


def _exact(microseconds: int) -> str:
    """Return a length of time in the largest unit that has it whole."""
    for size, unit in ((DAY, "d"), (HOUR, "h"), (MINUTE, "min"), (1_000_000, "s")):
        if microseconds % size == 0:
            return f"{microseconds // size}{unit}"
    return duration(microseconds)


def up_to(target: Column, rows: Rows, others: list[Column]) -> Bound | None:
    """Return the range of a number whose maximum is another number, if it reaches that in all parts of its range."""
    if target.type != INTEGER or target.right.sum() < 200:
        return None
    best: tuple[float, Column] | None = None
    low = int(target.values.min())
    for each in others:
        if each.type != INTEGER or each.name == target.name or not rows.may_depend(target.name, {each.name}):
            continue
        both = target.right & each.right
        if both.sum() < 0.95 * target.right.sum():
            continue
        assert target.numbers is not None
        assert each.numbers is not None
        own, other = target.numbers[both], each.numbers[both]
        if (own <= other).mean() < MOST or len(np.unique(other)) < 4:
            continue
        # A number that is drawn up to another one is evenly spread below it.
        share = (own - low + 0.5) / np.maximum(other - low + 1, 1)
        distance = _from_even(np.sort(share))
        if distance < 0.06 and (best is None or distance < best[0]):
            best = (distance, each)
    if best is None:
        return None
    return Bound(f"integer {low}..{best[1].name}", "", best[1].name, 1.0)


def _from_even(sorted_shares: NDArray[np.float64]) -> float:
    count = len(sorted_shares)
    return float(np.abs(sorted_shares - (np.arange(count) + 0.5) / count).max())


def conditions(
    rows: Rows, columns: list[Column], taken: set[frozenset[str]]
) -> list[tuple[str, float, frozenset[str]]]:
    """Return conditions that a column is never above another, with the share of rows that would break it by chance."""
    found: list[tuple[str, float, frozenset[str]]] = []
    for at, one in enumerate(columns):
        for two in columns[at + 1 : at + 1 + NEAR]:
            pair = frozenset({one.name, two.name})
            if (
                pair in taken
                or one.name.partition(".")[0] == two.name.partition(".")[0]
                or not _comparable(one.type, two.type)
            ):
                continue
            both = one.right & two.right
            if both.sum() < 200:
                continue
            assert one.numbers is not None
            assert two.numbers is not None
            first, second = one.floats[both], two.floats[both]
            for low, high, a, b in ((first, second, one, two), (second, first, two, one)):
                share = float((low <= high).mean())
                if share < 1.0:
                    continue
                chance = _by_chance(low, high)
                if chance >= BY_CHANCE and chance * len(low) >= LEAST_BY_CHANCE:
                    found.append((f"{b.name} >= {a.name}", chance, pair))
    return found


def _comparable(one: Type, two: Type) -> bool:
    if one.numeric and two.numeric:
        return True
    return one == two and one in (DATE, DATETIME, TIME)


def _by_chance(low: NDArray[np.float64], high: NDArray[np.float64]) -> float:
    """Return the share of pairs out of order if the two were independent."""
    ordered = np.sort(high)
    return float((np.searchsorted(ordered, low, side="left") / len(ordered)).mean())
