"""Running numbers and UUIDs."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from yurt.core import model
from yurt.core.arrays import fixed_strings
from yurt.core.engine.column import Column
from yurt.core.types import INTEGER, TEXT

if TYPE_CHECKING:
    from yurt.core.engine.batch import Batch
    from yurt.core.engine.table import Table

HEX = np.array([list(f"{byte:02x}".encode()) for byte in range(256)], dtype=np.uint8)
# Where the 16 bytes of a UUID stand in its text, and where the hyphens (RFC 9562, section 4).
BYTES_AT = (0, 2, 4, 6, 9, 11, 14, 16, 19, 21, 24, 26, 28, 30, 32, 34)
HYPHENS_AT = (8, 13, 18, 23)


def sequence(field: model.Field, phrase: model.Phrase, table: Table) -> Callable[[Batch], Column]:
    """`start`, `start + step`, … by row number."""
    head = phrase.head
    assert isinstance(head, model.Sequence)

    def make(batch: Batch) -> Column:
        return Column(INTEGER, batch.rows.astype(np.int64) * head.step + head.start)

    return make


def uuid(field: model.Field, phrase: model.Phrase, table: Table) -> Callable[[Batch], Column]:
    """UUIDs of version 4. The first half of the random bits is a bijection of the row number: no two are the same.

    Of the 64 bits of that half, version and variant would cover six; those six move into the second half.
    """

    def make(batch: Batch) -> Column:
        sure = batch.stream(field.name, "uuid", fixed=True).bits(batch.rows)
        free = batch.stream(field.name, "uuid free", fixed=True).bits(batch.rows)
        high = (sure & np.uint64(0xFFFFFFFFFFFF0FFF)) | np.uint64(0x4000)
        moved = (sure >> np.uint64(12)) & np.uint64(0xF)
        low = (free & np.uint64(0x03FFFFFFFFFFFFFF)) | (moved << np.uint64(58))
        low = (low & np.uint64(0x3FFFFFFFFFFFFFFF)) | np.uint64(0x8000000000000000)
        halves = np.stack([high, low], axis=1).astype(">u8").view(np.uint8).reshape(-1, 16)
        cells = np.empty((len(batch.rows), 36), dtype=np.uint8)
        for index, at in enumerate(BYTES_AT):
            cells[:, at : at + 2] = HEX[halves[:, index]]
        cells[:, HYPHENS_AT] = ord("-")
        return Column(TEXT, fixed_strings(cells))

    return make
