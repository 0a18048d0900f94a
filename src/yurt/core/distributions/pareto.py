"""The Pareto distribution over a range of positive values."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.distributions.distribution import Argument, Distribution, OutOfReach

if TYPE_CHECKING:
    from yurt.core.distributions.distribution import Array


def inverse(u: Array, n: Array, exponent: Array, zero: Array) -> Array:
    """Density in proportion to x**-(exponent + 1) over a range of positive values."""
    import numpy as np

    first, last = -0.5 - zero, n - 0.5 - zero
    if np.any(first <= 0):
        raise OutOfReach
    # In units of the minimum, so that powers of large numbers stay small.
    found: Array = zero + first * (1 - u * (1 - (last / first) ** -exponent)) ** (-1 / exponent)
    return found


DISTRIBUTION = Distribution(
    "pareto", "pareto(exponent)", inverse, "pareto", (Argument(),), from_zero=True, fits="numbers"
)
