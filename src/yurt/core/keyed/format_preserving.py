"""Texts for texts of the same form: as long, with a digit for each digit and a letter of the same case for each letter.

Everything else stays where it is. Different texts stay different: the positions that may change
are a number in mixed radix, and that number is encrypted. With a million values and more that is FF1 over its binary
digits, encrypted again while it is outside of the values (cycle walking). The standard rules out smaller domains; there
it is a keyed permutation, `Permutation`. A number of more than 62 bits is several ones, each of which is moved by a
keyed hash of the others and then encrypted.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterator
from functools import reduce

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, bytes_of, fixed_strings, numbers
from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.errors import YurtError
from yurt.core.keyed.blocks import BlockCipher, Bytes, keyed_hash
from yurt.core.keyed.ff1 import FF1, LEAST_DOMAIN
from yurt.core.sampling.permutation import Permutation
from yurt.core.sampling.streams import Stream

# The largest number of values that one number stands for.
MOST = 1 << 62
# The signs of a shape: the first digit of a number that is not 0, a digit, a capital, a small letter.
FIRST, DIGIT, CAPITAL, SMALL = 1, 2, 3, 4
RADIX = {FIRST: 9, DIGIT: 10, CAPITAL: 26, SMALL: 26}
LOWEST = {FIRST: ord("1"), DIGIT: ord("0"), CAPITAL: ord("A"), SMALL: ord("a")}
# The sign of each byte; any other stands for itself.
SIGNS = np.arange(256, dtype=np.uint8)
SIGNS[ord("0") : ord("9") + 1], SIGNS[ord("A") : ord("Z") + 1], SIGNS[ord("a") : ord("z") + 1] = DIGIT, CAPITAL, SMALL
# The shape of a number of two and more characters, and its first digit.
NUMBER = re.compile(rb"-?(\x02)(?:\x02+(?:[.]\x02+)?|[.]\x02+)")
Numbers = NDArray[np.uint64]

# The characters of a value; the work grows with their square.
LONGEST = 1000


@dataclass
class FormatPreserving:
    """The encryption of texts with one key. `small` counts the texts whose domain is too small for FF1."""

    key: bytes
    small: int = 0
    _ciphers: dict[tuple[bytes, int], Cycle] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.cipher = BlockCipher(self.key)

    def __call__(self, texts: pa.Array) -> pa.Array:
        """Return a text of the same form for each text; none of them may be missing."""
        shapes = pc.dictionary_encode(_shapes(texts))
        codes = numbers(shapes.indices, np.int32)
        order = np.argsort(codes, kind="stable").astype(np.int64)
        ends = np.searchsorted(codes[order], np.arange(len(shapes.dictionary) + 1))
        parts, places = [], []
        for number, shape in enumerate(shapes.dictionary.to_pylist()):
            own = order[ends[number] : ends[number + 1]]
            for signs, chosen in _by_first_digit(shape.encode(), pc.take(texts, arrow(own))):
                places.append(own[chosen])
                parts.append(self._of_shape(signs, pc.take(texts, arrow(places[-1]))))
        back = np.empty(len(texts), dtype=np.int64)
        back[np.concatenate(places) if places else []] = np.arange(len(texts))
        return pc.take(pa.concat_arrays(parts), arrow(back)) if parts else texts

    def _of_shape(self, shape: bytes, texts: pa.Array) -> pa.Array:
        if len(shape) > LONGEST:
            raise YurtError(f"a value of {len(shape):,} characters is too long to encrypt; the limit is {LONGEST:,}")
        signs = np.frombuffer(shape, dtype=np.uint8)
        places = np.flatnonzero(np.isin(signs, list(RADIX)))
        if not len(places):
            return texts
        cells = bytes_of(texts).reshape(len(texts), -1).copy()
        groups = _groups([int(signs[at]) for at in places])
        if reduce(lambda left, right: left * right, (size for _, size in groups)) < LEAST_DOMAIN:
            self.small += len(texts)
        found = [_ranked(cells, signs, places[part]) for part, _ in groups]
        for at, (_, size) in enumerate(groups):
            moved = found[at]
            if len(groups) > 1:
                others = [each for number, each in enumerate(found) if number != at]
                moved = (moved + self._hashed(others, at) % np.uint64(size)) % np.uint64(size)
            found[at] = self._cycle(shape + bytes([at]), size)(moved)
        for (part, _), rank in zip(groups, found, strict=True):
            _unranked(cells, signs, places[part], rank)
        return fixed_strings(cells)

    def _hashed(self, parts: list[Numbers], at: int) -> Numbers:
        rows = np.stack([*parts, np.full(len(parts[0]), at, dtype=np.uint64)], axis=1)
        return keyed_hash(self.cipher, fixed_strings(np.ascontiguousarray(rows).view(np.uint8).reshape(len(rows), -1)))

    def _cycle(self, shape: bytes, size: int) -> Cycle:
        if (shape, size) not in self._ciphers:
            self._ciphers[shape, size] = Cycle(self.cipher, size, shape)
        return self._ciphers[shape, size]


class Cycle:
    """A keyed permutation of 0 to size - 1, for a size of at most 2**62."""

    def __init__(self, cipher: BlockCipher, size: int, name: bytes) -> None:
        self.size = size
        tweak = hashlib.blake2b(name, digest_size=8, person=b"yurt.tweak").digest()
        self.half = 0
        if size >= LEAST_DOMAIN:
            bits = max((size - 1).bit_length(), 20)
            self.half = bits - bits // 2
            self.ff1 = FF1(cipher, 2, bits, tweak)
            return
        keys = cipher(np.frombuffer(tweak + bytes(8), dtype=np.uint8).reshape(1, -1)).view("<u8").reshape(-1)
        self.own = Permutation(size, Stream(np.uint64(keys[0]), np.uint64(keys[1])))

    def __call__(self, ranks: Numbers) -> Numbers:
        """Return the permuted numbers."""
        if not self.half:
            return self.own(ranks).astype(np.uint64)
        found = self._once(ranks)
        outside = np.flatnonzero(found >= self.size)
        while len(outside):
            found[outside] = self._once(found[outside])
            outside = outside[found[outside] >= self.size]
        return found

    def _once(self, ranks: Numbers) -> Numbers:
        half = np.uint64(self.half)
        left, right = self.ff1(ranks >> half, ranks & np.uint64((1 << self.half) - 1))
        return (left.astype(np.uint64) << half) | right.astype(np.uint64)


def _shapes(texts: pa.Array) -> pa.Array:
    """Return what stays of each text, with signs for the characters that may change."""
    data = SIGNS[bytes_of(texts)]
    offsets = np.frombuffer(texts.buffers()[1], dtype=np.int32)[texts.offset : texts.offset + len(texts) + 1]
    ends = np.ascontiguousarray(offsets - offsets[0] if len(offsets) else offsets)
    return pa.StringArray.from_buffers(len(texts), pa.py_buffer(ends), pa.py_buffer(np.ascontiguousarray(data)))


def _by_first_digit(shape: bytes, texts: pa.Array) -> Iterator[tuple[bytes, NDArray[np.intp]]]:
    """Yield shapes with the positions of their texts: the first digit of a number stays 0, or stays above it.

    So `4021` has four digits afterwards for programs that read numbers, too.
    """
    found = NUMBER.fullmatch(shape)
    if found is None:
        yield shape, np.arange(len(texts))
        return
    at = found.start(1)
    zero = bytes_of(texts).reshape(len(texts), -1)[:, at] == ord("0")
    for sign, chosen in ((b"0", zero), (bytes([FIRST]), ~zero)):
        if chosen.any():
            yield shape[:at] + sign + shape[at + 1 :], np.flatnonzero(chosen)


def _groups(signs: list[int]) -> list[tuple[slice, int]]:
    """Return neighbouring positions with their number of values, in as few parts as possible, of about equal length."""
    whole = reduce(lambda size, sign: size * RADIX[sign], signs, 1)
    parts = 1
    while True:
        borders = [len(signs) * at // parts for at in range(parts + 1)]
        spans = [slice(borders[at], borders[at + 1]) for at in range(parts)]
        sizes = [reduce(lambda size, sign: size * RADIX[sign], signs[span], 1) for span in spans]
        if whole < MOST or max(sizes) < MOST:
            return list(zip(spans, sizes, strict=True))
        parts += 1


def _ranked(cells: Bytes, signs: Bytes, places: NDArray[np.intp]) -> Numbers:
    found = np.zeros(len(cells), dtype=np.uint64)
    for at in places:
        sign = int(signs[at])
        found *= np.uint64(RADIX[sign])
        found += cells[:, at].astype(np.uint64) - np.uint64(LOWEST[sign])
    return found


def _unranked(cells: Bytes, signs: Bytes, places: NDArray[np.intp], ranks: Numbers) -> None:
    for at in places[::-1]:
        sign = int(signs[at])
        radix = np.uint64(RADIX[sign])
        higher = ranks // radix
        cells[:, at] = (ranks - higher * radix).astype(np.uint8) + np.uint8(LOWEST[sign])
        ranks = higher
