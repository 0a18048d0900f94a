"""A density that rises in a straight line from 0 at the minimum."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.distributions.distribution import Distribution

if TYPE_CHECKING:
    from yurt.core.distributions.distribution import Array


def inverse(u: Array, n: Array) -> Array:
    """Density rising in a straight line from 0 at the minimum."""
    import numpy as np

    return np.sqrt(u) * n - 0.5


DISTRIBUTION = Distribution("high", "high", inverse, "triang", over_a_list=True)
