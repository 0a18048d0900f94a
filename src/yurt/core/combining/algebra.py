"""Pairwise arrays from algebra, for factors with the same number of levels.

Two levels: G. Katona, D. Kleitman and J. Spencer (1973), the minimum number of rows. A prime power q of levels: the
orthogonal array of q² rows for q + 1 factors (R. C. Bose, 1938), and those of `composite.py`; and, from an array for k
factors, one for kq + 1 factors with q² - q more rows (B. Stevens, E. Mendelsohn, 1999).
"""

from __future__ import annotations

from itertools import combinations, islice
from math import comb

import numpy as np
from numpy.typing import NDArray

from yurt.core.combining.composite import COLUMNS, PRODUCTS, moved, product

Array = NDArray[np.int64]
# Reducing polynomials of fields by the number of elements: prime, degree, and coefficients from the lowest.
FIELDS = {
    4: (2, 2, (1, 1)), 8: (2, 3, (1, 1, 0)), 9: (3, 2, (1, 0)), 16: (2, 4, (1, 1, 0, 0)), 25: (5, 2, (2, 1)),
    27: (3, 3, (1, 2, 0)), 32: (2, 5, (1, 0, 1, 0, 0)),
}  # fmt: skip
PRIMES = (2, 3, 5, 7, 11, 13, 17, 19, 23, 29, 31)
POWERS = tuple(sorted((*PRIMES, *FIELDS)))
# All numbers of levels with an orthogonal array.
ORDERS = tuple(sorted((*POWERS, *PRODUCTS, *COLUMNS)))


def binary(factors: int) -> Array:
    """Return the smallest pairwise array for factors of two levels."""
    rows = 4
    while comb(rows - 1, (rows + 1) // 2) < factors:
        rows += 1
    found = np.zeros((rows, factors), dtype=np.int64)
    # Subsets of more than half of the rows, except the first, intersect in pairs, and none contains another.
    for factor, ones in enumerate(islice(combinations(range(1, rows), (rows + 1) // 2), factors)):
        found[list(ones), factor] = 1
    return found


def tables(q: int) -> tuple[Array, Array]:
    """Return the tables of addition and multiplication of the field with q elements."""
    if q in PRIMES:
        values = np.arange(q)
        return (values[:, None] + values) % q, values[:, None] * values % q
    prime, degree, low = FIELDS[q]
    digits = np.array([[value // prime**at % prime for at in range(degree)] for value in range(q)])
    weights = prime ** np.arange(degree)
    add = (digits[:, None] + digits) % prime @ weights
    times = np.zeros((q, q), dtype=np.int64)
    for a in range(q):
        for b in range(q):
            product = np.convolve(digits[a], digits[b]) % prime
            for power in range(2 * degree - 2, degree - 1, -1):
                # x to the degree is minus the lower part of the reducing polynomial.
                for at, coefficient in enumerate(low):
                    product[power - degree + at] -= product[power] * coefficient
                product[power] = 0
            times[a, b] = product[:degree] % prime @ weights
    return add, times


def orthogonal(q: int) -> Array:
    """Return q² rows for q + 1 factors of q levels that contain every pair once; q is one of POWERS."""
    add, times = tables(q)
    x, y = np.repeat(np.arange(q), q), np.tile(np.arange(q), q)
    columns = [x] + [add[times[slope][x], y] for slope in range(q)]
    return np.stack(columns, axis=1)


def composite(levels: int) -> Array:
    """Return levels² rows that contain every pair once, for a number of levels that is no prime power."""
    if levels in COLUMNS:
        return moved(levels)
    first, second = PRODUCTS[levels]
    return product(orthogonal(first), orthogonal(second), second)


def multiplied(array: Array, q: int) -> Array:
    """Return an array for kq + 1 factors from one for k factors, with q² - q more rows."""
    rows, factors = array.shape
    add, times = tables(q)
    # Every line of the field that is not level: the pairs that two copies of one factor lack above.
    shifted = np.array([[slope, start] for slope in range(1, q) for start in range(q)])
    lower = np.stack([add[times[shifted[:, 0], np.full(len(shifted), at)], shifted[:, 1]] for at in range(q)], axis=1)
    upper = np.repeat(array, q, axis=1)
    below = np.tile(lower, (1, factors))
    # One more factor distinguishes the slopes.
    more = np.concatenate((np.zeros(rows, dtype=np.int64), shifted[:, 0]))
    return np.column_stack((np.concatenate((upper, below)), more))


def uniform(q: int, factors: int) -> Array | None:
    """Return a pairwise array for factors of q levels; None if algebra has none."""
    if q == 2:
        return binary(factors)
    if q not in POWERS:
        found = composite(q) if q in ORDERS else None
        return found[:, :factors] if found is not None and found.shape[1] >= factors else None
    found = orthogonal(q)
    while found.shape[1] < factors:
        found = multiplied(found, q)
    return found[:, :factors]
