"""A density that falls in a straight line to 0 at the maximum."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.distributions.distribution import Distribution

if TYPE_CHECKING:
    from yurt.core.distributions.distribution import Array


def inverse(u: Array, n: Array) -> Array:
    """Density falling in a straight line to 0 at the maximum."""
    import numpy as np

    return (1 - np.sqrt(1 - u)) * n - 0.5


DISTRIBUTION = Distribution("low", "low", inverse, "triang", over_a_list=True)
