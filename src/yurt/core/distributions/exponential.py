"""The exponential distribution, falling from the minimum."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.distributions.distribution import Argument, Distribution

if TYPE_CHECKING:
    from yurt.core.distributions.distribution import Array


def inverse(u: Array, n: Array, mean: Array) -> Array:
    """Falling from the minimum, with that mean."""
    import numpy as np

    return -mean * np.log1p(u * np.expm1(-n / mean)) - 0.5


DISTRIBUTION = Distribution(
    "exponential", "exponential(mean above the minimum)", inverse, "expon", (Argument(unit="distance"),)
)
