"""What a format is: an opening, blocks of records with a separator between them, a closing."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yurt.core.base.arrays import arrow, word
from yurt.core.base.errors import YurtError


def finished(column: pa.Array) -> bool:
    """Return whether a column holds what stands in the file, rather than values."""
    return bool(pa.types.is_large_string(column.type))


class Unwritable(YurtError):
    """A value that a format cannot hold."""


@dataclass(frozen=True, slots=True)
class Format:
    """A text format that is written block by block.

    `opening` gets the record type and the field names. `records` gets a batch and the number of its first row (counted
    from 0), and returns one text a record. A `typed` format has numbers and truth values of its own and leaves `as`
    aside; one that `nests` holds records inside records, where others have a column for each inner field.
    """

    name: str
    suffix: str
    opening: Callable[[str, list[str]], str]
    records: Callable[[str, pa.RecordBatch, int], pa.Array]
    separator: str
    closing: str
    typed: bool = False
    nests: bool = False
    # A column as it stands in the file: with quotes, escaped. A column of large strings is so already.
    finish: Callable[[pa.Array], pa.Array] = lambda column: column

    def block(self, record: str, batch: pa.RecordBatch, first_row: int) -> pa.Buffer:
        """Return the bytes of a block, without a separator behind the last record."""
        texts = self.records(record, batch, first_row)
        whole = pa.ListArray.from_arrays(arrow(np.array([0, len(texts)], dtype=np.int32)), texts)
        return pc.binary_join(whole, word(self.separator))[0].as_buffer()
