"""All positions are equally likely."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.distributions.distribution import Distribution

if TYPE_CHECKING:
    from yurt.core.distributions.distribution import Array


def inverse(u: Array, n: Array) -> Array:
    """All positions are equally likely."""
    return u * n - 0.5


DISTRIBUTION = Distribution("uniform", "uniform", inverse, "uniform", over_a_list=True)
