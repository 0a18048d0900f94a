"""Defines a format: how records are written in it and read from it, and its settings.

Most formats are texts: an opening, blocks of records with a separator between them, a closing (`TextFormat`).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import IO, Any, Protocol

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, word
from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.errors import UsageFault, YurtError
from yurt.core.formats.common.breaks import Break
from yurt.core.formats.common.encodings import Encoding
from yurt.core.formats.common.raw import Fault, Reading, Value
from yurt.core.formats.common.settings import Chosen, Setting
from yurt.core.model import Record


def finished(column: pa.Array) -> bool:
    """Return whether a column holds texts as they are in the file, rather than values."""
    return bool(pa.types.is_large_string(column.type))


# A block of rows, ready to be written; each format has a form of its own.
Rendered = Any


class Unwritable(YurtError):
    """A value that a format cannot express; `reason` says why without the value and its place."""

    def __init__(self, message: str, reason: str = "") -> None:
        super().__init__(message)
        self.reason = reason or message


class Out(Protocol):
    """The destination of the bytes."""

    def write(self, data: bytes | pa.Buffer, /) -> object:
        """Take some bytes."""


class Book(Protocol):
    """A file that may hold the records of several types."""

    @property
    def size(self) -> int:
        """The number of bytes written so far."""

    def writer(self, record: Record, names: list[str]) -> Writer:
        """Return what writes the records of a type, after those of the ones before it."""

    def close(self) -> None:
        """Complete the file."""


class Writer(Protocol):
    """Writes the records of one type. Blocks are rendered on any thread, and put one after the other."""

    @property
    def size(self) -> int:
        """The number of bytes written so far."""

    def rendered(self, batch: pa.RecordBatch, first_row: int) -> Rendered:
        """Return a block of rows, ready to be put; `first_row` is counted from 0."""

    def put(self, block: Rendered) -> None:
        """Write a block. Nothing is written before the first one is there."""

    def finish(self, empty: Callable[[], pa.RecordBatch]) -> None:
        """Complete the file; `empty` returns the columns without rows, for a file that has none."""


@dataclass(frozen=True, kw_only=True)
class Format:
    """A format by its name, with the suffixes of its files.

    `read` gets an open file, the record type, and the names of further columns, which are returned with an `@` in
    front; None if files cannot be read. A `typed` format has numbers and Booleans of its own and ignores `as`; one that
    `nests` holds nested records, where others have a column for each inner field. `configured` returns the format with
    other settings. A file may hold several record types `together`, and one that is
    `binary` is not text. With `inside`, records that are counted per another stand inside it.
    """

    name: str
    suffixes: tuple[str, ...]
    meaning: str
    read: Callable[[IO[bytes], Record, tuple[str, ...]], Reading] | None
    # The names of the columns of a file (with its record type), or why there are none; without it, those that its
    # records have.
    titles: Callable[[IO[bytes], str], list[str] | Fault] | None = None
    # The suffixes of similar files that are only read.
    only_read: tuple[str, ...] = ()
    settings: tuple[Setting, ...] = ()
    configured: Callable[[Chosen], Format] | None = None
    typed: bool = False
    nests: bool = False
    together: bool = False
    binary: bool = False
    # Whether a file is read with its columns as they are in it, so that they can be written again without a change.
    columnar: bool = False
    # Whether records are read in the order in which they were written.
    ordered: bool = True
    # The maximum number of records on a sheet, if there are sheets; more go on in further ones.
    rows_a_sheet: int = 0
    # The field whose values have sheets of their own.
    sheets_of: str = ""
    inside: bool = False
    encoding: Encoding = field(default_factory=Encoding)

    @property
    def holds_anything(self) -> bool:
        """Whether a file can hold wrong values of any type, as a text format can."""
        return isinstance(self, TextFormat)

    @property
    def template_file(self) -> str:
        """The file that says what is written; empty if there is none."""
        return ""

    @property
    def suffix(self) -> str:
        """The usual suffix of a file."""
        return self.suffixes[0] if self.suffixes else ".txt"

    def notes(self, record: Record) -> list[str]:
        """Return what the summary says about a record type in this format, one sentence each."""
        return []

    def reading(self, stream: IO[bytes], record: Record, labels: tuple[str, ...]) -> Reading:
        """Return a file of a record type as it is read. Raises UsageFault if the format cannot be read."""
        if self.read is None:
            raise UsageFault(f"{self.name} is only written, not read")
        return self.read(stream, record, labels)

    def writer(self, out: Out, record: Record, names: list[str]) -> Writer:
        """Return what writes a file of a record type; `names` are those of the columns."""
        return self.book(out).writer(record, names)

    def book(self, out: Out) -> Book:
        """Return what writes a file."""
        return Single(self, out)

    def several(self, out: Out) -> Book:
        """Return what writes a file of several record types."""
        return self.book(out)

    def with_types(self, types: frozenset[str]) -> Format:
        """Return the format for files that may have several of these record types."""
        return self


class Single:
    """A file with the records of one type."""

    def __init__(self, form: Format, out: Out) -> None:
        self.form, self.out = form, out
        self.own: Writer | None = None

    @property
    def size(self) -> int:
        """The number of bytes written so far."""
        return self.own.size if self.own is not None else 0

    def writer(self, record: Record, names: list[str]) -> Writer:
        """Return what writes the records."""
        assert self.own is None
        self.own = self.form.writer(self.out, record, names)
        return self.own

    def close(self) -> None:
        """The writer has completed the file."""


@dataclass(frozen=True, kw_only=True)
class TextFormat(Format):
    """A text format that is written block by block and read in pieces.

    `opening` gets the record type and the field names. `records` gets a batch and the number of its first row (counted
    from 0), and returns one text per record.
    """

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
    breaks: tuple[Break, ...] = ()
    # The number of characters that a column has room for; None for any number.
    room: Callable[[str], int | None] = lambda title: None
    # The closing of a file without records, if it is another one.
    empty: str = ""
    # Whether a layout lists all columns, so that labels cannot stand in front of them.
    by_layout: bool = False
    # Settings without which nothing can be written, with values for an example.
    needed: Mapping[str, str] = field(default_factory=dict)

    def writer(self, out: Out, record: Record, names: list[str]) -> Writer:
        return TextWriter(self, out, record.name, names)

    def block(self, record: str, batch: pa.RecordBatch, first_row: int) -> bytes | pa.Buffer:
        """Return the bytes of a block, without a separator after the last record."""
        texts = self.records(record, batch, first_row)
        whole = pa.ListArray.from_arrays(arrow(np.array([0, len(texts)], dtype=np.int32)), texts)
        joined = pc.binary_join(whole, word(self.separator))[0].as_buffer()
        try:
            return self.encoding.encoded(joined)
        except UnicodeEncodeError:
            raise self._unmappable(record, batch, first_row) from None

    def _unmappable(self, record: str, batch: pa.RecordBatch, first_row: int) -> Unwritable:
        """Return the message about the first value with a character that the encoding does not have."""
        for row in range(batch.num_rows):
            for name, column in zip(batch.schema.names, batch.columns, strict=True):
                text = str(column[row].as_py())
                if not self.encoding.can(text):
                    char = next(each for each in text if not self.encoding.can(each))
                    return Unwritable(
                        f"{record}.{name}, row {first_row + row + 1:,}: {self.encoding.name} has no `{char}`"
                        f" (U+{ord(char):04X}); another `encoding`, or a character for `unmappable`",
                        f"{self.encoding.name} lacks a character of {name}",
                    )
        return Unwritable(f"{record}: a name or a mark is not in {self.encoding.name}")

    def ending(self, rows: int) -> str:
        """Return the closing of a file; in a file without records, nothing separates it from the opening."""
        if not rows and self.empty:
            return self.empty
        return self.closing if rows else self.closing.lstrip(",\r\n")

    def file(self, record: str, batch: pa.RecordBatch) -> bytes:
        """Return the bytes of a whole file."""
        opening = self.encoding.mark + bytes(self.encoding.encoded(self.opening(record, batch.schema.names)))
        inside = bytes(self.block(record, batch, 0)) if batch.num_rows else b""
        return opening + inside + bytes(self.encoding.encoded(self.ending(batch.num_rows)))


class TextWriter:
    """Writes a file in a text format."""

    def __init__(self, form: TextFormat, out: Out, record: str, names: list[str]) -> None:
        self.form, self.out, self.record, self.names = form, out, record, names
        self.size, self.begun = 0, False

    def rendered(self, batch: pa.RecordBatch, first_row: int) -> bytes | pa.Buffer:
        """Return the bytes of a block."""
        return self.form.block(self.record, batch, first_row)

    def put(self, block: bytes | pa.Buffer) -> None:
        """Write a block, behind the opening or a separator."""
        self._begin() if not self.begun else self._text(self.form.separator)
        self._write(block)

    def finish(self, empty: Callable[[], pa.RecordBatch]) -> None:
        """Write the closing."""
        rows = int(self.begun)
        if not self.begun:
            self._begin()
        self._text(self.form.ending(rows))

    def _begin(self) -> None:
        self.begun = True
        self._write(self.form.encoding.mark)
        self._text(self.form.opening(self.record, self.names))

    def _text(self, text: str) -> None:
        try:
            self._write(self.form.encoding.encoded(text))
        except UnicodeEncodeError:
            raise Unwritable(f"{self.record}: a name or a mark is not in {self.form.encoding.name}") from None

    def _write(self, data: bytes | pa.Buffer) -> None:
        if len(data):
            self.out.write(data)
            self.size += len(data)
