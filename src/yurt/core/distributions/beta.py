"""The beta distribution from end to end of the grid."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.distributions.distribution import Argument, Distribution

if TYPE_CHECKING:
    from yurt.core.distributions.distribution import Array


def inverse(u: Array, n: Array, a: Array, b: Array) -> Array:
    """The beta distribution from end to end of the grid."""
    from scipy.special import betaincinv

    found: Array = betaincinv(a, b, u) * n - 0.5
    return found


def cumulative(edges: Array, n: int, a: float, b: float) -> Array:
    """Return the cumulative share at positions of the grid."""
    import numpy as np
    from scipy.special import betainc

    found: Array = betainc(a, b, np.clip((edges + 0.5) / n, 0, 1))
    return found


DISTRIBUTION = Distribution("beta", "beta(a, b)", inverse, "beta", (Argument(), Argument()), cumulative)
