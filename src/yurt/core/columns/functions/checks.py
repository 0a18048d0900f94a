"""Check digits, checksums, and hashes, computed for whole columns, one column of bytes at a time."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import Values, bytes_of, fixed_strings, numbers, strings
from yurt.core.base.types import INTEGER, TEXT
from yurt.core.columns.column import Column, coded
from yurt.core.columns.functions.registry import function

if TYPE_CHECKING:
    from yurt.core.columns.scope import Scope

Bytes = NDArray[np.uint8]


def _lines(column: Column, scope: Scope, kept: str | None = None) -> tuple[Bytes, NDArray[np.int64]]:
    """Return the bytes of each text, padded with 0 on the right, and the lengths."""
    texts = Column(column.type, column.values).text(len(scope.rows))
    if kept is not None:
        texts = pc.replace_substring_regex(texts, pattern=f"[^{kept}]", replacement="")
    texts = pa.concat_arrays([texts])
    lengths = numbers(pc.binary_length(texts), np.int32).astype(np.int64)
    widest = int(lengths.max()) if len(lengths) else 0
    cells = np.zeros((len(lengths), widest), dtype=np.uint8)
    cells[np.arange(widest) < lengths[:, None]] = bytes_of(texts)
    return cells, lengths


@function(
    "text",
    "text",
    "the check digit of the digits in a text (ISO/IEC 7812-1, annex B)",
    'luhn("7992739871")',
    group="texts",
)
def luhn(columns: list[Column], scope: Scope) -> Column:
    """Every second digit from the right counts double; a double with two digits counts as the sum of its digits."""
    cells, lengths = _lines(columns[0], scope, "0-9")
    digits = cells.astype(np.int64) - ord("0")
    present = np.arange(cells.shape[1]) < lengths[:, None]
    doubled = (lengths[:, None] - 1 - np.arange(cells.shape[1])) % 2 == 0
    value = np.where(doubled, digits * 2 - 9 * (digits > 4), digits)
    total = np.where(present, value, 0).sum(axis=1)
    return _digits(-total % 10, 1, columns[0])


@function(
    "text", "text", "the check character of the digits in a text (ISO 7064, MOD 11-2)", 'mod11("0794")', group="texts"
)
def mod11(columns: list[Column], scope: Scope) -> Column:
    """ISO 7064, MOD 11-2: a check character 0 to 9 or X."""
    cells, lengths = _lines(columns[0], scope, "0-9")
    rest = np.zeros(len(cells), dtype=np.int64)
    for at in range(cells.shape[1]):
        rest = np.where(at < lengths, (rest + cells[:, at] - ord("0")) * 2 % 11, rest)
    return Column(TEXT, coded((12 - rest) % 11, strings("0123456789X")).values, columns[0].nulls)


@function(
    "text", "text", "the two check digits of digits and letters (ISO 7064, MOD 97-10)", 'mod97("794")', group="texts"
)
def mod97(columns: list[Column], scope: Scope) -> Column:
    """ISO 7064, MOD 97-10: letters count 10 to 35."""
    cells, lengths = _lines(columns[0], scope, "0-9A-Za-z")
    rest = np.zeros(len(cells), dtype=np.int64)
    for at in range(cells.shape[1]):
        byte = cells[:, at].astype(np.int64)
        letter = byte >= ord("A")
        value = np.where(letter, (byte & 31) + 9, byte - ord("0"))
        rest = np.where(at < lengths, (rest * np.where(letter, 100, 10) + value) % 97, rest)
    return _digits(98 - rest * 100 % 97, 2, columns[0])


def _digits(values: NDArray[np.int64], width: int, column: Column) -> Column:
    cells = np.empty((len(values), width), dtype=np.uint8)
    for place in range(width - 1, -1, -1):
        values, digit = np.divmod(values, 10)
        cells[:, place] = digit + ord("0")
    return Column(TEXT, fixed_strings(cells), column.nulls)


# ---- checksums and hashes --------------------------------------------------------------------------------------------


def _crc_table() -> NDArray[np.uint32]:
    table = np.arange(256, dtype=np.uint32)
    for _ in range(8):
        table = np.where(table & 1, (table >> np.uint32(1)) ^ np.uint32(0xEDB88320), table >> np.uint32(1))
    return table


@function("text", "integer", "the checksum of a text's bytes in UTF-8 (ISO 3309)", 'crc32("hut")', group="texts")
def crc32(columns: list[Column], scope: Scope) -> Column:
    cells, lengths = _lines(columns[0], scope)
    table, found = _crc_table(), np.full(len(cells), 0xFFFFFFFF, dtype=np.uint32)
    for at in range(cells.shape[1]):
        stepped = table[(found ^ cells[:, at]) & np.uint32(0xFF)] ^ (found >> np.uint32(8))
        found = np.where(at < lengths, stepped, found)
    return Column(INTEGER, (found ^ np.uint32(0xFFFFFFFF)).astype(np.int64), columns[0].nulls)


def _fractions(power: float, count: int) -> NDArray[np.uint32]:
    """Return the first 32 fractional bits of a root of each of the first prime numbers."""
    primes = [each for each in range(2, 320) if all(each % other for other in range(2, math.isqrt(each) + 1))][:count]
    exact = [int(_root(prime << (32 * round(1 / power)), round(1 / power))) & 0xFFFFFFFF for prime in primes]
    return np.array(exact, dtype=np.uint32)


def _root(value: int, degree: int) -> int:
    low, high = 0, 1 << (value.bit_length() // degree + 1)
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if middle**degree <= value else (low, middle)
    return low


START, ROUND_WORDS = _fractions(1 / 2, 8), _fractions(1 / 3, 64)


def _turned(words: Values, by: int) -> Values:
    return (words >> np.uint32(by)) | (words << np.uint32(32 - by))


@function(
    "text",
    "text",
    "the hash of a text's bytes in UTF-8, in hexadecimal digits (FIPS 180-4)",
    'left(sha256("hut"), 12)',
    group="texts",
)
def sha256(columns: list[Column], scope: Scope) -> Column:
    cells, lengths = _lines(columns[0], scope)
    blocks = (lengths + 8) // 64 + 1
    most = int(blocks.max()) if len(blocks) else 1
    padded = np.zeros((len(cells), most * 64), dtype=np.uint8)
    padded[:, : cells.shape[1]] = cells
    rows = np.arange(len(cells))
    padded[rows, lengths] = 0x80
    sizes = (lengths * 8).astype(">u8").view(np.uint8).reshape(-1, 8)
    for byte in range(8):
        padded[rows, blocks * 64 - 8 + byte] = sizes[:, byte]
    state = [np.full(len(cells), each, dtype=np.uint32) for each in START]
    for number in range(most):
        words = padded[:, number * 64 : (number + 1) * 64].copy().view(">u4").astype(np.uint32).T
        stepped = _compressed(state, list(words))
        state = [np.where(number < blocks, new, old) for new, old in zip(stepped, state, strict=True)]
    raw = np.stack(state, axis=1).astype(">u4").view(np.uint8).reshape(len(cells), 32)
    nibbles = np.stack([raw >> 4, raw & 15], axis=2).reshape(len(cells), 64)
    return Column(TEXT, fixed_strings(HEX[nibbles]), columns[0].nulls)


HEX = np.frombuffer(b"0123456789abcdef", dtype=np.uint8)


def _compressed(state: list[Values], words: list[Values]) -> list[Values]:
    """Process one block of each text (FIPS 180-4, section 6.2.2)."""
    for at in range(16, 64):
        before, near = words[at - 15], words[at - 2]
        small = _turned(before, 7) ^ _turned(before, 18) ^ (before >> np.uint32(3))
        large = _turned(near, 17) ^ _turned(near, 19) ^ (near >> np.uint32(10))
        words.append(words[at - 16] + small + words[at - 7] + large)
    a, b, c, d, e, f, g, h = state
    for at in range(64):
        one = h + (_turned(e, 6) ^ _turned(e, 11) ^ _turned(e, 25)) + ((e & f) ^ (~e & g)) + ROUND_WORDS[at] + words[at]
        two = (_turned(a, 2) ^ _turned(a, 13) ^ _turned(a, 22)) + ((a & b) ^ (a & c) ^ (b & c))
        a, b, c, d, e, f, g, h = one + two, a, b, c, d + one, e, f, g
    return [old + new for old, new in zip(state, (a, b, c, d, e, f, g, h), strict=True)]
