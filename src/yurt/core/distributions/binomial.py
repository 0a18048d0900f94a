"""The number of successes in a number of trials."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.distributions.distribution import Argument, Distribution, OutOfReach
from yurt.core.distributions.truncated import between, counts_up_to, step_up

if TYPE_CHECKING:
    from yurt.core.distributions.distribution import Array


def inverse(u: Array, n: Array, trials: Array, chance: Array, zero: Array) -> Array:
    """The number of successes in `trials`, each with the same chance; `zero` is the position of the count 0."""
    import numpy as np
    from scipy.special import bdtr, bdtrik

    trials = np.floor(trials)
    most = np.minimum(n - 1 - zero, trials)
    if np.any(most < -zero):
        raise OutOfReach
    # SciPy wants whole trials here as integers.
    whole = trials.astype(np.int64)
    below = np.where(-zero < 1, 0.0, bdtr(np.maximum(-zero - 1, 0), whole, chance))
    above = bdtr(most, whole, chance)
    aim = between(u, below, above)
    return step_up(np.ceil(bdtrik(aim, trials, chance)), aim, lambda k: bdtr(k, whole, chance)) + zero


def cumulative(edges: Array, n: int, trials: float, chance: float, zero: float) -> Array:
    """Return the cumulative share at positions of the grid."""
    import numpy as np
    from scipy.special import bdtr

    counts, whole = counts_up_to(edges, zero), int(trials)
    inside = bdtr(np.clip(counts, 0, whole), whole, chance)
    return np.where(counts < 0, 0.0, np.where(counts >= whole, 1.0, inside))


DISTRIBUTION = Distribution(
    "binomial",
    "binomial(trials, chance)",
    inverse,
    "binom",
    (Argument(), Argument("above 0 and at most 1")),
    cumulative,
    from_zero=True,
    fits="counts",
)
