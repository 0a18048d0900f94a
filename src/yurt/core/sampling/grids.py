"""Positions on a grid, drawn from a distribution."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.arrays import Values
from yurt.core.columns.faults import refuse
from yurt.core.distributions.distribution import ANY, CHANCE, OutOfReach
from yurt.core.distributions.registry import all_distributions
from yurt.core.distributions.truncated import LEAST_SHARE
from yurt.core.sampling.weights import Weighted

Array = NDArray[np.float64]


def draw(name: str, u: Array, n: Values, arguments: list[Values], rows: Values) -> NDArray[np.int64]:
    """Return a grid position for each row, from the distribution with that name; `rows` identify the rows in
    messages.
    """
    chosen = all_distributions()[name]
    for value, argument in zip(arguments, chosen.arguments, strict=False):
        wrong = (value <= 0) | (value > 1) if argument.rule == CHANCE else value <= 0
        if argument.rule != ANY:
            refuse(rows, wrong, f"an argument of `{name}` must be {argument.rule}")
    fixed = chosen.cumulative is not None and np.ndim(n) == 0 and all(np.ndim(each) == 0 for each in arguments)
    if fixed and int(n) <= MOST_LISTED:
        return _listed(name, int(n), *(float(each) for each in arguments))(u)
    return places(chosen.inverse(u, n, *arguments), n)


MOST_LISTED = 1 << 18


@lru_cache(maxsize=32)
def _listed(name: str, n: int, *arguments: float) -> Weighted:
    """Return a function that draws grid positions by the shares of a distribution."""
    cumulative = all_distributions()[name].cumulative
    assert cumulative is not None
    sums = cumulative(np.arange(n + 1) - 0.5, n, *arguments)
    total = sums[-1] - sums[0]
    if not total > LEAST_SHARE:
        raise OutOfReach
    ends = (sums[1:] - sums[0]) / total
    ends[-1] = 1.0
    return Weighted(ends)


@lru_cache(maxsize=32)
def by_place(name: str, n: int, *arguments: float) -> Array:
    """Return the share of every position of a small grid, found by bisection of u: exact for any shape."""
    edges = np.arange(n) + 0.5
    low, high = np.zeros(n), np.ones(n)
    fixed = [np.array(each) for each in arguments]
    for _ in range(60):
        middle = (low + high) / 2
        below = all_distributions()[name].inverse(np.clip(middle, 1e-300, 1 - 1e-16), np.array(n), *fixed) <= edges
        low, high = np.where(below, middle, low), np.where(below, high, middle)
    low[-1] = 1.0
    return np.diff(low, prepend=0.0)


def places(position: Array, n: Array | NDArray[np.int64]) -> NDArray[np.int64]:
    """Round to positions of a grid; the limits only catch rounding errors in the last bit."""
    return np.clip(np.rint(position), 0, np.asarray(n) - 1).astype(np.int64)
