"""Orthogonal arrays for numbers of levels that are no power of a prime: every pair of levels once.

Where all prime powers in the number are above 2, the product of their arrays (H. F. MacNeish, 1922). Otherwise four
factors from a quasi-difference matrix (E. T. Parker, 1959): columns over the integers modulo n, to which each of these
is added, and three levels that do not move.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.int64]
FIXED = 3
# Numbers of levels as products of two prime powers.
PRODUCTS = {12: (3, 4), 15: (3, 5), 20: (4, 5), 21: (3, 7), 24: (3, 8), 28: (4, 7)}
# The columns of quasi-difference matrices, of which the turned ones belong to them too: with a fixed level and 0 in
# front of two numbers, or with 0 in front of three. Found by search; `tests/test_combining.py` counts the pairs.
COLUMNS: dict[int, tuple[tuple[int, ...], ...]] = {
    10: ((3, 4), (5, 2), (2, 1)),
    14: ((7, 5), (8, 10), (1, 7), (5, 9, 8)),
    18: ((14, 10), (8, 9), (2, 11), (5, 2, 8), (10, 14, 2)),
    22: ((11, 14), (8, 18), (7, 6), (17, 2, 7), (15, 16, 3), (2, 15, 10)),
    26: ((20, 3), (17, 1), (4, 19), (19, 14, 12), (2, 5, 13), (13, 2, 7), (22, 13, 14)),
    30: ((22, 20), (13, 12), (7, 22), (12, 26, 4), (2, 13, 23), (18, 10, 7), (3, 4, 21), (16, 24, 18)),
}


def product(first: Array, second: Array, size: int) -> Array:
    """Return the array whose levels are pairs of those of two arrays, of which the second has `size` levels."""
    factors = min(first.shape[1], second.shape[1])
    pairs = first[:, None, :factors] * size + second[None, :, :factors]
    return pairs.reshape(-1, factors)


def moved(levels: int) -> Array:
    """Return levels² rows for four factors, from the columns of a quasi-difference matrix."""
    size = levels - FIXED
    columns = [np.zeros(4, dtype=np.int64)]
    for number, rest in enumerate(COLUMNS[levels]):
        for turn in range(4):
            # Fixed levels are numbered from `size`.
            own = (size + number, 0, *rest) if len(rest) < FIXED else (0, *rest)
            columns.append(np.roll(np.array(own), turn))
    array = np.array(columns)
    shifted = np.where(array < size, (array + np.arange(size)[:, None, None]) % size, array)
    x, y = np.repeat(np.arange(FIXED), FIXED), np.tile(np.arange(FIXED), FIXED)
    corner = size + np.stack([x, y, (x + y) % FIXED, (x + 2 * y) % FIXED], axis=1)
    return np.concatenate((shifted.reshape(-1, 4), corner))
