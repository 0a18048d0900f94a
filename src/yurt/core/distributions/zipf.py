"""Zipf's law: the k-th position has a share proportional to k**-exponent."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING

from yurt.core.distributions.distribution import Argument, Distribution

if TYPE_CHECKING:
    from yurt.core.distributions.distribution import Array


HEAD = 1 << 16


def inverse(u: Array, n: Array, exponent: Array) -> Array:
    """The k-th position has a share proportional to k**-exponent.

    The first 65,536 positions are exact. For later ones, the sum is replaced by the integral from the middle of one
    position to the middle of the next (midpoint rule), with an error below 1e-10 of the share.
    """
    import numpy as np

    s = float(np.ravel(exponent)[0])
    most = int(np.max(n))
    sums = _zipf_sums(s, min(most, HEAD))
    inside = np.minimum(n, HEAD).astype(np.int64)
    total = sums[inside - 1] + (_power_integral(HEAD, n, s) if most > HEAD else 0.0)
    aim = u * total
    places = np.searchsorted(sums, aim, side="right").astype(np.float64)
    tail = aim >= sums[-1]
    if most > HEAD and tail.any():
        more = np.broadcast_to(aim, tail.shape)[tail] - sums[-1]
        base = HEAD + 0.5
        if abs(s - 1) < 1e-9:
            places[tail] = base * np.exp(more) - 0.5
        else:
            places[tail] = (base ** (1 - s) + (1 - s) * more) ** (1 / (1 - s)) - 0.5
        places[tail] = np.floor(places[tail])
    return np.minimum(places, n - 1)


def _power_integral(start: int, end: Array, s: float) -> Array:
    """Return the integral of x**-s from start+0.5 to end+0.5, 0 where end is not above start."""
    import numpy as np

    a, b = start + 0.5, np.maximum(end, start) + 0.5
    return np.log(b / a) if abs(s - 1) < 1e-9 else (b ** (1 - s) - a ** (1 - s)) / (1 - s)


@lru_cache(maxsize=32)
def _zipf_sums(s: float, size: int) -> Array:
    import numpy as np

    return np.cumsum(np.arange(1, size + 1, dtype=np.float64) ** -s)


DISTRIBUTION = Distribution("zipf", "zipf(exponent)", inverse, "zipfian", (Argument(),), over_a_list=True, fixed=True)
