"""Positions as the cells of two grids over the earth."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

BASE_32 = "0123456789bcdefghjkmnpqrstuvwxyz"
BASE_20 = "23456789CFGHJMPQRVWX"
HASH_LENGTH = 9
Degrees = NDArray[np.float64]


def geohash(latitude: Degrees, longitude: Degrees) -> list[str]:
    """Return nine characters: bits of longitude and latitude in turn, five to a character."""
    bits = HASH_LENGTH * 5
    east, north = (bits + 1) // 2, bits // 2
    x = ((longitude + 180) / 360 * 2**east).astype(np.int64)
    y = ((latitude + 90) / 180 * 2**north).astype(np.int64)
    cells = np.empty((len(x), HASH_LENGTH), dtype="<U1")
    letters = np.array(list(BASE_32))
    for place in range(HASH_LENGTH):
        value = np.zeros(len(x), dtype=np.int64)
        for bit in range(place * 5, place * 5 + 5):
            of, size = (x, east) if bit % 2 == 0 else (y, north)
            value = value * 2 + (of >> (size - 1 - bit // 2) & 1)
        cells[:, place] = letters[value]
    return _joined(cells)


def plus_code(latitude: Degrees, longitude: Degrees) -> list[str]:
    """Return ten digits of base 20 in pairs of latitude and longitude, with `+` behind the eighth."""
    letters = np.array(list(BASE_20))
    y = np.floor((latitude + 90) * 8000 + 1e-6).astype(np.int64)
    x = np.floor((longitude + 180) * 8000 + 1e-6).astype(np.int64)
    cells = np.full((len(x), 11), "+", dtype="<U1")
    for pair in range(5):
        column = 2 * pair + (pair == 4)
        divisor = 20 ** (4 - pair)
        cells[:, column], cells[:, column + 1] = letters[y // divisor % 20], letters[x // divisor % 20]
    return _joined(cells)


def _joined(cells: NDArray[np.str_]) -> list[str]:
    whole = np.ascontiguousarray(cells).view(f"<U{cells.shape[1]}").ravel()
    found: list[str] = whole.tolist()
    return found


GRIDS: dict[str, Callable[[Degrees, Degrees], list[str]]] = {"geohash": geohash, "plus code": plus_code}
