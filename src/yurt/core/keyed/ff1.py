"""FF1: format-preserving encryption, NIST SP 800-38G, algorithm 7, for many numeral strings of one length at once.

A string is given as two numbers, its left and its right half, so that no step depends on the radix of its characters.
"""

from __future__ import annotations

import sys

import numpy as np
from numpy.typing import NDArray

from yurt.core.keyed.blocks import SIZE, BlockCipher

ROUNDS = 10
LITTLE = sys.byteorder == "little"
# The least number of different strings (SP 800-38G, section 5.1, with revision 1).
LEAST_DOMAIN = 1_000_000
# The largest numbers that are reduced in steps of 16 and of 8 bits without leaving 64 bits; larger ones are Python's.
BY_SIXTEEN, BY_EIGHT = 1 << 48, 1 << 56
Halves = tuple[NDArray[np.generic], NDArray[np.generic]]


class FF1:
    """The encryption of strings of `length` characters out of `radix` different ones, with one tweak."""

    def __init__(self, cipher: BlockCipher, radix: int, length: int, tweak: bytes = b"") -> None:
        if radix**length < LEAST_DOMAIN or not 2 <= radix < 1 << 16 or length < 2:
            raise ValueError(f"FF1 needs at least {LEAST_DOMAIN:,} different strings of 2 or more characters")
        self.cipher, self.radix, self.length = cipher, radix, length
        self.left, self.right = length // 2, length - length // 2
        # Steps 3 and 4: the bytes of a half, and of the number that is added to one.
        self.bytes = ((radix**self.right - 1).bit_length() + 7) // 8
        self.wide = 4 * ((self.bytes + 3) // 4) + 4
        first = bytes((1, 2, 1)) + radix.to_bytes(3, "big") + bytes((10, self.left % 256))
        first += length.to_bytes(4, "big") + len(tweak).to_bytes(4, "big")
        # Step 5 and the part of step 6 that is the same in all rounds.
        padding = -(len(tweak) + self.bytes + 1) % SIZE
        self.constant = first + tweak + bytes(padding)

    def __call__(self, left: NDArray[np.uint64], right: NDArray[np.uint64]) -> Halves:
        """Return the halves of encrypted strings."""
        if self.radix & (self.radix - 1) == 0 and self.bytes <= 4 and len(self.constant) % SIZE:
            return self._binary(left, right)
        a: NDArray[np.generic] = left
        b: NDArray[np.generic] = right
        for number in range(ROUNDS):
            size = self.left if number % 2 == 0 else self.right
            a, b = b, self._added(a, self._random(number, b), self.radix**size)
        return a, b

    def _binary(self, left: NDArray[np.uint64], right: NDArray[np.uint64]) -> Halves:
        """Return the same for halves of at most 32 bits, of which a round changes one word of one block."""
        whole = len(self.constant) // SIZE * SIZE
        state = self._chained(whole)
        words = np.empty((len(left), 4), dtype=np.uint32)
        a, b = left.astype(np.uint32), right.astype(np.uint32)
        for number in range(ROUNDS):
            size = self.left if number % 2 == 0 else self.right
            tail = self.constant[whole:] + bytes((number, *bytes(self.bytes)))
            base = np.frombuffer(bytes(x ^ y for x, y in zip(state, tail, strict=True)), dtype=np.uint32)
            words[:, :3] = base[:3]
            words[:, 3] = b.byteswap() ^ base[3] if LITTLE else b ^ base[3]
            found = self.cipher(words.view(np.uint8)).view(">u4")[:, 1].astype(np.uint32)
            bits = size * (self.radix.bit_length() - 1)
            a, b = b, (a + found) & np.uint32((1 << bits) - 1)
        return a, b

    def _chained(self, whole: int) -> bytes:
        """Return the state after the blocks that are the same for all strings."""
        state = np.zeros((1, SIZE), dtype=np.uint8)
        for at in range(0, whole, SIZE):
            state = self.cipher(state ^ np.frombuffer(self.constant[at : at + SIZE], dtype=np.uint8))
        return state.tobytes()

    def _random(self, number: int, half: NDArray[np.generic]) -> NDArray[np.uint8]:
        """Return the pseudorandom bytes of a round (steps 6 i to iii), for each string."""
        count = len(half)
        tail = np.zeros((count, len(self.constant) % SIZE + 1 + self.bytes), dtype=np.uint8)
        fixed = len(self.constant) % SIZE
        whole = len(self.constant) - fixed
        tail[:, :fixed] = np.frombuffer(self.constant[whole:], dtype=np.uint8)
        tail[:, fixed] = number
        tail[:, fixed + 1 :] = _big_endian(half, self.bytes)
        # The blocks before the first one that differs between strings are chained once.
        found = np.broadcast_to(np.frombuffer(self._chained(whole), dtype=np.uint8), (count, SIZE))
        for at in range(0, tail.shape[1], SIZE):
            found = self.cipher(found ^ tail[:, at : at + SIZE])
        parts, more = [found], 1
        while SIZE * len(parts) < self.wide:
            counter = np.frombuffer(more.to_bytes(SIZE, "big"), dtype=np.uint8)
            parts.append(self.cipher(found ^ counter))
            more += 1
        return np.concatenate(parts, axis=1)[:, : self.wide]

    def _added(self, half: NDArray[np.generic], random: NDArray[np.uint8], modulus: int) -> NDArray[np.generic]:
        """Return (half + random) mod modulus (steps 6 iv and vi)."""
        if modulus > BY_EIGHT:
            numbers = np.array([int.from_bytes(each.tobytes(), "big") for each in random], dtype=object)
            summed: NDArray[np.generic] = (half.astype(object) + numbers) % modulus
            return summed
        return (half.astype(np.uint64) + _remainder(random, modulus)) % np.uint64(modulus)


def _remainder(digits: NDArray[np.uint8], modulus: int) -> NDArray[np.uint64]:
    """Return big-endian numbers modulo another one."""
    if modulus & (modulus - 1) == 0:
        low = np.ascontiguousarray(digits[:, -8:]).view(">u8").reshape(-1).astype(np.uint64)
        return low & np.uint64(modulus - 1)
    limbs = digits if modulus > BY_SIXTEEN else np.ascontiguousarray(digits).view(">u2")
    step, by = np.uint64(8 if modulus > BY_SIXTEEN else 16), np.uint64(modulus)
    rest = np.zeros(len(digits), dtype=np.uint64)
    for column in range(limbs.shape[1]):
        rest = (rest << step) | limbs[:, column].astype(np.uint64)
        # Division by one number is a multiplication; the remainder operator divides each time.
        rest -= rest // by * by
    return rest


def _big_endian(numbers: NDArray[np.generic], size: int) -> NDArray[np.uint8]:
    """Return the last bytes of numbers."""
    if numbers.dtype == object:
        joined = b"".join(int(each).to_bytes(size, "big") for each in numbers)
        return np.frombuffer(joined, dtype=np.uint8).reshape(-1, size)
    whole = numbers.astype(">u8").view(np.uint8).reshape(-1, 8)
    if size <= 8:
        return whole[:, 8 - size :]
    return np.concatenate([np.zeros((len(numbers), size - 8), dtype=np.uint8), whole], axis=1)
