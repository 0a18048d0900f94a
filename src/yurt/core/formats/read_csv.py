"""Reads CSV (RFC 4180), some megabytes at a time.

An empty cell is a missing value, `""` an empty text. A line with too few or too many cells is a fault of the file, and
is left out.
"""

from __future__ import annotations

import csv as plain
import io
from collections.abc import Iterator
from dataclasses import dataclass
from typing import IO, Any

import numpy as np
import pyarrow as pa
from pyarrow import csv

from yurt.core.formats.raw import Block, Fault, Raw, Reading, absent, of_cells

PIECE = 1 << 23
# Faults of one file that are kept; a file with more of them is no CSV.
MOST_FAULTS = 1000
# A cell in quotes may be this long.
LONGEST = 1 << 26


@dataclass(frozen=True, slots=True)
class Piece:
    """Whole lines of a file, and the place of the first of them."""

    data: memoryview
    start: int


def read(stream: IO[bytes], names: list[str]) -> Reading:
    """Return a CSV file with these columns, in whatever order it has them."""
    header: list[str] = []
    reading = Reading(
        lambda: _pieces(stream, names, header, reading), lambda piece: _block(piece, names, header, reading)
    )
    reading.lines_of = _lines
    return reading


def _header(stream: IO[bytes], reading: Reading) -> list[str] | None:
    """Return the names in the first line; None when there is nothing to go on with."""
    stream.seek(0)
    try:
        text = io.TextIOWrapper(stream, "utf-8-sig", newline="")
        header = next(plain.reader(text), None)
    except (UnicodeDecodeError, plain.Error) as error:
        reading.faults.append(Fault(1, f"the header cannot be read: {_reason(error)}"))
        return None
    finally:
        text.detach()
        stream.seek(0)
    if not header:
        reading.faults.append(Fault(1, "there is no header line with the names of the fields"))
        return None
    doubled = sorted({each for each in header if header.count(each) > 1})
    if doubled:
        reading.faults.append(Fault(1, f"the column `{doubled[0]}` stands twice in the header"))
        return None
    return header


def _reason(error: Exception) -> str:
    if isinstance(error, UnicodeDecodeError):
        return f"byte 0x{error.object[error.start]:02x} at {error.start} is not UTF-8"
    return str(error).partition("\n")[0]


def _pieces(stream: IO[bytes], names: list[str], header: list[str], reading: Reading) -> Iterator[Piece]:
    """Yield whole lines; a line ends where as many quotes open as close."""
    found = _header(stream, reading)
    if found is None:
        return
    header[:] = found
    reading.strangers |= {each: None for each in header if each not in names}
    rest, start, first = b"", 0, True
    while data := stream.read(PIECE):
        data = rest + data
        end = _end(data)
        if end < 0 and len(data) > LONGEST:
            reading.faults.append(Fault(None, "a quote is never closed", start))
            return
        if end < 0:
            rest = data
            continue
        begin = _behind_header(data) if first else 0
        first = False
        if end >= begin:
            yield Piece(memoryview(data)[begin : end + 1], start + begin)
        rest = data[end + 1 :]
        start += end + 1
    begin = _behind_header(rest) if first else 0
    if len(rest) > begin:
        yield Piece(memoryview(rest)[begin:], start + begin)


def _end(data: bytes) -> int:
    """Return where the last line of some data ends that is whole; -1 for nowhere."""
    end = data.rfind(b"\n")
    quotes = _count(data, end) if end >= 0 else 0
    while end >= 0 and quotes % 2:
        before = data.rfind(b"\n", 0, end)
        quotes -= data.count(b'"', max(before, 0), end)
        end = before
    return end


def _count(data: bytes, end: int) -> int:
    """Return how many quotes stand in some data; `bytes.count` is slow where they are frequent."""
    return int(np.count_nonzero(np.frombuffer(data, dtype=np.uint8, count=end) == ord('"')))


def _behind_header(data: bytes) -> int:
    """Return where the first line behind the header begins."""
    at = data.find(b"\n")
    while at >= 0 and data.count(b'"', 0, at) % 2:
        at = data.find(b"\n", at + 1)
    return at + 1 if at >= 0 else len(data)


def _block(piece: Piece, names: list[str], header: list[str], reading: Reading) -> Block:
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

    try:
        table = csv.read_csv(
            pa.BufferReader(pa.py_buffer(piece.data)),
            csv.ReadOptions(block_size=len(piece.data) + 1, use_threads=False, column_names=header),
            # Of one column, an empty line is a row with a missing value.
            csv.ParseOptions(
                newlines_in_values=True, invalid_row_handler=refuse, ignore_empty_lines=len(header) > 1
            ),
            csv.ConvertOptions(
                column_types={each: pa.string() for each in header},
                include_columns=[each for each in names if each in header],
                null_values=[""], strings_can_be_null=True, quoted_strings_can_be_null=False,
            ),
        )  # fmt: skip
    except pa.ArrowInvalid as error:
        reading.faults.append(Fault(None, f"not CSV from here on: {_words(str(error))}", piece.start))
        return Block(0, {each: absent(0) for each in names})
    size = table.num_rows
    found: dict[str, Raw] = {
        name: of_cells(column.chunk(0) if column.num_chunks else pa.nulls(0, pa.string()))
        for name, column in zip(table.schema.names, table.columns, strict=True)
    }
    return Block(size, {each: found[each] if each in found else absent(size) for each in names})


def _words(message: str) -> str:
    """Say in our words what the reader says in its own."""
    if "UTF8" in message:
        return "bytes that are not UTF-8"
    return message.partition("\n")[0].partition(": ")[2] or message


def lines_at(stream: IO[bytes], places: list[int]) -> dict[int, int]:
    """Return the number of the line in which each place of a file is."""
    stream.seek(0)
    found, line, at = {}, 1, 0
    for place in sorted(places):
        line += stream.read(place - at).count(b"\n")
        found[place], at = line, place
    return found


def _lines(stream: IO[bytes], rows: list[int]) -> dict[int, int]:
    """Return the line on which each of these rows (counted from 0) begins."""
    wanted, found = sorted(set(rows)), {}
    stream.seek(0)
    text = io.TextIOWrapper(stream, "utf-8-sig", errors="replace", newline="")
    try:
        reader = plain.reader(text)
        header = next(reader, [])
        row, before = 0, reader.line_num
        at = 0
        for cells in reader:
            if at == len(wanted):
                break
            if len(cells) == len(header) or (len(header) == 1 and not cells):
                if row == wanted[at]:
                    found[row] = before + 1
                    at += 1
                row += 1
            before = reader.line_num
    except plain.Error:
        pass
    finally:
        text.detach()
    return found
