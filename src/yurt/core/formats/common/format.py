"""Defines a format: an opening, blocks of records with a separator between them, a closing, and how it is read."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import IO

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yurt.core.base.arrays import arrow, word
from yurt.core.base.errors import YurtError
from yurt.core.formats.common.breaks import Break
from yurt.core.formats.common.raw import Reading, Value
from yurt.core.model import Record


def finished(column: pa.Array) -> bool:
    """Return whether a column holds texts as they are in the file, rather than values."""
    return bool(pa.types.is_large_string(column.type))


class Unwritable(YurtError):
    """A value that a format cannot express."""


@dataclass(frozen=True, slots=True)
class Format:
    """A text format that is written block by block and read in pieces.

    `opening` gets the record type and the field names. `records` gets a batch and the number of its first row (counted
    from 0), and returns one text per record. `read` gets an open file, the record type, and the names of further
    columns, which are returned with an `@` in front. A `typed` format has numbers and Booleans of its own and ignores
    `as`; one that `nests` holds nested records, where others have a column for each inner field.
    """

    name: str
    suffixes: tuple[str, ...]
    opening: Callable[[str, list[str]], str]
    records: Callable[[str, pa.RecordBatch, int], pa.Array]
    separator: str
    closing: str
    # A column as it is in the file: quoted and escaped. A column of large strings is so already.
    finish: Callable[[pa.Array], pa.Array]
    # One value of any kind as it is in the file: None for a missing one.
    token: Callable[[Value], str | None]
    # Why the format cannot express a value; empty if it can.
    cannot: Callable[[Value], str]
    read: Callable[[IO[bytes], Record, tuple[str, ...]], Reading]
    breaks: tuple[Break, ...]
    typed: bool = False
    nests: bool = False

    @property
    def suffix(self) -> str:
        """The usual suffix of a file."""
        return self.suffixes[0]

    def block(self, record: str, batch: pa.RecordBatch, first_row: int) -> pa.Buffer:
        """Return the bytes of a block, without a separator after the last record."""
        texts = self.records(record, batch, first_row)
        whole = pa.ListArray.from_arrays(arrow(np.array([0, len(texts)], dtype=np.int32)), texts)
        return pc.binary_join(whole, word(self.separator))[0].as_buffer()

    def ending(self, rows: int) -> str:
        """Return the closing of a file; in a file without records, nothing separates it from the opening."""
        return self.closing if rows else self.closing.lstrip("\r\n")

    def file(self, record: str, batch: pa.RecordBatch) -> bytes:
        """Return the bytes of a whole file."""
        opening = self.opening(record, batch.schema.names).encode()
        inside = bytes(self.block(record, batch, 0)) if batch.num_rows else b""
        return opening + inside + self.ending(batch.num_rows).encode()
