"""Check digits over matrices: one number per row, one position per column; 0 to 35 stand for the digits and A to Z.

Every function takes the positions that a rule uses and returns the check digit of each row. A result that a rule does
not allow is -1.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.arrays import Numbers

Cells = Numbers
Digits = NDArray[np.int64]


def weighted_sum(cells: Cells, weights: Sequence[int]) -> Digits:
    """Return the weighted sum of each row's digits."""
    found: Digits = cells.astype(np.int64) @ np.array(weights, dtype=np.int64)
    return found


def luhn(cells: Cells) -> Digits:
    """Return the check digit of ISO/IEC 7812-1, annex B: from the right, every second digit counts double."""
    values = cells[:, ::-1].astype(np.int64)
    values[:, ::2] *= 2
    found: Digits = -(values // 10 + values % 10).sum(axis=1) % 10
    return found


def luhn_36(cells: Cells) -> Digits:
    """Return the check character of the same rule with 36 characters."""
    values = cells[:, ::-1].astype(np.int64)
    values[:, ::2] *= 2
    found: Digits = -(values // 36 + values % 36).sum(axis=1) % 36
    return found


def gs1(cells: Cells) -> Digits:
    """Return the check digit of the GS1 General Specifications, 7.9: weights 3 and 1 from the right."""
    values = cells[:, ::-1].astype(np.int64)
    found: Digits = -(values[:, ::2].sum(axis=1) * 3 + values[:, 1::2].sum(axis=1)) % 10
    return found


def mod_11_2(cells: Cells) -> Digits:
    """Return the check character of ISO 7064, MOD 11-2: 10 stands for X."""
    rest = np.zeros(len(cells), dtype=np.int64)
    for column in cells.T:
        rest = (rest + column) * 2 % 11
    return (12 - rest) % 11


def mod_11_10(cells: Cells) -> Digits:
    """Return the check digit of ISO 7064, MOD 11,10."""
    rest = np.full(len(cells), 5, dtype=np.int64)
    for column in cells.T:
        rest = (np.where(rest == 0, 10, rest) * 2 % 11 + column) % 10
    return (1 - np.where(rest == 0, 10, rest) * 2 % 11) % 10


def mod_97(cells: Cells) -> Digits:
    """Return the remainder of each number modulo 97; a letter counts as its two digits (ISO 7064)."""
    rest = np.zeros(len(cells), dtype=np.int64)
    for column in cells.T:
        rest = (rest * np.where(column > 9, 100, 10) + column) % 97
    return rest


def remainder(cells: Cells, modulus: int) -> Digits:
    """Return the remainder of each decimal number."""
    rest = np.zeros(len(cells), dtype=np.int64)
    for column in cells.T:
        rest = (rest * 10 + column) % modulus
    return rest


def two_digits(values: Digits) -> Cells:
    """Return numbers below 100 as two columns."""
    return np.stack((values // 10, values % 10), axis=1)


# Verhoeff, "Error Detecting Decimal Codes" (1969): the dihedral group of the pentagon, and the permutation of a
# position.
_GROUP = np.array([
    [0, 1, 2, 3, 4, 5, 6, 7, 8, 9], [1, 2, 3, 4, 0, 6, 7, 8, 9, 5], [2, 3, 4, 0, 1, 7, 8, 9, 5, 6],
    [3, 4, 0, 1, 2, 8, 9, 5, 6, 7], [4, 0, 1, 2, 3, 9, 5, 6, 7, 8], [5, 9, 8, 7, 6, 0, 4, 3, 2, 1],
    [6, 5, 9, 8, 7, 1, 0, 4, 3, 2], [7, 6, 5, 9, 8, 2, 1, 0, 4, 3], [8, 7, 6, 5, 9, 3, 2, 1, 0, 4],
    [9, 8, 7, 6, 5, 4, 3, 2, 1, 0],
])  # fmt: skip
_TURN = np.array([1, 5, 7, 6, 2, 8, 3, 0, 9, 4])
_INVERSE = np.array([0, 4, 3, 2, 1, 5, 6, 7, 8, 9])


def verhoeff(cells: Cells) -> Digits:
    """Return the check digit of Verhoeff's dihedral code."""
    turns = [np.arange(10)]
    for _ in range(7):
        turns.append(_TURN[turns[-1]])
    rest = np.zeros(len(cells), dtype=np.int64)
    for place, column in enumerate(cells[:, ::-1].T, 1):
        rest = _GROUP[rest, turns[place % 8][column]]
    return _INVERSE[rest]
