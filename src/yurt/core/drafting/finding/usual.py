"""How values are usually distributed: the simplest of our distributions that fits, or else a histogram.

Each candidate is fitted by least squares between the two cumulative shares, with its arguments rounded as they are
written, and judged by the greatest distance of the two (Kolmogorov and Smirnov's).
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, timedelta
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import DATE, DATETIME, INTEGER, TIME, Type
from yurt.core.distributions.distribution import Distribution, OutOfReach
from yurt.core.distributions.registry import all_distributions
from yurt.core.drafting.finding.rounding import Ends
from yurt.core.drafting.finding.shares import percentages
from yurt.core.drafting.quoting import DAY, EPOCH, duration, few_digits, literal
from yurt.core.drafting.samples.column import Numbers

Floats = NDArray[np.float64]
# Rows that are compared, points of a candidate, and points while its arguments are searched.
ROWS, POINTS, SEARCHED = 20_000, 2_000, 300
# Distances that are as good as none, and the price of each argument.
CLOSE, PRICE = 0.02, 0.004
LEAST_ROWS = 20
# The share of a range that its values reach if they are equally likely.
NARROWER = 0.9
BUCKETS = (0.0, 0.02, 0.05, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 0.95, 0.98, 1.0)
# A value with more than this share of its own stands apart in a histogram.
SPIKE = 0.1
# Below this first argument, nearly all values would be at the minimum.
LEAST_SHAPE = 0.2
# The least share of an interval.
LEAST_SHARE = 0.02
CLOCK_UNITS = (3_600_000_000, 300_000_000, 60_000_000, 1_000_000)
NUMBERS = ("low", "middle", "high", "exponential", "geometric", "poisson", "triangular", "normal", "lognormal", "gamma",
           "weibull", "beta", "pareto")  # fmt: skip
# Of two that fit equally well, the one that more people know is better.
UNFAMILIAR = ("gamma", "weibull", "beta", "pareto")
TIMED = ("low", "middle", "high", "triangular", "exponential", "geometric", "normal", "beta")


@dataclass(frozen=True)
class Usual:
    """The clause (empty if all values are equally likely), and its distance from the values."""

    clause: str
    distance: float


@dataclass(frozen=True)
class Grid:
    """The values of a range by their positions, and how a position is written."""

    kind: Type
    ends: Ends
    write: Callable[[float], str]

    @classmethod
    def of(cls, kind: Type, ends: Ends) -> Grid:
        """Return the grid of a range with fixed ends."""
        return cls(kind, ends, lambda place: literal(_rounded_place(place, kind, ends), kind))

    @property
    def timed(self) -> bool:
        return self.kind in (DATE, DATETIME, TIME)

    @property
    def zero(self) -> float:
        """The position of the value 0, where some distributions begin."""
        return 0.0 if self.timed else -self.ends.low / self.ends.step

    def distance(self, places: float) -> str:
        """Return a distance of some positions as it is written."""
        if self.timed:
            return duration(places * self.ends.step * (DAY if self.kind == DATE else 1))
        return few_digits(places * self.ends.step / 10**self.kind.places)

    def of_distance(self, text: str) -> float:
        """Return a written distance as a number of positions."""
        if not self.timed:
            return float(text) * float(10**self.kind.places) / self.ends.step
        digits = text.rstrip("dhmins")
        size = {"d": DAY, "h": 3_600_000_000, "min": 60_000_000, "s": 1_000_000, "ms": 1000}[text[len(digits) :]]
        return float(digits) * size / (self.ends.step * (DAY if self.kind == DATE else 1))


def _rounded_place(place: float, kind: Type, ends: Ends) -> int:
    """Return the value at a position, rounded so that it tells the middle of many."""
    value = ends.low + place * ends.step
    unit = 1
    span = ends.high - ends.low
    if kind == DATE:
        return min(max(_rounded_day(round(value), span), ends.low), ends.high)
    if kind in (DATETIME, TIME):
        unit = next(each for each in (DAY, *CLOCK_UNITS) if each <= span / 20 or each == CLOCK_UNITS[-1])
    else:
        while unit * 10 <= span / 50:
            unit *= 10
        unit = unit * 5 if unit * 5 <= span / 50 or (unit == 1 and span >= 40 and abs(value) >= 100) else unit
    return int(min(max(round(value / unit) * unit, ends.low), ends.high))


def _rounded_day(number: int, span: int) -> int:
    """Return the first day of the year or month for a day in a long range."""
    day = EPOCH + timedelta(number)
    if span > 365 * 20:
        day = date(day.year + (day.month > 6), 1, 1)
    elif span > 365 * 2:
        day = (day + timedelta(15)).replace(day=1)
    elif span > 60:
        day = day + timedelta(3) - timedelta((day + timedelta(3)).weekday())
    return (day - EPOCH).days


def usual(values: Numbers, grid: Grid) -> Usual:
    """Return how values are distributed over a range."""
    ends = grid.ends
    inside = values[(values >= ends.low) & (values <= ends.high)]
    places = np.sort((_thinned(inside) - ends.low) / ends.step)
    if len(places) < LEAST_ROWS or ends.positions < 2:
        return Usual("", _against_uniform(places, ends.positions) if len(places) else 0.0)
    allowed = max(CLOSE, 1.6 / np.sqrt(len(places)))
    plain = _against_uniform(places, ends.positions)
    even = max(CLOSE * 0.75, 1.63 / np.sqrt(len(places)))
    first, last = int(places[0]), int(places[-1])
    # A range with round ends is a little longer than that of the values.
    narrow = last - first + 1 >= NARROWER * ends.positions
    if plain <= even or (narrow and _against_uniform(places - first, last - first + 1) <= even):
        return Usual("", plain)
    found = [Usual("", plain)]
    scores = [plain]
    names = TIMED if grid.timed else NUMBERS
    for name in names:
        chosen = all_distributions()[name]
        if chosen.fits == "counts" and (grid.kind != INTEGER or ends.step != 1 or ends.positions > 5_000):
            continue
        if chosen.from_zero and not grid.timed and ends.low < 0:
            continue
        fitted = _fitted(chosen, places, grid)
        if fitted is not None:
            found.append(fitted)
            rare = name in UNFAMILIAR
            scores.append(fitted.distance + PRICE * (len(chosen.arguments) + rare))
    best = found[int(np.argmin(scores))]
    if best.distance <= allowed:
        return best
    for wider in (_mixture(places, grid), histogram(places, grid)):
        if wider is not None and wider.distance < best.distance:
            if wider.distance <= allowed:
                return wider
            best = wider
    return best


def _thinned(values: Numbers) -> Numbers:
    return values[:: max(1, len(values) // ROWS)] if len(values) > ROWS else values


def _uniform_numbers(count: int) -> Floats:
    return (np.arange(count) + 0.5) / count


def _against_uniform(places: Floats, positions: int) -> float:
    above = (np.floor(places) + 1) / positions
    return _greatest(places, above, np.floor(places) / positions)


def _greatest(places: Floats, at: Floats, before: Floats) -> float:
    """Return the greatest distance between the shares of sorted places and those of a model at and before each."""
    count = len(places)
    last = np.searchsorted(places, places, side="right") / count
    first = np.searchsorted(places, places, side="left") / count
    return float(max(np.abs(last - at).max(), np.abs(first - before).max()))


def _distance(places: Floats, model: Floats) -> float:
    """Return the greatest distance between two samples of sorted positions."""
    at = np.searchsorted(model, places, side="right") / len(model)
    before = np.searchsorted(model, places, side="left") / len(model)
    return _greatest(places, at, before)


def _modelled(chosen: Distribution, arguments: Floats, grid: Grid, count: int) -> Floats | None:
    n = np.asarray(float(grid.ends.positions))
    more = (np.asarray(grid.zero),) if chosen.from_zero else ()
    try:
        with np.errstate(all="ignore"):
            found = chosen.inverse(_uniform_numbers(count), n, *(np.asarray(each) for each in arguments), *more)
    except (OutOfReach, ValueError, FloatingPointError):
        return None
    if not np.isfinite(found).all():
        return None
    return np.clip(np.rint(np.broadcast_to(found, (count,))), 0, grid.ends.positions - 1)


def _fitted(chosen: Distribution, places: Floats, grid: Grid) -> Usual | None:
    """Return a distribution with its best arguments, as they are written."""
    if not chosen.arguments:
        model = _modelled(chosen, np.empty(0), grid, POINTS)
        return None if model is None else Usual(f"usually {chosen.name}", _distance(places, model))
    start = _start(chosen.name, places, grid)
    if start is None:
        return None
    arguments = _searched(chosen, np.array(start, dtype=np.float64), places, grid)
    if arguments is None:
        return None
    texts, numbers = [], []
    for argument, value in zip(chosen.arguments, arguments, strict=True):
        if argument.unit == "position":
            kept = min(max(value, 0.0), grid.ends.positions - 1.0)
            texts.append(grid.write(kept))
            numbers.append((_rounded_place(kept, grid.kind, grid.ends) - grid.ends.low) / grid.ends.step)
        elif argument.unit == "distance":
            texts.append(grid.distance(value))
            numbers.append(grid.of_distance(texts[-1]))
        else:
            texts.append(few_digits(value))
            numbers.append(float(texts[-1]))
    if any(number <= 0 for argument, number in zip(chosen.arguments, numbers, strict=True) if argument.rule != "any"):
        return None
    if chosen.name in ("beta", "gamma", "weibull") and numbers[0] < LEAST_SHAPE:
        return None
    model = _modelled(chosen, np.array(numbers), grid, POINTS)
    return None if model is None else Usual(f"usually {chosen.name}({', '.join(texts)})", _distance(places, model))


def _start(name: str, places: Floats, grid: Grid) -> tuple[float, ...] | None:
    """Return first arguments, from the mean and the variance of the values."""
    n, zero = grid.ends.positions, grid.zero
    mean, spread = float(places.mean()), max(float(places.std()), 0.3)
    above = places - zero + (0.5 if grid.timed else 0)
    mean_above = float(above.mean())
    share, size = (mean + 0.5) / n, (spread / n) ** 2
    match name:
        case "exponential":
            return (mean + 0.5,)
        case "geometric":
            return (1 / (mean + 1),)
        case "poisson":
            return (mean_above,) if mean_above > 0 else None
        case "triangular":
            return (float(np.clip(3 * mean - n, 0, n - 1)),)
        case "normal":
            return (mean, spread)
        case "lognormal":
            positive = above[above > 0]
            return (
                None
                if len(positive) < len(above) * 0.999
                else (float(np.median(positive)), max(float(np.log(positive).std()), 0.05))
            )
        case "gamma":
            return ((mean_above / spread) ** 2, spread**2 / mean_above) if mean_above > 0 else None
        case "weibull":
            return (max(mean_above / spread, 0.3), mean_above) if mean_above > 0 else None
        case "beta":
            common = max(share * (1 - share) / max(size, 1e-9) - 1, 0.2)
            return (share * common, (1 - share) * common)
        case "pareto":
            low = max(grid.ends.low / grid.ends.step, 0.0)
            return (1 / max(float(np.log(np.maximum(above, 1e-9) / low).mean()), 1e-3),) if low > 0 else None
    return None


def _searched(chosen: Distribution, start: Floats, places: Floats, grid: Grid) -> Floats | None:
    from scipy.optimize import minimize

    free = np.array([each.rule == "any" for each in chosen.arguments])
    spread = max(float(places.std()), 0.3)
    compared = np.quantile(places, _uniform_numbers(SEARCHED), method="nearest")
    unique = np.unique(compared)
    shares = np.searchsorted(places, unique, side="right") / len(places)

    def arguments(x: Floats) -> Floats:
        found = np.where(free, x * spread, np.exp(np.clip(np.where(free, 0.0, x), -40, 40)))
        return np.minimum(found, 1 - 1e-9) if chosen.name == "geometric" else found

    def loss(x: Floats) -> float:
        model = _modelled(chosen, arguments(x), grid, SEARCHED)
        if model is None:
            return 1.0
        return float(((np.searchsorted(model, unique, side="right") / SEARCHED - shares) ** 2).mean())

    first = np.where(free, start / spread, np.log(np.maximum(np.where(free, 1.0, start), 1e-9)))
    simplex = np.vstack([first, first + np.eye(len(first)) * 0.4])
    found = minimize(
        loss,
        first,
        method="Nelder-Mead",
        options={"maxfev": 90, "initial_simplex": simplex, "xatol": 1e-3, "fatol": 1e-7},
    )
    return arguments(found.x) if found.fun < 1 else None


def _mixture(places: Floats, grid: Grid) -> Usual | None:
    """Return a mixture of two normal distributions (expectation and maximisation), if there are two summits."""
    if grid.ends.positions < 20:
        return None
    middles = np.quantile(places, (0.2, 0.8))
    spreads = np.full(2, max(float(places.std()) / 2, 0.3))
    weights = np.array([0.5, 0.5])
    for _ in range(200):
        density = weights / spreads * np.exp(-0.5 * ((places[:, None] - middles) / spreads) ** 2)
        share = density / np.maximum(density.sum(axis=1, keepdims=True), 1e-300)
        total = np.maximum(share.sum(axis=0), 1e-9)
        middles = (share * places[:, None]).sum(axis=0) / total
        spreads = np.maximum(np.sqrt((share * (places[:, None] - middles) ** 2).sum(axis=0) / total), 0.3)
        weights = total / total.sum()
    if weights.min() < 0.05 or abs(middles[0] - middles[1]) < spreads.min():
        return None
    chosen = all_distributions()["normal"]
    parts, texts = [], []
    first = round(100 * weights[0])
    for middle, spread in zip(middles, spreads, strict=True):
        texts.append((grid.write(middle), grid.distance(spread)))
        rounded = (_rounded_place(middle, grid.kind, grid.ends) - grid.ends.low) / grid.ends.step
        model = _modelled(chosen, np.array([rounded, max(grid.of_distance(texts[-1][1]), 1e-6)]), grid, POINTS)
        if model is None:
            return None
        parts.append(model)
    at, before = (
        sum(
            share / 100 * np.searchsorted(model, places, side=side) / POINTS
            for share, model in zip((first, 100 - first), parts, strict=True)
        )
        for side in ("right", "left")
    )
    (one, one_spread), (two, two_spread) = texts
    clause = f"usually normal({one}, {one_spread}) {first}% | normal({two}, {two_spread}) {100 - first}%"
    return Usual(clause, _greatest(places, at, before))


def histogram(places: Floats, grid: Grid) -> Usual | None:
    """Return a histogram with round limits, values with a large share of their own apart."""
    n = grid.ends.positions
    starts = _starts(places, grid)
    if len(starts) < 2:
        return None
    ends = [*(each - 1 for each in starts[1:]), n - 1]
    counts = np.array([((places >= a) & (places <= b)).sum() for a, b in zip(starts, ends, strict=True)])
    parts = [(a, b, count) for a, b, count in zip(starts, ends, counts.tolist(), strict=True) if count]
    if len(parts) < 2:
        return None
    shares = percentages(np.array([count for _, _, count in parts]))
    at, before = np.zeros(len(places)), np.zeros(len(places))
    texts = []
    for (a, b, _), share in zip(parts, shares, strict=True):
        at += share / 100 * np.clip((places - a + 1) / (b - a + 1), 0, 1)
        before += share / 100 * np.clip((places - a) / (b - a + 1), 0, 1)
        first, last = (literal(grid.ends.low + each * grid.ends.step, grid.kind) for each in (a, b))
        texts.append(f"{first}..{last} {share}%")
    return Usual(f"usually histogram({', '.join(texts)})", _greatest(places, at, before))


def _starts(places: Floats, grid: Grid) -> list[int]:
    """Return the first positions of the intervals of a histogram."""
    n = grid.ends.positions
    if n <= 14:
        return list(range(n))
    found = {0}
    values, counts = np.unique(places, return_counts=True)
    for value in values[counts > SPIKE * len(places)].astype(int).tolist():
        found |= {value, value + 1}
    quantiles = np.quantile(places, BUCKETS)
    for low, high in pairwise(quantiles):
        unit = 1
        while unit * 10 <= max(high - low, 1):
            unit *= 10
        edge = _aligned(high, unit, grid)
        if 0 < edge < n:
            found.add(edge)
    starts = sorted(each for each in found if each < n)
    kept = [0]
    for start in starts[1:]:
        share = (np.searchsorted(places, start) - np.searchsorted(places, kept[-1])) / len(places)
        if share >= LEAST_SHARE or kept[-1] + 1 == start:
            kept.append(start)
    return kept


def _aligned(place: float, unit: int, grid: Grid) -> int:
    """Return a position near a place whose value is round."""
    if grid.timed:
        return round(place / unit) * unit
    value = grid.ends.low + place * grid.ends.step
    size = unit * grid.ends.step
    return int((round(value / size) * size - grid.ends.low) // grid.ends.step)
