"""The Weibull distribution."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.distributions.distribution import Argument, Distribution
from yurt.core.distributions.truncated import between

if TYPE_CHECKING:
    from yurt.core.distributions.distribution import Array


def inverse(u: Array, n: Array, shape: Array, scale: Array, zero: Array) -> Array:
    """The Weibull distribution, which begins at the position `zero` of the value 0."""
    import numpy as np

    below, above = (-np.expm1(-((np.maximum(end - zero, 0) / scale) ** shape)) for end in (-0.5, n - 0.5))
    found: Array = zero + scale * (-np.log1p(-between(u, below, above))) ** (1 / shape)
    return found


DISTRIBUTION = Distribution(
    "weibull", "weibull(shape, scale)", inverse, "weibull_min", (Argument(), Argument(unit="distance")), from_zero=True
)
