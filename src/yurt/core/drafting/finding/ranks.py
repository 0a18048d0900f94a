"""Rank correlations (Spearman's) between numbers, dates, and times of one record."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yurt.core.drafting.samples.column import Column

# Weaker correlations are not worth a clause; the chance of a measured one is 1 / sqrt(rows).
WEAKEST, SIGMAS, LEAST = 0.1, 4.0, 60
# The clauses of one field.
CLAUSES = 3
ROWS = 20_000


def correlations(columns: list[Column]) -> NDArray[np.float64]:
    """Return the rank correlation of each pair of columns, over the rows that have both values; NaN for few rows."""
    count = len(columns)
    found = np.eye(count)
    ranks = [ranked(each) for each in columns]
    for a in range(count):
        for b in range(a):
            both = ~np.isnan(ranks[a]) & ~np.isnan(ranks[b])
            found[a, b] = found[b, a] = _pearson(ranks[a][both], ranks[b][both]) if both.sum() >= LEAST else np.nan
    return found


def ranked(column: Column) -> NDArray[np.float64]:
    """Return the rank of each value, the mean rank where values are equal; NaN where there is none."""
    from scipy.stats import rankdata

    assert column.numbers is not None
    right = column.right[:ROWS]
    found = np.full(len(right), np.nan)
    found[right] = rankdata(column.numbers[:ROWS][right])
    return found


def _pearson(one: NDArray[np.float64], two: NDArray[np.float64]) -> float:
    if one.std() == 0 or two.std() == 0:
        return 0.0
    return float(np.corrcoef(one, two)[0, 1])


def clauses(columns: list[Column]) -> dict[str, list[str]]:
    """Return the clauses `tracks …` of each column: its correlations with columns before it."""
    measured = correlations(columns)
    rows = min((int(each.right.sum()) for each in columns), default=0)
    threshold = max(WEAKEST, SIGMAS / np.sqrt(max(min(rows, ROWS), 1)))
    wanted = np.eye(len(columns))
    found: dict[str, list[str]] = {}
    for at, column in enumerate(columns):
        strong = [b for b in range(at) if abs(np.nan_to_num(measured[at, b])) >= threshold]
        strong = sorted(strong, key=lambda b: -abs(measured[at, b]))[:CLAUSES]
        own = []
        for b in sorted(strong):
            # Correlations of one half with the full value: no two columns are the same here.
            value = float(np.clip(round(measured[at, b], 2), -0.98, 0.98))
            wanted[at, b] = wanted[b, at] = value
            if np.linalg.eigvalsh(wanted).min() < 0.01:
                wanted[at, b] = wanted[b, at] = 0.0
                continue
            own.append(f"tracks {columns[b].name} by {value:g}")
        if own:
            found[column.name] = own
    return found
