"""The gamma distribution."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.distributions.distribution import Argument, Distribution
from yurt.core.distributions.truncated import between

if TYPE_CHECKING:
    from yurt.core.distributions.distribution import Array


def inverse(u: Array, n: Array, shape: Array, scale: Array, zero: Array) -> Array:
    """The gamma distribution, which begins at the position `zero` of the value 0."""
    import numpy as np
    from scipy.special import gammainc, gammaincinv

    below, above = (gammainc(shape, np.maximum(end - zero, 0) / scale) for end in (-0.5, n - 0.5))
    found: Array = zero + scale * gammaincinv(shape, between(u, below, above))
    return found


def cumulative(edges: Array, n: int, shape: float, scale: float, zero: float) -> Array:
    """Return the cumulative share at positions of the grid."""
    import numpy as np
    from scipy.special import gammainc

    found: Array = gammainc(shape, np.maximum(edges - zero, 0) / scale)
    return found


DISTRIBUTION = Distribution(
    "gamma", "gamma(shape, scale)", inverse, "gamma", (Argument(), Argument(unit="distance")), cumulative, True
)
