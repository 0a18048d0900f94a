"""Counts with a mean."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.distributions.distribution import Argument, Distribution
from yurt.core.distributions.truncated import between, counts_up_to, step_up

if TYPE_CHECKING:
    from yurt.core.distributions.distribution import Array


def inverse(u: Array, n: Array, mean: Array, zero: Array) -> Array:
    """Counts with that mean; `zero` is the position of the count 0."""
    import numpy as np
    from scipy.special import pdtr, pdtrik

    below, above = pdtr(-zero - 1, mean), pdtr(n - 1 - zero, mean)
    aim = between(u, np.where(-zero < 1, 0.0, below), above)
    return step_up(np.ceil(pdtrik(aim, mean)), aim, lambda k: pdtr(k, mean)) + zero


def cumulative(edges: Array, n: int, mean: float, zero: float) -> Array:
    """Return the cumulative share at positions of the grid."""
    import numpy as np
    from scipy.special import pdtr

    counts = counts_up_to(edges, zero)
    return np.where(counts < 0, 0.0, pdtr(np.maximum(counts, 0), mean))


DISTRIBUTION = Distribution(
    "poisson", "poisson(mean)", inverse, "poisson", (Argument(),), cumulative, from_zero=True, fits="counts"
)
