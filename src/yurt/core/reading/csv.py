"""Reads CSV (RFC 4180), a block of some megabytes at a time.

An empty cell is a missing value, `""` an empty text. A line with too few or too many cells is a fault of the file, and
is left out.
"""

from __future__ import annotations

import csv as plain
import io
from collections.abc import Iterator
from typing import IO, Any

import pyarrow as pa
from pyarrow import csv

from yurt.core.reading.raw import Block, Fault, Raw, Reading, absent, of_cells

BLOCK_BYTES = 1 << 22


def read(stream: IO[bytes], names: list[str]) -> Reading:
    """Return a CSV file with these columns, in whatever order it has them."""
    source = Reading(lambda: _blocks(stream, names, source))
    source.lines_of = _lines
    return source


def _header(stream: IO[bytes], source: Reading) -> list[str] | None:
    """Return the names in the first line; None when there is nothing to go on with."""
    stream.seek(0)
    try:
        text = io.TextIOWrapper(stream, "utf-8-sig", newline="")
        header = next(plain.reader(text), None)
    except (UnicodeDecodeError, plain.Error) as error:
        source.faults.append(Fault(1, f"the header cannot be read: {_reason(error)}"))
        return None
    finally:
        text.detach()
        stream.seek(0)
    if not header:
        source.faults.append(Fault(1, "there is no header line with the names of the fields"))
        return None
    doubled = sorted({each for each in header if header.count(each) > 1})
    if doubled:
        source.faults.append(Fault(1, f"the column `{doubled[0]}` stands twice in the header"))
        return None
    return header


def _reason(error: Exception) -> str:
    if isinstance(error, UnicodeDecodeError):
        return f"byte 0x{error.object[error.start]:02x} at {error.start} is not UTF-8"
    return str(error).partition("\n")[0]


def _blocks(stream: IO[bytes], names: list[str], source: Reading) -> Iterator[Block]:
    header = _header(stream, source)
    if header is None:
        return
    source.strangers |= {each: None for each in header if each not in names}
    first = 0

    def refuse(row: Any) -> str:
        message = f"{row.actual_columns} cells where the header has {row.expected_columns}"
        source.faults.append(Fault(row.number, message))
        return "skip"

    options = {
        "read_options": csv.ReadOptions(block_size=BLOCK_BYTES, use_threads=False),
        "parse_options": csv.ParseOptions(newlines_in_values=True, invalid_row_handler=refuse),
        "convert_options": csv.ConvertOptions(
            column_types={each: pa.string() for each in header},
            include_columns=[each for each in names if each in header],
            null_values=[""], strings_can_be_null=True, quoted_strings_can_be_null=False,
        ),
    }  # fmt: skip
    try:
        with csv.open_csv(pa.PythonFile(stream, mode="r"), **options) as reader:
            for batch in reader:
                found: dict[str, Raw] = dict(zip(batch.schema.names, map(of_cells, batch.columns), strict=True))
                columns = {each: found[each] if each in found else absent(batch.num_rows) for each in names}
                yield Block(first, batch.num_rows, columns)
                first += batch.num_rows
    except pa.ArrowInvalid as error:
        source.faults.append(Fault(None, f"not CSV from row {first + 1} on: {_words(str(error))}"))


def _words(message: str) -> str:
    """Say in our words what the reader says in its own."""
    if "UTF8" in message:
        return "bytes that are not UTF-8"
    if "straddl" in message:
        return "a quote that is never closed, or a cell of more than 4 MB"
    if "Empty CSV" in message:
        return "the file is empty"
    return message.partition("\n")[0].partition(": ")[2] or message


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
            if len(cells) == len(header):
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
