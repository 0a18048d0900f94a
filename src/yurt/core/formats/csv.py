"""CSV as in RFC 4180: comma, CRLF, a header line.

A text is quoted if it contains a comma, a quote, CR, or LF, or is empty: `""` is an empty text, an empty cell is a
missing value. All other values are in the standard forms of `yurt.core.text.lexical`.

A file is read some megabytes at a time. A line with too few or too many cells is a fault of the file and is left out.
"""

from __future__ import annotations

import csv as plain
import io
import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from typing import IO, Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yurt.core.base.arrays import bytes_of, changed_texts, is_text, joined, nothing, strings, word
from yurt.core.formats.common.breaks import ANY, Break, byte_order_mark
from yurt.core.formats.common.cells import texts_of
from yurt.core.formats.common.format import Format, finished
from yurt.core.formats.common.raw import (
    NOTHING,
    Block,
    Fault,
    Number,
    Raw,
    Reading,
    Value,
    absent,
    meant,
    of_cells,
    written,
)  # fmt: skip
from yurt.core.formats.common.tree import leaf_names
from yurt.core.model import Record
from yurt.core.text import forms

SPECIAL = np.frombuffer(b'",\r\n', dtype=np.uint8)
NEEDS_QUOTES = '^$|[",\r\n]'
PIECE = 1 << 23
# Separators other than the comma.
SEPARATORS = {";": "semicolon", "\t": "tab", "|": "bar"}
# The number of faults that are kept per file; a file with more of them is not CSV.
MOST_FAULTS = 1000
# The maximum number of columns.
MOST_COLUMNS = 20_000
# The maximum length of a cell in quotes.
LONGEST = 1 << 26


def _quoted(texts: pa.Array) -> pa.Array:
    """Return the texts, in quotes where needed."""
    data = bytes_of(texts)
    if not any((data == special).any() for special in SPECIAL) and not _any_empty(texts):
        return texts
    doubled = pc.replace_substring(texts, pattern='"', replacement='""')
    return pc.if_else(pc.match_substring_regex(texts, NEEDS_QUOTES), joined('"', doubled, '"'), texts)


def _any_empty(texts: pa.Array) -> bool:
    return bool(len(texts)) and pc.min(pc.binary_length(texts)).as_py() == 0


def _cell(column: pa.Array) -> pa.Array:
    if finished(column):
        return pc.cast(column, pa.string())
    if pa.types.is_list(column.type):
        texts = forms.text_of(column)
        quoted = _quoted(pc.fill_null(texts, word("")))
        return pc.if_else(pc.is_valid(texts), quoted, nothing(pa.string())) if texts.null_count else quoted
    return changed_texts(column, _quoted) if is_text(column) else forms.text_of(column)


def _records(_record: str, batch: pa.RecordBatch, _first_row: int) -> pa.Array:
    cells = [_cell(column) for column in batch.columns]
    if len(cells) == 1:
        return pc.fill_null(cells[0], word(""))
    return joined(*cells, between=",", missing="")


def _opening(_record: str, names: list[str]) -> str:
    return ",".join(_quoted(strings(names)).to_pylist()) + "\r\n"


def _token(value: Value) -> str | None:
    """Return one value as a cell."""
    if value is None or value is NOTHING:
        return None
    if isinstance(value, bool):
        return "true" if value else "false"
    text = str(value) if isinstance(value, str) else written(value)
    plain = isinstance(value, Number) or not re.search(NEEDS_QUOTES, text)
    return text if plain and text else '"' + text.replace('"', '""') + '"'


def _cannot(value: Value) -> str:
    if value is NOTHING:
        return "CSV has no absent cell: it is a missing value"
    return "" if isinstance(value, str | None) else "CSV has texts only"


NOT_UTF8 = "bytes that are not UTF-8"


@dataclass(frozen=True, slots=True)
class Piece:
    """Complete lines of a file, and the offset of the first one."""

    data: memoryview
    start: int


