"""What is usual: distributions over a grid of allowed values, by inverting their cumulative function.

A grid has `n` places, 0 to n-1; each place stands for the stretch from half a step below it to half a step above. A
distribution takes a uniform number `u` in (0, 1) and gives a position in (-0.5, n-0.5); rounding it gives the place.
Truncation rescales `u` to the share of the distribution inside the grid, so nothing piles up at the ends. Parameters
are in steps of the grid; `n`, parameters and `u` may all be arrays. Inversions: L. Devroye, "Non-Uniform Random
Variate Generation" (1986), chapter II.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yurt.core.columns.faults import refuse
from yurt.core.model.words import ANY, CHANCE
from yurt.core.model.words import DISTRIBUTIONS as RULES

Array = NDArray[np.float64]
HEAD = 1 << 16


class OutOfReach(ValueError):
    """A distribution that has practically nothing inside the allowed range."""


def uniform(u: Array, n: Array) -> Array:
    """Every place alike."""
    return u * n - 0.5


def low(u: Array, n: Array) -> Array:
    """Density falling in a straight line to 0 at the upper end."""
    return (1 - np.sqrt(1 - u)) * n - 0.5


def high(u: Array, n: Array) -> Array:
    """Density rising in a straight line from 0 at the lower end."""
    return np.sqrt(u) * n - 0.5


def middle(u: Array, n: Array) -> Array:
    """Density rising to the middle and falling again, in straight lines."""
    return np.where(u < 0.5, np.sqrt(u / 2), 1 - np.sqrt((1 - u) / 2)) * n - 0.5


def triangular(u: Array, n: Array, mode: Array) -> Array:
    """Density rising to the mode and falling again, from end to end of the grid."""
    share = np.clip((mode + 0.5) / n, 0, 1)
    rising = np.sqrt(u * share)
    falling = 1 - np.sqrt((1 - u) * (1 - share))
    return np.where(u < share, rising, falling) * n - 0.5


def normal(u: Array, n: Array, mean: Array, spread: Array) -> Array:
    """The normal distribution with mean and standard deviation."""
    return mean + spread * _truncated_normal(u, (-0.5 - mean) / spread, (n - 0.5 - mean) / spread)


def lognormal(u: Array, n: Array, median: Array, sigma: Array, zero: Array) -> Array:
    """exp of a normal distribution: `median`, and the standard deviation of the logarithm.

    `zero` is the place of the value 0, where the distribution begins; `median` is counted from there.
    """
    with np.errstate(divide="ignore"):
        lower = np.log(np.maximum(-0.5 - zero, 0)) - np.log(median)
    upper = np.log(np.maximum(n - 0.5 - zero, 1e-300)) - np.log(median)
    found: Array = zero + median * np.exp(sigma * _truncated_normal(u, lower / sigma, upper / sigma))
    return found


def _truncated_normal(u: Array, lower: Array, upper: Array) -> Array:
    """Invert the normal distribution between two ends; above its middle on the mirrored side, where it is precise."""
    from scipy.special import ndtr, ndtri

    mirrored = lower > 0
    start, end = np.where(mirrored, -upper, lower), np.where(mirrored, -lower, upper)
    below, above = ndtr(start), ndtr(end)
    share = above - below
    if np.any(share < 1e-290):
        raise OutOfReach
    found: Array = ndtri(below + np.where(mirrored, 1 - u, u) * share)
    mirrored_back: Array = np.where(mirrored, -found, found)
    return mirrored_back


def exponential(u: Array, n: Array, mean: Array) -> Array:
    """Falling from the lower end with that mean."""
    return -mean * np.log1p(u * np.expm1(-n / mean)) - 0.5


def gamma(u: Array, n: Array, shape: Array, scale: Array, zero: Array) -> Array:
    """The gamma distribution, which begins at the place `zero` of the value 0."""
    from scipy.special import gammainc, gammaincinv

    below, above = (gammainc(shape, np.maximum(end - zero, 0) / scale) for end in (-0.5, n - 0.5))
    found: Array = zero + scale * gammaincinv(shape, _between(u, below, above))
    return found


def weibull(u: Array, n: Array, shape: Array, scale: Array, zero: Array) -> Array:
    """The Weibull distribution, which begins at the place `zero` of the value 0."""
    below, above = (-np.expm1(-((np.maximum(end - zero, 0) / scale) ** shape)) for end in (-0.5, n - 0.5))
    found: Array = zero + scale * (-np.log1p(-_between(u, below, above))) ** (1 / shape)
    return found


def pareto(u: Array, n: Array, exponent: Array, zero: Array) -> Array:
    """Density in proportion to x**-(exponent + 1) over a range of positive values."""
    first, last = -0.5 - zero, n - 0.5 - zero
    if np.any(first <= 0):
        raise OutOfReach
    # In units of the lower end, so that powers of large numbers stay small ones.
    found: Array = zero + first * (1 - u * (1 - (last / first) ** -exponent)) ** (-1 / exponent)
    return found


def beta(u: Array, n: Array, a: Array, b: Array) -> Array:
    """The beta distribution from end to end of the grid."""
    from scipy.special import betaincinv

    found: Array = betaincinv(a, b, u) * n - 0.5
    return found


def poisson(u: Array, n: Array, mean: Array, zero: Array) -> Array:
    """Counts with that mean; `zero` is the place of the count 0."""
    from scipy.special import pdtr, pdtrik

    below, above = pdtr(-zero - 1, mean), pdtr(n - 1 - zero, mean)
    aim = _between(u, np.where(-zero < 1, 0.0, below), above)
    return _step_up(np.ceil(pdtrik(aim, mean)), aim, lambda k: pdtr(k, mean)) + zero


def binomial(u: Array, n: Array, trials: Array, chance: Array, zero: Array) -> Array:
    """How many of `trials` succeed, each with the same chance; `zero` is the place of the count 0."""
    from scipy.special import bdtr, bdtrik

    trials = np.floor(trials)
    most = np.minimum(n - 1 - zero, trials)
    if np.any(most < -zero):
        raise OutOfReach
    below, above = np.where(-zero < 1, 0.0, bdtr(np.maximum(-zero - 1, 0), trials, chance)), bdtr(most, trials, chance)
    aim = _between(u, below, above)
    return _step_up(np.ceil(bdtrik(aim, trials, chance)), aim, lambda k: bdtr(k, trials, chance)) + zero


def _between(u: Array, below: Array, above: Array) -> Array:
    """Rescale `u` to the share of a distribution that lies on the grid."""
    share = above - below
    if np.any(share < 1e-290):
        raise OutOfReach
    return below + u * share


def _step_up(count: Array, aim: Array, cumulative: Callable[[Array], Array]) -> Array:
    """Return the smallest count whose cumulative share reaches `aim`, given one that is at most one off."""
    count = np.maximum(np.nan_to_num(count), 0)
    lower = np.maximum(count - 1, 0)
    count = np.where(cumulative(lower) >= aim, lower, count)
    return np.where(cumulative(count) < aim, count + 1, count)


def geometric(u: Array, n: Array, chance: Array) -> Array:
    """Each place has `1 - chance` times the share of the one before."""
    if np.all(chance >= 1):
        return np.zeros_like(u)
    rest = np.log1p(-np.minimum(chance, 1 - 1e-15))
    return np.floor(np.log1p(u * np.expm1(n * rest)) / rest)


def zipf(u: Array, n: Array, exponent: Array) -> Array:
    """The k-th place has a share in proportion to k**-exponent.

    The first 65,536 places are exact. Behind them the sum is replaced by its integral from the middle of one place to
    the middle of the next (midpoint rule), whose error is below 1e-10 of the share.
    """
    s = float(np.ravel(exponent)[0])
    most = int(np.max(n))
    sums = _zipf_sums(s, min(most, HEAD))
    inside = np.minimum(n, HEAD).astype(np.int64)
    total = sums[inside - 1] + (_power_integral(HEAD, n, s) if most > HEAD else 0.0)
    aim = u * total
    places = np.searchsorted(sums, aim, side="right").astype(np.float64)
    tail = aim >= sums[-1]
    if most > HEAD and tail.any():
        more = np.broadcast_to(aim, tail.shape)[tail] - sums[-1]
        base = HEAD + 0.5
        if abs(s - 1) < 1e-9:
            places[tail] = base * np.exp(more) - 0.5
        else:
            places[tail] = (base ** (1 - s) + (1 - s) * more) ** (1 / (1 - s)) - 0.5
        places[tail] = np.floor(places[tail])
    return np.minimum(places, n - 1)


def _power_integral(start: int, end: Array, s: float) -> Array:
    """Return the integral of x**-s from start+0.5 to end+0.5, 0 where end is not above start."""
    a, b = start + 0.5, np.maximum(end, start) + 0.5
    return np.log(b / a) if abs(s - 1) < 1e-9 else (b ** (1 - s) - a ** (1 - s)) / (1 - s)


@lru_cache(maxsize=32)
def _zipf_sums(s: float, size: int) -> Array:
    return np.cumsum(np.arange(1, size + 1, dtype=np.float64) ** -s)


SHAPES: dict[str, Callable[..., Array]] = {
    each.__name__: each
    for each in (
        uniform,
        low,
        high,
        middle,
        triangular,
        normal,
        lognormal,
        exponential,
        gamma,
        weibull,
        pareto,
        beta,
        poisson,
        binomial,
        geometric,
        zipf,
    )
}


def draw(name: str, u: Array, n: Any, arguments: list[Any], rows: Any) -> NDArray[np.int64]:
    """Return a place of a grid for each row, by the distribution of that name; `rows` name the rows in messages."""
    for argument, rule in zip(arguments, RULES[name][0], strict=False):
        wrong = (argument <= 0) | (argument > 1) if rule == CHANCE else argument <= 0
        if rule != ANY:
            refuse(rows, wrong, f"an argument of `{name}` must be {rule}")
    fixed = name in CUMULATIVE and np.ndim(n) == 0 and all(np.ndim(each) == 0 for each in arguments)
    if fixed and int(n) <= MOST_LISTED:
        return _listed(name, int(n), *(float(each) for each in arguments))(u)
    return places(SHAPES[name](u, n, *arguments), n)


def _counts_up_to(edges: Array, zero: float) -> Array:
    return np.floor(edges + 0.5 - zero) - 1


def _gamma_up_to(edges: Array, n: int, shape: float, scale: float, zero: float) -> Array:
    from scipy.special import gammainc

    found: Array = gammainc(shape, np.maximum(edges - zero, 0) / scale)
    return found


def _beta_up_to(edges: Array, n: int, a: float, b: float) -> Array:
    from scipy.special import betainc

    found: Array = betainc(a, b, np.clip((edges + 0.5) / n, 0, 1))
    return found


def _poisson_up_to(edges: Array, n: int, mean: float, zero: float) -> Array:
    from scipy.special import pdtr

    counts = _counts_up_to(edges, zero)
    return np.where(counts < 0, 0.0, pdtr(np.maximum(counts, 0), mean))


def _binomial_up_to(edges: Array, n: int, trials: float, chance: float, zero: float) -> Array:
    from scipy.special import bdtr

    counts, whole = _counts_up_to(edges, zero), int(trials)
    inside = bdtr(np.clip(counts, 0, whole), whole, chance)
    return np.where(counts < 0, 0.0, np.where(counts >= whole, 1.0, inside))


# Shares up to a position of the grid, for shapes that are slow to invert: with the same arguments for all rows, the
# share of every place is listed once, and looked up.
CUMULATIVE: dict[str, Callable[..., Array]] = {
    "gamma": _gamma_up_to, "beta": _beta_up_to, "poisson": _poisson_up_to, "binomial": _binomial_up_to,
}  # fmt: skip
MOST_LISTED = 1 << 18


@lru_cache(maxsize=32)
def _listed(name: str, n: int, *arguments: float) -> Weighted:
    """Return what draws places of a grid by the shares that a distribution gives each."""
    sums = CUMULATIVE[name](np.arange(n + 1) - 0.5, n, *arguments)
    total = sums[-1] - sums[0]
    if not total > 1e-290:
        raise OutOfReach
    ends = (sums[1:] - sums[0]) / total
    ends[-1] = 1.0
    return Weighted(ends)


@lru_cache(maxsize=32)
def by_place(name: str, n: int, *arguments: float) -> Array:
    """Return the share of every place of a small grid, found by halving intervals of u: exact for any shape."""
    edges = np.arange(n) + 0.5
    low, high = np.zeros(n), np.ones(n)
    fixed = [np.array(each) for each in arguments]
    for _ in range(60):
        middle = (low + high) / 2
        below = SHAPES[name](np.clip(middle, 1e-300, 1 - 1e-16), np.array(n), *fixed) <= edges
        low, high = np.where(below, middle, low), np.where(below, high, middle)
    low[-1] = 1.0
    return np.diff(low, prepend=0.0)


def places(position: Array, n: Array | NDArray[np.int64]) -> NDArray[np.int64]:
    """Round positions to places of a grid; the limits only catch the last bit of a rounding error."""
    return np.clip(np.rint(position), 0, np.asarray(n) - 1).astype(np.int64)


class Weighted:
    """Draws places 0 … n-1 by weight: a table of guides finds most at once, a search the rest.

    `ends` are the running sums of the weights, from above 0 up to exactly 1.
    """

    def __init__(self, ends: Array) -> None:
        self.ends = ends
        self.cells = 1 << max(6, min(16, (4 * len(ends)).bit_length()))
        starts = np.arange(self.cells + 1) / self.cells
        self.guide = np.searchsorted(ends, starts, side="right").astype(np.int64)
        self.guide[-1] = np.searchsorted(ends, 1.0)
        self.sure = self.guide[:-1] == self.guide[1:]

    def __call__(self, u: Array) -> NDArray[np.int64]:
        cell = (u * self.cells).astype(np.int64)
        found = self.guide[cell]
        open_cells = np.flatnonzero(~self.sure[cell])
        found[open_cells] = np.searchsorted(self.ends, u[open_cells], side="right")
        return found


def weighted(weights: Array) -> Weighted:
    """Return what draws by these weights; not all of them are 0."""
    ends = np.cumsum(weights) / np.sum(weights)
    ends[np.flatnonzero(weights)[-1] :] = 1.0
    return Weighted(ends)


class Grouped:
    """Draws by weight inside one of several groups; the places of each group stand side by side.

    Each group takes the same stretch of the numbers from 0 to 1. The ends of the stretches are exact, and draws keep
    2**-40 away from them, so that rounding never leads into the neighbouring group.
    """

    def __init__(self, weights: Array, group: NDArray[np.int64], groups: int) -> None:
        """Take places sorted by `group`; every group has a place with a weight."""
        sums = np.bincount(group, weights, minlength=groups)
        ends = np.cumsum(weights / sums[group]) / groups
        last = np.searchsorted(group, np.arange(groups), side="right") - 1
        ends[last] = np.arange(1, groups + 1) / groups
        self.groups = groups
        self.inside = Weighted(ends)

    def __call__(self, u: Array, group: NDArray[np.int64] | int) -> NDArray[np.int64]:
        return self.inside((u * (1 - 2.0**-39) + 2.0**-40 + group) / self.groups)
