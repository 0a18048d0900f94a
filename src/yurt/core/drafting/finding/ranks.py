"""Rank correlations (Spearman's) between numbers, dates, and times of one record."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yurt.core.drafting.samples.column import Column
from yurt.core.drafting.samples.rows import NEAR

# Weaker correlations are not worth a clause; the chance of a measured one is 1 / sqrt(rows).
WEAKEST, SIGMAS, LEAST = 0.1, 4.0, 60
# The clauses of one field.
CLAUSES = 4
# The least share of a number of its own, beside what it has of others.
LEAST_OWN = 0.01
ROWS = 20_000


def correlations(columns: list[Column]) -> NDArray[np.float64]:
    """Return the rank correlation of each pair of columns, over the rows that have both values; NaN for few rows
    and for columns far from each other.
    """
    count = len(columns)
    found = np.full((count, count), np.nan)
    np.fill_diagonal(found, 1.0)
    ranks = [ranked(each) for each in columns]
    for a in range(count):
        for b in range(max(0, a - NEAR), a):
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
    """Return the clauses `tracks …` of each column: its correlations with columns before it.

    A correlation that follows from those of other clauses is not stated again.
    """
    measured = np.nan_to_num(correlations(columns))
    rows = min((int(each.right.sum()) for each in columns), default=0)
    threshold = max(WEAKEST, SIGMAS / np.sqrt(max(min(rows, ROWS), 1)))
    # Correlations of the normal numbers behind the ranks (Pearson 1907), as the clauses so far make them.
    made = np.eye(len(columns))
    found: dict[str, list[str]] = {}
    for at, column in enumerate(columns):
        first = max(0, at - NEAR)
        stated, follows = _stated(measured[at, first:at], made[first:at, first:at], threshold)
        made[at, first:at] = made[first:at, at] = follows
        if stated:
            told = sorted(stated.items())
            found[column.name] = [f"tracks {columns[first + b].name} by {value:g}" for b, value in told]
    return found


def _stated(
    ranks: NDArray[np.float64], made: NDArray[np.float64], threshold: float
) -> tuple[dict[int, float], NDArray[np.float64]]:
    """Return the correlations of one column that clauses state, the most surprising first, and all that follow."""
    stated: dict[int, float] = {}
    follows = np.zeros(len(ranks))
    refused: set[int] = set()
    while len(stated) < CLAUSES:
        surprise = np.abs(ranks - 6 / np.pi * np.arcsin(follows / 2))
        surprise[[*stated, *refused]] = 0
        if not len(surprise) or surprise.max() < threshold:
            break
        b = int(surprise.argmax())
        # Correlations of one half with the full value: no two columns are the same here.
        tried = stated | {b: float(np.clip(round(ranks[b], 2), -0.98, 0.98))}
        asked = 2 * np.sin(np.pi / 6 * np.array(list(tried.values())))
        shares = np.linalg.lstsq(made[np.ix_(list(tried), list(tried))], asked, rcond=None)[0]
        if 1 - shares @ asked < LEAST_OWN:
            refused.add(b)
            continue
        stated, follows = tried, np.clip(shares @ made[list(tried)], -1, 1)
    return stated, follows
