"""The normal distribution."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.distributions.distribution import Argument, Distribution
from yurt.core.distributions.truncated import truncated_normal

if TYPE_CHECKING:
    from yurt.core.distributions.distribution import Array


def inverse(u: Array, n: Array, mean: Array, spread: Array) -> Array:
    """The normal distribution with mean and standard deviation."""
    return mean + spread * truncated_normal(u, (-0.5 - mean) / spread, (n - 0.5 - mean) / spread)


DISTRIBUTION = Distribution(
    "normal", "normal(mean, spread)", inverse, "norm", (Argument("any", "position"), Argument(unit="distance"))
)
