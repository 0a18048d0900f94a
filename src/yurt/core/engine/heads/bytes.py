"""Makes random bytes in hexadecimal or base64 digits."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.patterns.sample import pack

BASE16 = np.frombuffer(b"0123456789abcdef", dtype=np.uint8)
BASE64 = np.frombuffer(b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/", dtype=np.uint8)


def random_bytes(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """Random bytes as digits of base 16 or 64; the length is drawn first, with equal chances."""
    head = phrase.head
    assert isinstance(head, model.Bytes)
    digits, bits = (BASE64, 6) if head.base64 else (BASE16, 4)

    def make(batch: BatchScope) -> Column:
        sizes = head.low + (batch.unit(field.name, "length") * (head.high - head.low + 1)).astype(np.int64)
        words = -(-head.high // 8)
        bits64 = np.stack([batch.stream(field.name, "bytes", word).bits(batch.rows) for word in range(words)], axis=1)
        raw = bits64.astype(">u8").view(np.uint8).reshape(len(batch.rows), words * 8)[:, : head.high]
        # The bytes behind the end of a short value are 0, because the encoding pads the last digit with 0.
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
    """Return the digits of `bits` bits each that represent the bytes of a row."""
    found = np.unpackbits(raw, axis=1)
    missing = places * bits - found.shape[1]
    found = np.pad(found, ((0, 0), (0, missing))).reshape(len(raw), places, bits)
    total: NDArray[np.int64] = found.astype(np.int64) @ (1 << np.arange(bits - 1, -1, -1))
    return total


MAKES = {model.Bytes: random_bytes}
