"""A keyed permutation of 0 … size-1: unique values without memory and without retries.

A Feistel network over the product of two nearly equal factors (J. Black, P. Rogaway: "Ciphers with arbitrary finite
domains", 2002). The product slightly exceeds the size; a number in the excess is permuted again until it is inside,
which keeps the whole a bijection.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from yurt.core.sampling.streams import Rows, Stream

ROUNDS = 6


class Permutation:
    """The permutation of 0 … size-1 of a stream; `size` is at most 2**62."""

    def __init__(self, size: int, source: Stream) -> None:
        self.size = size
        self.left = math.isqrt(size - 1) + 1 if size > 1 else 1
        self.right = -(-size // self.left)
        keys = source.bits(np.arange(ROUNDS, dtype=np.uint64))
        self.rounds = [Stream(key, np.uint64(0)) for key in keys]

    def __call__(self, rows: Rows) -> NDArray[np.int64]:
        """Return the permuted positions of `rows`, each below `size`."""
        found = self._once(rows.astype(np.uint64))
        outside = np.flatnonzero(found >= self.size)
        while len(outside):
            found[outside] = self._once(found[outside])
            outside = outside[found[outside] >= self.size]
        return found.astype(np.int64)

    def _once(self, numbers: NDArray[np.uint64]) -> NDArray[np.uint64]:
        left_size, right_size = np.uint64(self.left), np.uint64(self.right)
        high, low = np.divmod(numbers, right_size)
        for index, keyed in enumerate(self.rounds):
            if index % 2 == 0:
                high = (high + keyed.bits(low) % left_size) % left_size
            else:
                low = (low + keyed.bits(high) % right_size) % right_size
        return high * right_size + low


class Shuffles:
    """A permutation of 0 … size-1 for each key: the order among the siblings of one parent or in one list."""

    def __init__(self, size: int, keys: NDArray[np.uint64]) -> None:
        self.size = size
        self.left = math.isqrt(size - 1) + 1 if size > 1 else 1
        self.right = -(-size // self.left)
        self.keys = [Stream(np.uint64(number + 1), np.uint64(0)).bits(keys) for number in range(ROUNDS)]

    def __call__(self, places: Rows) -> NDArray[np.int64]:
        """Return the permuted position of each position under its key; positions are below `size`."""
        found = self._once(places.astype(np.uint64), np.arange(len(places)))
        outside = np.flatnonzero(found >= self.size)
        while len(outside):
            found[outside] = self._once(found[outside], outside)
            outside = outside[found[outside] >= self.size]
        return found.astype(np.int64)

    def _once(self, numbers: NDArray[np.uint64], at: NDArray[np.int64]) -> NDArray[np.uint64]:
        left_size, right_size = np.uint64(self.left), np.uint64(self.right)
        high, low = np.divmod(numbers, right_size)
        for index, keys in enumerate(self.keys):
            source = Stream(keys[at], np.uint64(0))
            if index % 2 == 0:
                high = (high + source.bits(low) % left_size) % left_size
            else:
                low = (low + source.bits(high) % right_size) % right_size
        return high * right_size + low


def tiered(rows: Rows, source: Stream) -> NDArray[np.int64]:
    """Return a different number for every row, as short as the row number allows, for any number of rows.

    Rows below 10**4 are permuted among themselves, then those below 10**6, 10**8, … up to 10**18.
    """
    found = np.empty(len(rows), dtype=np.int64)
    low = 0
    for digits in range(4, 19, 2):
        high = 10**digits
        chosen = (rows >= low) & (rows < high)
        if chosen.any():
            place = Permutation(high - low, Stream(source.first, source.second ^ np.uint64(digits)))
            found[chosen] = place(rows[chosen] - np.uint64(low)) + low
        low = high
    return found
