"""Stateless random numbers: a stream is a key, and its numbers mix the key with the row number.

Each column, and each purpose within a column, has its own stream, keyed by a hash of the seed and its path. The mixing
is a bijection of 64-bit numbers (two xor-shift-multiply rounds with the constants of Pelle Evensen's "moremur", 2019),
applied twice with two independent key halves, so that streams of neighbouring seeds are independent.
"""

from __future__ import annotations

import hashlib

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.data_classes import dataclass

Rows = NDArray[np.uint64]
Unit = NDArray[np.float64]

_GOLDEN = np.uint64(0x9E3779B97F4A7C15)
_FIRST, _SECOND = np.uint64(0x3C79AC492BA7B653), np.uint64(0x1C69B3F74AC4AE35)
_SHIFTS = np.uint64(27), np.uint64(33)
_TO_UNIT = 2.0**-53


@dataclass(frozen=True)
class Stream:
    """One independent stream: a 128-bit key, whose first half may differ by row."""

    first: np.uint64 | NDArray[np.uint64]
    second: np.uint64

    def bits(self, rows: Rows) -> NDArray[np.uint64]:
        """Return 64 random bits for each row number; different rows of one stream always give different bits."""
        mixed = rows * _GOLDEN
        mixed += self.first
        _mix(mixed)
        mixed ^= self.second
        _mix(mixed)
        return mixed

    def unit(self, rows: Rows) -> Unit:
        """Return a number in the open interval (0, 1) for each row number."""
        bits = self.bits(rows)
        bits >>= np.uint64(11)
        unit = bits.astype(np.float64)
        unit += 0.5
        unit *= _TO_UNIT
        return unit


def _mix(bits: NDArray[np.uint64]) -> None:
    """Mix 64-bit numbers in place; a bijection."""
    bits ^= bits >> _SHIFTS[0]
    bits *= _FIRST
    bits ^= bits >> _SHIFTS[1]
    bits *= _SECOND
    bits ^= bits >> _SHIFTS[0]


def stream(seed: int, *path: str | int) -> Stream:
    """Return the stream of a seed and a path such as record, field, purpose, and attempt."""
    name = "\x1f".join(str(each) for each in (seed, *path))
    digest = hashlib.blake2b(name.encode(), digest_size=16, person=b"yurt.stream").digest()
    return Stream(np.uint64(int.from_bytes(digest[:8], "little")), np.uint64(int.from_bytes(digest[8:], "little")))
