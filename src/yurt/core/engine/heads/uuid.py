"""Makes UUIDs."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta

import numpy as np
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.base.arrays import fixed_strings
from yurt.core.base.types import TEXT
from yurt.core.columns.column import EPOCH, Column
from yurt.core.engine.scope import BatchScope, TableScope

HEX = np.array([list(f"{byte:02x}".encode()) for byte in range(256)], dtype=np.uint8)
# The positions of the 16 bytes of a UUID in its text, and of the hyphens (RFC 9562, section 4).
BYTES_AT = (0, 2, 4, 6, 9, 11, 14, 16, 19, 21, 24, 26, 28, 30, 32, 34)
HYPHENS_AT = (8, 13, 18, 23)
Halves = tuple[NDArray[np.uint64], NDArray[np.uint64]]


def uuid(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """UUIDs of version 4 or 7 (RFC 9562)."""
    assert isinstance(phrase.head, model.Uuid)
    halves = _by_time if phrase.head.version == 7 else _random

    def make(batch: BatchScope) -> Column:
        high, low = halves(field.name, batch)
        low = (low & np.uint64(0x3FFFFFFFFFFFFFFF)) | np.uint64(0x8000000000000000)
        both = np.stack([high, low], axis=1).astype(">u8").view(np.uint8).reshape(-1, 16)
        cells = np.empty((len(batch.rows), 36), dtype=np.uint8)
        for index, at in enumerate(BYTES_AT):
            cells[:, at : at + 2] = HEX[both[:, index]]
        cells[:, HYPHENS_AT] = ord("-")
        return Column(TEXT, fixed_strings(cells))

    return make


def _random(name: str, batch: BatchScope) -> Halves:
    """Version 4. The first half of the random bits is a bijection of the row number, so no two are the same.

    Of the 64 bits of that half, version and variant would overwrite six; those six move into the second half.
    """
    sure = batch.stream(name, "uuid", fixed=True).bits(batch.rows)
    free = batch.stream(name, "uuid free", fixed=True).bits(batch.rows)
    high = (sure & np.uint64(0xFFFFFFFFFFFF0FFF)) | np.uint64(0x4000)
    moved = (sure >> np.uint64(12)) & np.uint64(0xF)
    return high, (free & np.uint64(0x03FFFFFFFFFFFFFF)) | (moved << np.uint64(58))


def _by_time(name: str, batch: BatchScope) -> Halves:
    """Version 7: milliseconds since 1970, starting with `now` and rising by one per row; the rest is random."""
    start = (batch.table.run.now - EPOCH) // timedelta(milliseconds=1)
    time = (batch.rows + np.uint64(start)) & np.uint64(0xFFFFFFFFFFFF)
    free = batch.stream(name, "uuid", fixed=True).bits(batch.rows)
    more = batch.stream(name, "uuid free", fixed=True).bits(batch.rows)
    return (time << np.uint64(16)) | np.uint64(0x7000) | (more & np.uint64(0x0FFF)), free


MAKES = {model.Uuid: uuid}