def _read(stream: IO[bytes], record: Record, labels: tuple[str, ...]) -> Reading:
    """Return a CSV file of a record type; the columns may be in any order."""
    names = {".".join(record.titles(name)): name for name in leaf_names(record)}
    names |= {label: f"@{label}" for label in labels if label not in names}
    header: list[str] = []
    reading = Reading(
        lambda: _pieces(stream, list(names), header, reading), lambda piece: _block(piece, names, header, reading)
    )
    reading.lines_of = _lines_of_rows
    return reading


def _header(stream: IO[bytes], reading: Reading) -> list[str] | None:
    """Return the names in the first line; None if there is nothing to read."""
    stream.seek(0)
    line = stream.readline(LONGEST)
    # A name in quotes may contain a line end.
    while line.count(b'"') % 2 and len(line) < LONGEST and (more := stream.readline(LONGEST)):
        line += more
    stream.seek(0)
    try:
        header = next(plain.reader(io.StringIO(line.decode("utf-8-sig"), newline="")), None)
    except (UnicodeDecodeError, plain.Error) as error:
        reading.faults.append(Fault(1, f"the header cannot be read: {_reason(error)}"))
        return None
    if (fault := _line_ends(stream)) is not None:
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


def _line_ends(stream: IO[bytes]) -> Fault | None:
    """Return a fault for a file with obsolete line ends."""
    begin = stream.read(PIECE)
    stream.seek(0)
    if b"\r" not in begin or _behind_header(begin) < len(begin):
        return None
    plainly = re.sub(rb'"[^"]*"', b"", begin)
    if b"\r" in plainly and b"\n" not in plainly and plainly.strip(b"\r"):
        return Fault(1, "lines end with a carriage return alone (CR); expected a line feed (LF), or both")
    return None


def _unknown(header: list[str], names: list[str]) -> str:
    """Return what is probably wrong with a header that names no field."""
    for sign, name in SEPARATORS.items():
        if any(each.strip().strip('"') in names for each in ",".join(header).split(sign)):
            return f"the names in the header are separated by {name}s; expected commas"
    small = {each.casefold(): each for each in names}
    if found := [each for each in header if each.strip().casefold() in small]:
        return (
            f"no column has the name of a field; did you mean `{small[found[0].strip().casefold()]}` by `{found[0]}`?"
        )
    return "no column has the name of a field; is the line with the names missing?"


def _reason(error: Exception) -> str:
    if isinstance(error, UnicodeDecodeError):
        return f"byte 0x{error.object[error.start]:02x} at {error.start} is not UTF-8"
    return str(error).partition("\n")[0]


def _pieces(stream: IO[bytes], names: list[str], header: list[str], reading: Reading) -> Iterator[Piece]:
    """Yield complete lines; a line ends where every opening quote has a closing one."""
    found = _header(stream, reading)
    if found is None:
        return
    if not any(each in names for each in found):
        reading.faults.append(Fault(1, _unknown(found, names)))
        return
    header[:] = found
    reading.strangers |= {each: meant(each, names) for each in header if each not in names}
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
    """Return the end of the last complete line in some data; -1 for none."""
    end = data.rfind(b"\n")
    quotes = _count(data, end) if end >= 0 else 0
    while end >= 0 and quotes % 2:
        before = data.rfind(b"\n", 0, end)
        quotes -= data.count(b'"', max(before, 0), end)
        end = before
    return end


def _count(data: bytes, end: int) -> int:
    """Return the number of quotes in some data; `bytes.count` is slow if they are frequent."""
    return int(np.count_nonzero(np.frombuffer(data, dtype=np.uint8, count=end) == ord('"')))


def _behind_header(data: bytes) -> int:
    """Return the offset of the first line after the header."""
    at = data.find(b"\n")
    while at >= 0 and data.count(b'"', 0, at) % 2:
        at = data.find(b"\n", at + 1)
    return at + 1 if at >= 0 else len(data)


