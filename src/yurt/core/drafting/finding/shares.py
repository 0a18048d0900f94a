"""Shares and weights as a schema has them: whole percentages that add up to a hundred."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

# A probability below this speaks against chance.
CHANCE = 1e-4


def percentages(counts: NDArray[np.int64]) -> list[int]:
    """Return whole percentages of counts that add up to 100, at least 1 for each (by the largest remainders)."""
    exact = counts / counts.sum() * 100
    found = np.maximum(np.floor(exact), 1).astype(int)
    left = 100 - int(found.sum())
    for at in np.argsort(-(exact - np.floor(exact)))[: max(left, 0)].tolist():
        found[at] += 1
    while found.sum() > 100:
        found[np.argmax(found)] -= 1
    return [int(each) for each in found]


def percent(share: float) -> str:
    """Return a share as a percentage of few digits: 12%, 0.4%."""
    value = share * 100
    if value >= 99.5 or value < 0.05:
        return f"{value:.2f}".rstrip("0").rstrip(".") + "%"
    return f"{value:.0f}%" if value >= 2 else f"{value:.1f}".rstrip("0").rstrip(".") + "%"


def equally_likely(counts: NDArray[np.int64], expected: NDArray[np.float64] | None = None) -> bool:
    """Return whether counts agree with equal chances, or with expected ones (Pearson's chi-squared test)."""
    from scipy.special import chdtrc

    wanted = np.full(len(counts), counts.sum() / len(counts)) if expected is None else expected
    wanted = np.maximum(wanted / wanted.sum() * counts.sum(), 1e-9)
    statistic = float((((counts - wanted) ** 2) / wanted).sum())
    return bool(len(counts) < 2 or chdtrc(len(counts) - 1, statistic) > CHANCE)
