"""The lognormal distribution."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.distributions.distribution import Argument, Distribution
from yurt.core.distributions.truncated import truncated_normal

if TYPE_CHECKING:
    from yurt.core.distributions.distribution import Array


def inverse(u: Array, n: Array, median: Array, sigma: Array, zero: Array) -> Array:
    """exp of a normal distribution: `median`, and the standard deviation of the logarithm.

    `zero` is the position of the value 0, where the distribution begins; `median` is counted from there.
    """
    import numpy as np

    with np.errstate(divide="ignore"):
        lower = np.log(np.maximum(-0.5 - zero, 0)) - np.log(median)
    upper = np.log(np.maximum(n - 0.5 - zero, 1e-300)) - np.log(median)
    found: Array = zero + median * np.exp(sigma * truncated_normal(u, lower / sigma, upper / sigma))
    return found


DISTRIBUTION = Distribution(
    "lognormal", "lognormal(median, sigma)", inverse, "lognorm", (Argument(unit="distance"), Argument()), from_zero=True
)
