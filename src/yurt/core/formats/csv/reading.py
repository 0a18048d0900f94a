"""Reads lines and cells in a dialect, some megabytes at a time.

A line with too few or too many cells is a fault of the file and is left out.
"""

from __future__ import annotations

import csv as plain
import io
import re
from collections import Counter
from collections.abc import Iterator
from typing import IO, Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base.data_classes import dataclass
from yurt.core.formats.common.raw import Block, Fault, Raw, Reading, absent, meant, of_cells
from yurt.core.formats.common.tree import leaf_names
from yurt.core.formats.csv.cells import texts_of
from yurt.core.formats.csv.dialect import Dialect
from yurt.core.model import Record

PIECE = 1 << 23
SEPARATORS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
# The number of faults that are kept per file; a file with more of them is not CSV.
MOST_FAULTS = 1000
# The maximum number of columns.
MOST_COLUMNS = 20_000
# The maximum length of a cell in quotes.
LONGEST = 1 << 26


NOT_UTF8 = "bytes that are not UTF-8"


@dataclass(frozen=True)
class Piece:
    """Complete lines of a file, and the offset of the first one."""

    data: memoryview
    start: int


class CellReader:
    """Reads files in a dialect."""

    def __init__(self, dialect: Dialect) -> None:
        self.dialect = dialect
        self.quote = dialect.quote.encode()

    def read(self, stream: IO[bytes], record: Record, labels: tuple[str, ...]) -> Reading:
        """Return a file of a record type; the columns may be in any order, if they have names."""
        names = {record.column(name): name for name in leaf_names(record)}
        own = list(names)
        if self.dialect.header:
            names |= {label: f"@{label}" for label in labels if label not in names}
        header: list[str] = []
        reading = Reading(
            lambda: self._pieces(stream, list(names), own, header, reading),
            lambda piece: self._block(piece, names, header, reading),
        )
        reading.lines_of = lambda again, rows: self._lines_of_rows(again, rows, len(own))
        return reading

    def titles(self, stream: IO[bytes], record: str) -> list[str] | Fault:
        """Return the names in the first line; a file without them has columns with numbers."""
        reading = Reading(lambda: iter(()))
        header = self._header(stream, reading)
        if header is None:
            return reading.faults[0]
        if not self.dialect.header:
            return [f"column_{number}" for number in range(1, len(header) + 1)]
        if len(header) == 1:
            for sign, name in SEPARATORS.items():
                if sign != self.dialect.delimiter and sign in header[0]:
                    return Fault(1, f"the names in the header are separated by {name}s; set delimiter={name}")
        return header

    def _cells(self, lines: IO[str], strict: bool = False) -> Any:
        """Return the reader of the standard library for some lines."""
        escape = None if self.dialect.doubled else "\\"
        return plain.reader(
            lines, delimiter=self.dialect.delimiter, quotechar=self.dialect.quote, doublequote=self.dialect.doubled,
            escapechar=escape, strict=strict,
        )  # fmt: skip

    def _header(self, stream: IO[bytes], reading: Reading) -> list[str] | None:
        """Return the names in the first line; None if there is nothing to read."""
        stream.seek(0)
        line = stream.readline(LONGEST)
        # A name in quotes may contain a line end.
        while self._count(line, len(line)) % 2 and len(line) < LONGEST and (more := stream.readline(LONGEST)):
            line += more
        stream.seek(0)
        try:
            header: list[str] | None = next(self._cells(io.StringIO(line.decode("utf-8-sig"), newline="")), None)
        except (UnicodeDecodeError, plain.Error) as error:
            reading.faults.append(Fault(1, f"the header cannot be read: {_reason(error)}"))
            return None
        if (fault := self._line_ends(stream)) is not None:
            reading.faults.append(fault)
            return None
        if not header:
            reading.faults.append(Fault(1, "there is no header line with the names of the fields"))
            return None
        if len(header) > MOST_COLUMNS:
            reading.faults.append(Fault(1, f"{len(header):,} columns; more than {MOST_COLUMNS:,} are not read"))
            return None
        doubled = sorted(name for name, times in Counter(header).items() if times > 1)
        if doubled:
            reading.faults.append(Fault(1, f"the column `{doubled[0]}` is repeated in the header"))
            return None
        return header

    def _without_header(self, stream: IO[bytes], own: list[str], reading: Reading) -> list[str] | None:
        """Return the names of the fields for a file that does not have them; None for one that cannot be read."""
        stream.seek(0)
        fault = self._line_ends(stream) if stream.read(1) else Fault(1, "the file is empty")
        if fault is not None:
            reading.faults.append(fault)
            return None
        return own

    def _line_ends(self, stream: IO[bytes]) -> Fault | None:
        """Return a fault for a file with obsolete line ends."""
        stream.seek(0)
        begin = stream.read(PIECE)
        stream.seek(0)
        if b"\r" not in begin or self._behind_header(begin) < len(begin):
            return None
        plainly = re.sub(rb"%b[^%b]*%b" % ((self.quote,) * 3), b"", begin)
        if b"\r" in plainly and b"\n" not in plainly and plainly.strip(b"\r"):
            return Fault(1, "lines end with a carriage return alone (CR); expected a line feed (LF), or both")
        return None

    def _unknown(self, header: list[str], names: list[str]) -> str:
        """Return what is probably wrong with a header that names no field."""
        own = self.dialect.delimiter
        expected = f"{SEPARATORS[own]}s" if own in SEPARATORS else f"`{own}`"
        for sign, name in SEPARATORS.items():
            if sign != own and any(each.strip().strip('"') in names for each in own.join(header).split(sign)):
                return f"the names in the header are separated by {name}s; expected {expected}"
        small = {each.casefold(): each for each in names}
        if found := [each for each in header if each.strip().casefold() in small]:
            near = small[found[0].strip().casefold()]
            return f"no column has the name of a field; did you mean `{near}` by `{found[0]}`?"
        return "no column has the name of a field; is the line with the names missing?"

    def _pieces(
        self, stream: IO[bytes], names: list[str], own: list[str], header: list[str], reading: Reading
    ) -> Iterator[Piece]:  # fmt: skip
        """Yield complete lines; a line ends where every opening quote has a closing one."""
        found = self._header(stream, reading) if self.dialect.header else self._without_header(stream, own, reading)
        if found is None:
            return
        if not any(each in names for each in found):
            reading.faults.append(Fault(1, self._unknown(found, names)))
            return
        header[:] = found
        reading.strangers |= {each: meant(each, names) for each in header if each not in names}
        rest, start, first = b"", 0, self.dialect.header
        while data := stream.read(PIECE):
            data = rest + data
            end = self._end(data)
            if end < 0 and len(data) > LONGEST:
                reading.faults.append(Fault(None, "a quote is never closed", start))
                return
            if end < 0:
                rest = data
                continue
            begin = self._behind_header(data) if first else 0
            first = False
            if end >= begin:
                yield Piece(memoryview(data)[begin : end + 1], start + begin)
            rest = data[end + 1 :]
            start += end + 1
        begin = self._behind_header(rest) if first else 0
        end = len(rest)
        if self._count(rest, end) % 2 and (at := self._open_quote(rest)) is not None:
            reading.faults.append(Fault(None, "a quote is never closed", start + at))
            end = at
        if end > begin:
            yield Piece(memoryview(rest)[begin:end], start + begin)

    def _open_quote(self, data: bytes) -> int | None:
        """Return the offset of the last line if a quote is open at its end; a quote inside a cell opens nothing."""
        text = io.TextIOWrapper(io.BytesIO(data), "utf-8-sig", errors="replace", newline="")
        lines = self._cells(text, strict=True)
        read = 0
        try:
            for _ in lines:
                read = lines.line_num
        except plain.Error:
            ends = [found.end() for found in re.finditer(rb"\r\n|\n|\r", data)]
            return ends[read - 1] if read else 0
        return None

    def _end(self, data: bytes) -> int:
        """Return the end of the last complete line in some data; -1 for none."""
        end = data.rfind(b"\n")
        if end < 0 or self._count(data, end) % 2 == 0:
            return end
        quotes = self._quotes(data, end)
        while end >= 0 and len(quotes) % 2:
            # All line ends behind the last quote are inside it.
            end = data.rfind(b"\n", 0, int(quotes[-1]))
            quotes = quotes[: np.searchsorted(quotes, end)]
        return end

    def _count(self, data: bytes, end: int) -> int:
        """Return the number of quotes in the first bytes; `bytes.count` is slow if they are frequent."""
        if not self.dialect.doubled:
            return len(self._quotes(data, end))
        return int(np.count_nonzero(np.frombuffer(data, dtype=np.uint8, count=end) == ord(self.quote)))

    def _quotes(self, data: bytes, end: int) -> NDArray[np.int64]:
        """Return the offsets of the quotes in the first bytes."""
        if not self.dialect.doubled:
            # A quote with a backslash in front belongs to the cell.
            found = re.finditer(rb"\\.|" + re.escape(self.quote), data[:end], re.S)
            return np.array([each.start() for each in found if each[0] == self.quote], dtype=np.int64)
        return np.flatnonzero(np.frombuffer(data, dtype=np.uint8, count=end) == ord(self.quote))

    def _behind_header(self, data: bytes) -> int:
        """Return the offset of the first line after the header."""
        at = data.find(b"\n")
        if at < 0 or self._count(data, at) % 2 == 0:
            return at + 1 if at >= 0 else len(data)
        ends = np.flatnonzero(np.frombuffer(data, dtype=np.uint8) == ord("\n"))
        even = np.flatnonzero(np.searchsorted(self._quotes(data, len(data)), ends) % 2 == 0)
        return int(ends[even[0]]) + 1 if len(even) else len(data)

    def _block(self, piece: Piece, names: dict[str, str], header: list[str], reading: Reading) -> Block:
        at = 0

        def refuse(row: Any) -> str:
            nonlocal at
            if len(reading.faults) >= MOST_FAULTS:
                return "skip"
            at = max(bytes(piece.data).find(row.text.encode(), at), at)
            message = f"{row.actual_columns} cells where the header has {row.expected_columns}"
            reading.faults.append(Fault(None, message, piece.start + at))
            at += 1
            return "skip"

        wanted = [each for each in names if each in header]
        try:
            table = texts_of(piece.data, header, wanted, None, self.dialect)
        except pa.ArrowInvalid:
            try:
                str(piece.data, "utf-8")
                table = texts_of(piece.data, header, wanted, refuse, self.dialect)
            except UnicodeDecodeError as error:
                reading.faults.append(Fault(None, f"not CSV from here on: {NOT_UTF8}", piece.start + error.start))
                return Block(0, {each: absent(0) for each in names.values()})
            except pa.ArrowInvalid as error:
                reading.faults.append(Fault(None, f"not CSV from here on: {_words(str(error))}", piece.start))
                return Block(0, {each: absent(0) for each in names.values()})
        size = table.num_rows
        found: dict[str, Raw] = {
            name: of_cells(column.chunk(0) if column.num_chunks else pa.nulls(0, pa.string()))
            for name, column in zip(table.schema.names, table.columns, strict=True)
        }
        return Block(size, {name: found[title] if title in found else absent(size) for title, name in names.items()})

    def _lines_of_rows(self, stream: IO[bytes], rows: list[int], columns: int) -> dict[int, int]:
        """Return the line on which each of these rows (counted from 0) begins."""
        wanted, found = sorted(set(rows)), {}
        stream.seek(0)
        text = io.TextIOWrapper(stream, "utf-8-sig", errors="replace", newline="")
        try:
            reader = self._cells(text)
            if self.dialect.header:
                columns = len(next(reader, []))
            row, before = 0, reader.line_num
            at = 0
            for cells in reader:
                if at == len(wanted):
                    break
                if len(cells) == columns or (columns == 1 and not cells):
                    if row == wanted[at]:
                        found[row] = before + 1
                        at += 1
                    row += 1
                before = reader.line_num
        except plain.Error:
            # A line that cannot be read has no number; the rows before it keep theirs.
            return found
        finally:
            text.detach()
        return found


def _reason(error: Exception) -> str:
    if isinstance(error, UnicodeDecodeError):
        return f"byte 0x{error.object[error.start]:02x} at {error.start} is not UTF-8"
    return str(error).partition("\n")[0]


def _words(message: str) -> str:
    """Translate a message of the reader."""
    if "UTF8" in message:
        return NOT_UTF8
    return message.partition("\n")[0].partition(": ")[2] or message
