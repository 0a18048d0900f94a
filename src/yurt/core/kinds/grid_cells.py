"""Positions as the cells of two grids over the earth."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base.arrays import fixed_strings

BASE_32 = "0123456789bcdefghjkmnpqrstuvwxyz"
BASE_20 = "23456789CFGHJMPQRVWX"
HASH_LENGTH = 9
Degrees = NDArray[np.float64]


def geohash(latitude: Degrees, longitude: Degrees) -> pa.Array:
    """Return nine characters: alternating bits of longitude and latitude, five per character."""
    bits = HASH_LENGTH * 5
    east, north = (bits + 1) // 2, bits // 2
    x = ((longitude + 180) / 360 * 2**east).astype(np.int64)
    y = ((latitude + 90) / 180 * 2**north).astype(np.int64)
    cells = np.empty((len(x), HASH_LENGTH), dtype=np.uint8)
    letters = np.frombuffer(BASE_32.encode(), dtype=np.uint8)
    for place in range(HASH_LENGTH):
        value = np.zeros(len(x), dtype=np.int64)
        for bit in range(place * 5, place * 5 + 5):
            of, size = (x, east) if bit % 2 == 0 else (y, north)
            value = value * 2 + (of >> (size - 1 - bit // 2) & 1)
        cells[:, place] = letters[value]
    return fixed_strings(cells)


def plus_code(latitude: Degrees, longitude: Degrees) -> pa.Array:
    """Return ten digits of base 20 in pairs of latitude and longitude, with `+` after the eighth."""
    letters = np.frombuffer(BASE_20.encode(), dtype=np.uint8)
    y = np.floor((latitude + 90) * 8000 + 1e-6).astype(np.int64)
    x = np.floor((longitude + 180) * 8000 + 1e-6).astype(np.int64)
    cells = np.full((len(x), 11), ord("+"), dtype=np.uint8)
    for pair in range(5):
        column = 2 * pair + (pair == 4)
        divisor = 20 ** (4 - pair)
        cells[:, column], cells[:, column + 1] = letters[y // divisor % 20], letters[x // divisor % 20]
    return fixed_strings(cells)


GRIDS: dict[str, Callable[[Degrees, Degrees], pa.Array]] = {"geohash": geohash, "plus code": plus_code}
