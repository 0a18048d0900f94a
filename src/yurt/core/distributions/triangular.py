"""A density that rises to its mode and falls again."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.distributions.distribution import Argument, Distribution

if TYPE_CHECKING:
    from yurt.core.distributions.distribution import Array


def inverse(u: Array, n: Array, mode: Array) -> Array:
    """Density rising to the mode and falling again, from end to end of the grid."""
    import numpy as np

    share = np.clip((mode + 0.5) / n, 0, 1)
    rising = np.sqrt(u * share)
    falling = 1 - np.sqrt((1 - u) * (1 - share))
    return np.where(u < share, rising, falling) * n - 0.5


DISTRIBUTION = Distribution(
    "triangular", "triangular(most frequent value)", inverse, "triang", (Argument("any", "position"),)
)
