"""Exact whole numbers of any size: int64 where every value fits, arrays of Python's integers where one does not.

Decimals are whole numbers of their last place, so exact sums and products of them are sums and products here. Values
of fields have at most 18 digits; what is computed on the way to them may have 38, as in Arrow's widest decimals.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from yurt.core.base.arrays import Values

LIMIT = 2**63 - 1
# One more than the largest value of a field, and than the largest number that is computed on the way to it.
FIELD, WIDEST = 10**18, 10**38
TOO_LONG = "a number of more than 18 digits"
TOO_WIDE = "a number of more than 38 digits"


def is_wide(values: Values) -> bool:
    """Return whether the values are Python's integers, because one of them needs more than 63 bits."""
    return isinstance(values, np.ndarray) and values.dtype.kind == "O"


def largest(values: Values) -> int:
    """Return the largest absolute value; 0 without values."""
    found = np.asarray(values)
    return max(int(found.max()), -int(found.min())) if found.size else 0


def widened(values: Values) -> Values:
    """Return the values as Python's integers."""
    # A scalar of NumPy would stay one inside an array of objects, and overflow.
    return np.asarray(values).astype(object)


def settled(values: Any) -> Values:
    """Return Python's integers as int64 if all of them fit."""
    found = widened(values)
    return found.astype(np.int64) if largest(found) <= LIMIT else found


def scaled(values: Values, factor: int) -> Values:
    """Return the values times a whole number."""
    if factor == 1:
        return values
    if is_wide(values) or largest(values) * factor > LIMIT:
        return settled(widened(values) * factor)
    return values * factor


def total(left: Values, right: Values, sign: int = 1) -> Values:
    """Return the sum of two arrays; with a sign of -1, their difference."""
    if not (is_wide(left) or is_wide(right)):
        found = left + right if sign > 0 else left - right
        wrong = ((left ^ found) & ((right ^ found) if sign > 0 else ~(right ^ found))) < 0
        if not np.any(wrong | (found < -LIMIT)):
            return found
    return settled(widened(left) + widened(right) * sign)


def product(left: Values, right: Values) -> Values:
    """Return the product of two arrays."""
    if is_wide(left) or is_wide(right) or largest(left) * largest(right) > LIMIT:
        return settled(widened(left) * widened(right))
    return left * right


def divided(values: Values, factor: int) -> tuple[Values, Values]:
    """Return the quotient, rounded down, and the remainder of a division by a positive whole number."""
    if is_wide(values) or factor > LIMIT:
        # NumPy's `divmod` does not know Python's integers.
        return settled(widened(values) // factor), settled(widened(values) % factor)
    whole, rest = np.divmod(values, factor)
    return whole, rest


def divided_up(values: Values, factor: int) -> Values:
    """Return the quotient of a division by a positive whole number, rounded up."""
    return -divided(-values, factor)[0]


def rounded(values: Values, factor: int) -> Values:
    """Return the quotient of a division by a positive whole number, rounded to the nearest, halves away from zero."""
    whole, rest = divided(np.abs(values), factor)
    return np.where(values < 0, -1, 1) * (whole + (rest >= factor - rest))


def comparable(left: Values, right: Values, factor: int) -> tuple[Values, Values]:
    """Return whole numbers in the same order as `left` times the factor and `right`.

    Where the product needs more than 63 bits, twice the left side is compared with twice the whole part of the
    quotient, plus one if there is a remainder: nothing is multiplied by the factor.
    """
    if factor == 1 or largest(left) * factor <= LIMIT:
        return scaled(left, factor), right
    whole, rest = divided(right, factor)
    return scaled(left, 2), total(scaled(whole, 2), np.asarray(rest != 0).astype(np.int64))


def from_real(values: Values) -> Values:
    """Return floating-point numbers without a fraction as exact whole numbers; those beyond 38 digits become 0."""
    found = np.asarray(values, dtype=np.float64)
    found = np.where(np.abs(found) < WIDEST, found, 0.0)
    if not found.size or np.abs(found).max() < 2.0**63:
        return found.astype(np.int64)
    return settled(np.frompyfunc(int, 1, 1)(found))


def as_real(values: Values, places: int) -> Values:
    """Return numbers in units of their last place as the nearest floating-point numbers."""
    if is_wide(values) or places > 22 or largest(values) > 2**53:
        # The quotient of two of Python's integers is rounded once.
        return np.asarray(widened(values) / 10**places, dtype=np.float64)
    return values / 10.0**places
