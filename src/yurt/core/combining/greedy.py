"""Pairwise arrays row by row (D. Cohen, S. Dalal, M. Fredman, G. Patton, 1997): the best of many candidates is kept.

All candidates of a row are made side by side: each takes the factors in its own order, and for each factor the level
that covers most with the levels it has.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.int64]


def row_by_row(levels: Sequence[int], candidates: int, seed: int = 1) -> Array:
    """Return rows with all pairs."""
    dice = np.random.default_rng(seed)
    sizes = np.array(levels, dtype=np.int64)
    starts = np.concatenate(([0], np.cumsum(sizes)))[:-1]
    factor_of = np.repeat(np.arange(len(levels)), sizes)
    # 1 where two symbols have yet to meet.
    open_ = (factor_of[:, None] != factor_of).astype(np.float32)
    widest = int(sizes.max())
    # The symbols of each factor, as many as it has.
    table = starts[:, None] + np.arange(widest)
    absent = np.arange(widest) >= sizes[:, None]
    table = np.where(absent, 0, table)
    rows: list[Array] = []
    each = np.arange(candidates)
    while open_.any():
        orders = np.argsort(dice.random((candidates, len(levels))), axis=1)
        # For half of the candidates, the factor whose symbols have most left to meet comes first.
        left = open_.sum(axis=1)
        orders[::2] = _forward(orders[::2], int(factor_of[int(np.argmax(left))]))
        gains = np.broadcast_to(left * 1e-4, (candidates, len(left))).copy()
        total = np.zeros(candidates)
        chosen = np.zeros((candidates, len(levels)), dtype=np.int64)
        for place in range(len(levels)):
            factors = orders[:, place]
            found = gains[each[:, None], table[factors]] + dice.random((candidates, widest)) * 1e-5
            found[absent[factors]] = -1
            level = np.argmax(found, axis=1)
            symbol = table[factors, level]
            total += found[each, level]
            chosen[each, factors] = symbol
            gains += open_[symbol]
        best = chosen[int(np.argmax(total))]
        open_[np.ix_(best, best)] = 0
        rows.append(best - starts)
    return np.array(rows)


def _forward(orders: Array, factor: int) -> Array:
    """Put one factor at the front of each order."""
    rest = orders[orders != factor].reshape(len(orders), -1)
    return np.column_stack((np.full(len(orders), factor), rest))
