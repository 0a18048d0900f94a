"""What several distributions need for inversion inside a grid."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from yurt.core.distributions.distribution import OutOfReach

if TYPE_CHECKING:
    from yurt.core.distributions.distribution import Array

# A smaller probability inside the range counts as none: the inverted numbers would lose all digits.
LEAST_SHARE = 1e-290


def truncated_normal(u: Array, lower: Array, upper: Array) -> Array:
    """Invert the normal distribution between two ends; above its middle on the mirrored side, where it is precise."""
    import numpy as np

    from yurt.core.base import normal

    mirrored = lower > 0
    start, end = np.where(mirrored, -upper, lower), np.where(mirrored, -lower, upper)
    below, above = normal.cumulative(start), normal.cumulative(end)
    share = above - below
    if np.any(share < LEAST_SHARE):
        raise OutOfReach
    found: Array = normal.inverse(below + np.where(mirrored, 1 - u, u) * share)
    mirrored_back: Array = np.where(mirrored, -found, found)
    return mirrored_back


def between(u: Array, below: Array, above: Array) -> Array:
    """Rescale `u` to the share of a distribution on the grid."""
    import numpy as np

    share = above - below
    if np.any(share < LEAST_SHARE):
        raise OutOfReach
    return below + u * share


def step_up(count: Array, aim: Array, cumulative: Callable[[Array], Array]) -> Array:
    """Return the smallest count whose cumulative share reaches `aim`, given one that is off by at most one."""
    import numpy as np

    count = np.maximum(np.nan_to_num(count), 0)
    lower = np.maximum(count - 1, 0)
    count = np.where(cumulative(lower) >= aim, lower, count)
    return np.where(cumulative(count) < aim, count + 1, count)


def counts_up_to(edges: Array, zero: float) -> Array:
    import numpy as np

    return np.floor(edges + 0.5 - zero) - 1
