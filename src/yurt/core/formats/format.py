"""What a format is: an opening, blocks of records with a separator between them, a closing."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yurt.core.arrays import arrow, word
from yurt.core.errors import YurtError


class Unwritable(YurtError):
    """A value that a format cannot hold."""


@dataclass(frozen=True, slots=True)
class Format:
    """A text format that is written block by block.

    `opening` gets the record type and the field names. `records` gets a batch and the number of its first row (counted
    from 0), and returns one text a record.
    """

    name: str
    suffix: str
    opening: Callable[[str, list[str]], str]
    records: Callable[[str, pa.RecordBatch, int], pa.Array]
    separator: str
    closing: str

    def block(self, record: str, batch: pa.RecordBatch, first_row: int) -> pa.Buffer:
        """Return the bytes of a block, without a separator behind the last record."""
        texts = self.records(record, batch, first_row)
        whole = pa.ListArray.from_arrays(arrow(np.array([0, len(texts)], dtype=np.int32)), texts)
        return pc.binary_join(whole, word(self.separator))[0].as_buffer()


def bytes_of(texts: pa.Array) -> np.ndarray[tuple[int], np.dtype[np.uint8]]:
    """Return the bytes of all texts, one after the other, without copying."""
    data = texts.buffers()[2]
    if data is None or not len(texts):
        return np.empty(0, dtype=np.uint8)
    offsets = np.frombuffer(texts.buffers()[1], dtype=np.int32)[texts.offset : texts.offset + len(texts) + 1]
    return np.frombuffer(data, dtype=np.uint8)[offsets[0] : offsets[-1]]


def changed_texts(column: pa.Array, change: Callable[[pa.Array], pa.Array]) -> pa.Array:
    """Return a text column with every text changed; out of a list, each word is changed only once."""
    if pa.types.is_dictionary(column.type):
        return change(column.dictionary).take(column.indices)
    return change(column)


def is_text(column: pa.Array) -> bool:
    """Return whether a column holds texts, rather than values that need no escaping."""
    return bool(pa.types.is_dictionary(column.type) or pa.types.is_string(column.type))
