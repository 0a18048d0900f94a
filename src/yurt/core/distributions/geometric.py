"""Each position has a fixed share of the previous one."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.distributions.distribution import Argument, Distribution

if TYPE_CHECKING:
    from yurt.core.distributions.distribution import Array


def inverse(u: Array, n: Array, chance: Array) -> Array:
    """Each position has `1 - chance` times the share of the previous one."""
    import numpy as np

    if np.all(chance >= 1):
        return np.zeros_like(u)
    rest = np.log1p(-np.minimum(chance, 1 - 1e-15))
    return np.floor(np.log1p(u * np.expm1(n * rest)) / rest)


DISTRIBUTION = Distribution(
    "geometric",
    "geometric(chance to stop at each step)",
    inverse,
    "geom",
    (Argument("above 0 and at most 1"),),
    over_a_list=True,
)
