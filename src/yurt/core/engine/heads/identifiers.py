"""Running numbers, UUIDs and bytes."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.base.arrays import fixed_strings
from yurt.core.base.types import INTEGER, TEXT
from yurt.core.columns.column import EPOCH, Column
from yurt.core.patterns.sample import pack

if TYPE_CHECKING:
    from yurt.core.engine.batch import Batch
    from yurt.core.engine.table import Table

# The values of one row's lists get numbers of their own: the row's number times this, and their place in the list.
APART = np.uint64(1024)
HEX = np.array([list(f"{byte:02x}".encode()) for byte in range(256)], dtype=np.uint8)
# Where the 16 bytes of a UUID stand in its text, and where the hyphens (RFC 9562, section 4).
BYTES_AT = (0, 2, 4, 6, 9, 11, 14, 16, 19, 21, 24, 26, 28, 30, 32, 34)
HYPHENS_AT = (8, 13, 18, 23)
BASE16 = np.frombuffer(b"0123456789abcdef", dtype=np.uint8)
BASE64 = np.frombuffer(b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/", dtype=np.uint8)


def sequence(field: model.Field, phrase: model.Phrase, table: Table) -> Callable[[Batch], Column]:
    """`start`, `start + step`, … by row number."""
    head = phrase.head
    assert isinstance(head, model.Sequence)

    def make(batch: Batch) -> Column:
        # In a list of records it numbers those of one list.
        rows = batch.rows % APART if batch.inside else batch.rows
        return Column(INTEGER, rows.astype(np.int64) * head.step + head.start)

    return make


def uuid(field: model.Field, phrase: model.Phrase, table: Table) -> Callable[[Batch], Column]:
    """UUIDs of version 4 or 7 (RFC 9562)."""
    assert isinstance(phrase.head, model.Uuid)
    halves = _by_time if phrase.head.version == 7 else _random

    def make(batch: Batch) -> Column:
        high, low = halves(field.name, batch)
        low = (low & np.uint64(0x3FFFFFFFFFFFFFFF)) | np.uint64(0x8000000000000000)
        both = np.stack([high, low], axis=1).astype(">u8").view(np.uint8).reshape(-1, 16)
        cells = np.empty((len(batch.rows), 36), dtype=np.uint8)
        for index, at in enumerate(BYTES_AT):
            cells[:, at : at + 2] = HEX[both[:, index]]
        cells[:, HYPHENS_AT] = ord("-")
        return Column(TEXT, fixed_strings(cells))

    return make


Halves = tuple[NDArray[np.uint64], NDArray[np.uint64]]


def _random(name: str, batch: Batch) -> Halves:
    """Version 4. The first half of the random bits is a bijection of the row number: no two are the same.

    Of the 64 bits of that half, version and variant would cover six; those six move into the second half.
    """
    sure = batch.stream(name, "uuid", fixed=True).bits(batch.rows)
    free = batch.stream(name, "uuid free", fixed=True).bits(batch.rows)
    high = (sure & np.uint64(0xFFFFFFFFFFFF0FFF)) | np.uint64(0x4000)
    moved = (sure >> np.uint64(12)) & np.uint64(0xF)
    return high, (free & np.uint64(0x03FFFFFFFFFFFFFF)) | (moved << np.uint64(58))


def _by_time(name: str, batch: Batch) -> Halves:
    """Version 7: milliseconds since 1970, one more for each row, beginning with `now`; the rest is random."""
    start = (batch.table.run.now - EPOCH) // timedelta(milliseconds=1)
    time = (batch.rows + np.uint64(start)) & np.uint64(0xFFFFFFFFFFFF)
    free = batch.stream(name, "uuid", fixed=True).bits(batch.rows)
    more = batch.stream(name, "uuid free", fixed=True).bits(batch.rows)
    return (time << np.uint64(16)) | np.uint64(0x7000) | (more & np.uint64(0x0FFF)), free


def random_bytes(field: model.Field, phrase: model.Phrase, table: Table) -> Callable[[Batch], Column]:
    """Random bytes as digits of base 16 or 64; the length is drawn first, each alike."""
    head = phrase.head
    assert isinstance(head, model.Bytes)
    digits, bits = (BASE64, 6) if head.base64 else (BASE16, 4)

    def make(batch: Batch) -> Column:
        sizes = head.low + (batch.unit(field.name, "length") * (head.high - head.low + 1)).astype(np.int64)
        words = -(-head.high // 8)
        bits64 = np.stack([batch.stream(field.name, "bytes", word).bits(batch.rows) for word in range(words)], axis=1)
        raw = bits64.astype(">u8").view(np.uint8).reshape(len(batch.rows), words * 8)[:, : head.high]
        # Behind the end of a short value its bytes are 0, as the encoding wants the last digit to be.
        raw = np.where(np.arange(head.high) < sizes[:, None], raw, 0).astype(np.uint8)
        lengths = -(-sizes * 8 // bits)
        places = -(-head.high * 8 // bits)
        cells = digits[_digits(raw, bits, places)]
        if not head.base64:
            return Column(TEXT, pack(np.where(np.arange(places) < lengths[:, None], cells, 0).astype(np.uint8)))
        whole = -(-head.high // 3) * 4
        padded = np.full((len(raw), whole), ord("="), dtype=np.uint8)
        padded[:, :places] = np.where(np.arange(places) < lengths[:, None], cells, ord("="))
        ends = -(-sizes // 3) * 4
        return Column(TEXT, pack(np.where(np.arange(whole) < ends[:, None], padded, 0).astype(np.uint8)))

    return make


def _digits(raw: NDArray[np.uint8], bits: int, places: int) -> NDArray[np.int64]:
    """Return the digits of `bits` bits each that the bytes of a line are made of."""
    found = np.unpackbits(raw, axis=1)
    missing = places * bits - found.shape[1]
    found = np.pad(found, ((0, 0), (0, missing))).reshape(len(raw), places, bits)
    total: NDArray[np.int64] = found.astype(np.int64) @ (1 << np.arange(bits - 1, -1, -1))
    return total
