"""How far the cells of a workbook reach: a reader that makes room for all of them must not be led astray by one."""

from __future__ import annotations

import re
import zipfile
import zlib
from typing import IO

from yurt.core.formats.common.raw import Fault

PIECE = 1 << 20
# Fewer cells are always read; more of them only if the file is large enough to have half of them.
MOST_CELLS = 20_000_000
LEAST_BYTES = 5
# Both begin with plain characters, so that they are found quickly.
ROW = re.compile(rb'row\s[^>]*?r=["\'](\d{1,9})["\']')
# The columns after Z, of which there are few in most sheets.
COLUMN = re.compile(rb'r=["\']([A-Z]{2,3})\d')
# Spaces around the sign of equality, which few writers put there.
LOOSE = re.compile(rb"r\s+=|=\s")
EQUAL = re.compile(rb"\s*=\s*")
SHEET = re.compile(r"xl/worksheets/[^/]+\.xml", re.IGNORECASE)


def too_far(stream: IO[bytes]) -> Fault | None:
    """Return a fault if a sheet has a cell so far away that the sheet would be nearly empty; the stream is rewound."""
    try:
        with zipfile.ZipFile(stream) as book:
            for entry in book.infolist():
                if SHEET.fullmatch(entry.filename) and (fault := _of_sheet(book, entry)) is not None:
                    return fault
    except (zipfile.BadZipFile, zlib.error, OSError, EOFError, NotImplementedError, RuntimeError, ValueError):
        # The reader says what is wrong with it.
        return None
    finally:
        stream.seek(0)
    return None


def _of_sheet(book: zipfile.ZipFile, entry: zipfile.ZipInfo) -> Fault | None:
    rows, column, size, rest = 0, b"Z", 0, b""
    with book.open(entry) as part:
        while piece := part.read(PIECE):
            size += len(piece)
            text = rest + piece
            if LOOSE.search(text):
                text = EQUAL.sub(b"=", text)
            rows = max(rows, *(int(each) for each in ROW.findall(text)), 0)
            column = max({column, *COLUMN.findall(text)}, key=lambda each: (len(each), each))
            rest = text[-200:]
    columns = 0
    for letter in column:
        columns = columns * 26 + letter - 64
    if rows * columns > MOST_CELLS and size < LEAST_BYTES * rows * columns:
        told = f"a sheet reaches to row {rows:,} and column {column.decode()}, and is nearly empty"
        return Fault(None, f"{told}; delete the cell far away")
    return None