def _block(piece: Piece, names: dict[str, str], header: list[str], reading: Reading) -> Block:
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
        table = texts_of(piece.data, header, wanted, None)
    except pa.ArrowInvalid:
        try:
            str(piece.data, "utf-8")
            table = texts_of(piece.data, header, wanted, refuse)
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


def _words(message: str) -> str:
    """Translate a message of the reader."""
    if "UTF8" in message:
        return NOT_UTF8
    return message.partition("\n")[0].partition(": ")[2] or message


def _lines_of_rows(stream: IO[bytes], rows: list[int]) -> dict[int, int]:
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
        # A line that cannot be read has no number; the rows before it keep theirs.
        return found
    finally:
        text.detach()
    return found


def _lines(data: bytes) -> list[bytes]:
    return data.split(b"\r\n")


def _open_quote(data: bytes, record: str) -> bytes:
    lines = _lines(data)
    lines[1] = b'"' + lines[1].replace(b'"', b"")
    return b"\r\n".join(lines)


def _missing_column(data: bytes, record: str) -> bytes | None:
    lines = _lines(data)
    return None if b"," not in lines[1] else b"\r\n".join([lines[0], _shorter(lines[1]), *lines[2:]])


def _shorter(line: bytes) -> bytes:
    """Return a line without its first cell."""
    found = re.match(rb'(?:"(?:[^"]|"")*"|[^,]*),', line)
    return line[found.end() :] if found else line


def _extra_column(data: bytes, record: str) -> bytes:
    lines = _lines(data)
    lines[1] += b",one more"
    return b"\r\n".join(lines)


def _no_header(data: bytes, record: str) -> bytes:
    return b"\r\n".join(_lines(data)[1:])


def _two_headers(data: bytes, record: str) -> bytes:
    lines = _lines(data)
    return b"\r\n".join([lines[0], *lines])


def _same_name(data: bytes, record: str) -> bytes | None:
    lines = _lines(data)
    names = lines[0].split(b",")
    if len(names) < 2:
        return None
    names[1] = names[0]
    return b"\r\n".join([b",".join(names), *lines[1:]])


def _other_name(data: bytes, record: str) -> bytes:
    lines = _lines(data)
    names = lines[0].split(b",")
    names[0] = names[0] + b"_x"
    return b"\r\n".join([b",".join(names), *lines[1:]])


def _semicolons(data: bytes, record: str) -> bytes | None:
    return data.replace(b",", b";") if b"," in data else None


def _mixed_ends(data: bytes, record: str) -> bytes:
    lines = _lines(data)
    return b"".join(line + (b"\n" if at % 2 else b"\r\n") for at, line in enumerate(lines[:-1]))


def _no_end(data: bytes, record: str) -> bytes:
    return data.rstrip(b"\r\n")


FORMAT = Format(
    "csv", (".csv",), _opening, _records, "\r\n", "\r\n", _cell, _token, _cannot, _read,
    (
        *ANY,
        Break("byte-order-mark", "accept", "a byte order mark is allowed at the start (RFC 3629, 6)", byte_order_mark),
        Break("open-quote", "reject", "a quote is never closed", _open_quote),
        Break("missing-column", "reject", "a line has one cell fewer than the header", _missing_column),
        Break("extra-column", "reject", "a line has one cell more than the header", _extra_column),
        Break("no-header", "reject", "the header line is missing", _no_header),
        Break("two-headers", "reject", "the header is repeated; the second one is not a record", _two_headers),
        Break("doubled-name", "reject", "two columns have the same name", _same_name),
        Break("renamed-column", "reject", "a column has another name, so one is missing", _other_name),
        Break("semicolons", "reject", "a separator other than the comma", _semicolons),
        Break("mixed-line-ends", "accept", "lines end in two ways; both are common", _mixed_ends),
        Break("no-last-line-end", "accept", "the last line may have no end (RFC 4180, 2.2)", _no_end),
    ),
)  # fmt: skip
