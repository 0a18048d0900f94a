"""A density that rises to the middle and falls again."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.distributions.distribution import Distribution

if TYPE_CHECKING:
    from yurt.core.distributions.distribution import Array


def inverse(u: Array, n: Array) -> Array:
    """Density rising to the middle and falling again, in straight lines."""
    import numpy as np

    return np.where(u < 0.5, np.sqrt(u / 2), 1 - np.sqrt((1 - u) / 2)) * n - 0.5


DISTRIBUTION = Distribution("middle", "middle", inverse, "triang", over_a_list=True)
