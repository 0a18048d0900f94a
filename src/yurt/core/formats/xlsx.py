"""XLSX: a workbook with one sheet for each record type, for people with a spreadsheet.

Cells have types and number formats, the header is frozen and has filters. A spreadsheet cannot hold everything: whole
numbers of more than 15 digits, dates before 1900, instants with an offset, durations, and lists are texts, and an empty
text is an empty cell, like a missing value.
"""

from __future__ import annotations

import re
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from typing import IO, Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yurt.core.formats.common.format import Book, Format, Out, Unwritable, Writer
from yurt.core.formats.common.raw import (
    BOOLEAN,
    CELL,
    NULL,
    NUMBER,
    Block,
    Fault,
    Raw,
    Reading,
    absent,
    meant,
    of_values,
)  # fmt: skip
from yurt.core.formats.common.settings import FLAG, Chosen, Setting, complete
from yurt.core.formats.common.tree import leaf_names
from yurt.core.formats.common.values import FIELDS
from yurt.core.formats.json.reading import DECODER
from yurt.core.model import Boolean, ListOf, Record
from yurt.core.text.forms import text_of

# The limits of the format (ECMA-376 as programs keep it).
MOST_ROWS, MOST_COLUMNS, LONGEST, LONGEST_NAME, DIGITS = 1_048_576, 16_384, 32_767, 31, 10**15
ROWS = 1 << 14
WIDEST = 60
OPEN_DOCUMENT = b"application/vnd.oasis.opendocument.spreadsheet"
FIRST_DAY = date(1900, 3, 1)
# What the file says about when it was made: the same rows are the same bytes.
MADE = datetime(2000, 1, 1, tzinfo=UTC)
# The cells of a row, or of a column; a column as it is written: what its cells are, their values, places of decimals.
Row = list[Any]
Cells = tuple[str, Row, int]
Columns = list[Cells]
FORMATS = {"date": "yyyy-mm-dd", "datetime": "yyyy-mm-dd hh:mm:ss", "time": "hh:mm:ss"}


def _shape(value: str) -> str:
    return "" if 0 < len(value) <= 60 and not re.search(r"[\[\]\"]", value) else "a number format such as dd.mm.yyyy"


SETTINGS = (
    FIELDS,
    Setting("header", "whether the first row has the names of the fields", "true", "false", FLAG),
    Setting("date-shape", "the number format of dates", FORMATS["date"], "dd.mm.yyyy", wrong=_shape),
    Setting("datetime-shape", "the number format of date-times", FORMATS["datetime"], "dd.mm.yyyy hh:mm", wrong=_shape),
    Setting("time-shape", "the number format of times", FORMATS["time"], "hh:mm", wrong=_shape),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Xlsx(Format):
    """A workbook with these number formats."""

    header: bool
    shapes: dict[str, str]

    def book(self, out: Out) -> Book:
        return Workbook(self, out)


class Workbook:
    """A file of sheets, which is put together in a temporary file."""

    def __init__(self, form: Xlsx, out: Out) -> None:
        import xlsxwriter

        self.form, self.out, self.size = form, out, 0
        self.file = tempfile.TemporaryFile()  # noqa: SIM115
        plain = {"strings_to_numbers": False, "strings_to_formulas": False, "strings_to_urls": False}
        self.book = xlsxwriter.Workbook(self.file, {"constant_memory": True, **plain})
        self.book.set_properties({"created": MADE})
        self.shapes = {name: self.book.add_format({"num_format": shape}) for name, shape in form.shapes.items()}
        self.bold = self.book.add_format({"bold": True})
        self.bold_right = self.book.add_format({"bold": True, "align": "right"})
        self.names: set[str] = set()

    def shape(self, places: int) -> Any:
        """Return the number format of decimals."""
        name = f"decimal {places}"
        if name not in self.shapes:
            self.shapes[name] = self.book.add_format({"num_format": "0." + "0" * places if places else "0"})
        return self.shapes[name]

    def sheet(self, name: str) -> Any:
        """Return a new sheet; its name is as close as possible."""
        found = base = re.sub(r"[\[\]:*?/\\]", "_", name)[:LONGEST_NAME].strip("'") or "sheet"
        number = 1
        while found.casefold() in self.names:
            number += 1
            found = f"{base[: LONGEST_NAME - 1 - len(str(number))]} {number}"
        self.names.add(found.casefold())
        return self.book.add_worksheet(found)

    def writer(self, record: Record, names: list[str]) -> Writer:
        """Return what writes a sheet."""
        return SheetWriter(self, record, names)

    def close(self) -> None:
        """Put the file together."""
        self.book.close()
        self.file.seek(0)
        while piece := self.file.read(1 << 20):
            self.out.write(piece)
            self.size += len(piece)
        self.file.close()


class SheetWriter:
    """Writes the rows of a record type, on as many sheets as they need."""

    def __init__(self, book: Workbook, record: Record, names: list[str]) -> None:
        if len(names) > MOST_COLUMNS:
            raise Unwritable(f"{record.name}: a sheet has at most {MOST_COLUMNS:,} columns, not {len(names):,}")
        self.book, self.record, self.names = book, record, names
        self.size, self.row = 0, MOST_ROWS
        self.sheet: Any = None

    def rendered(self, batch: pa.RecordBatch, first_row: int) -> Columns:
        """Return the columns of a block: what the cells are, their values, and the places of decimals."""
        pairs = zip(batch.schema.names, batch.columns, strict=True)
        return [_cells(f"{self.record.name}.{name}", column, first_row) for name, column in pairs]

    def put(self, block: Columns) -> None:
        """Write a block of rows."""
        at, size = 0, len(block[0][1])
        while at < size:
            if self.row >= MOST_ROWS:
                self._begin(block)
            some = min(size - at, MOST_ROWS - self.row)
            for number, (kind, values, places) in enumerate(block):
                self._shapes[number] = (kind, values[at : at + some], places)
            self._rows(some)
            at += some

    def finish(self, empty: Callable[[], pa.RecordBatch]) -> None:
        """Make the sheet, if it has no rows."""
        if self.sheet is None:
            self._begin(self.rendered(empty(), 0))
        self._filter()

    def _begin(self, block: Columns) -> None:
        """Begin a sheet, with the widths that the first rows need."""
        self._filter()
        self.sheet = self.book.sheet(self.record.name)
        self._shapes: Columns = list(block)
        for number, (name, (_, values, _)) in enumerate(zip(self.names, block, strict=True)):
            widest = max((len(str(each)) for each in values[:100] if each is not None), default=0)
            self.sheet.set_column(number, number, min(max(widest, len(name) + 3, 8), WIDEST) + 1)
        self.row = 0
        if self.book.form.header:
            for number, name in enumerate(self.names):
                shape = self.book.bold if block[number][0] in ("text", "boolean") else self.book.bold_right
                self.sheet.write_string(0, number, name, shape)
            self.sheet.freeze_panes(1, 0)
            self.row = 1

    def _filter(self) -> None:
        if self.sheet is not None and self.book.form.header:
            self.sheet.autofilter(0, 0, max(self.row - 1, 0), len(self.names) - 1)

    def _rows(self, size: int) -> None:
        sheet, shape = self.sheet, self.book.shape
        shapes = [shape(places) if kind == "number" and places else self.book.shapes.get(kind)
                  for kind, _, places in self._shapes]  # fmt: skip
        writers = [getattr(sheet, WRITERS[kind]) for kind, _, _ in self._shapes]
        columns = [values for _, values, _ in self._shapes]
        for at in range(size):
            row = self.row + at
            for number, values in enumerate(columns):
                if (value := values[at]) is not None:
                    writers[number](row, number, value, shapes[number])
        self.row += size


WRITERS = {
    "text": "write_string", "number": "write_number", "boolean": "write_boolean", "date": "write_datetime",
    "datetime": "write_datetime", "time": "write_datetime",
}  # fmt: skip


def _cells(where: str, column: pa.Array, first_row: int) -> Cells:
    """Return what the cells of a column are, their values, and the places of decimals."""
    kind = column.type
    if pa.types.is_boolean(kind):
        return "boolean", column.to_pylist(), 0
    if pa.types.is_integer(kind) or pa.types.is_floating(kind):
        plain = not len(column) or (pc.max(pc.abs(column)).as_py() or 0) < DIGITS
        return ("number", column.to_pylist(), 0) if plain else ("text", text_of(column).to_pylist(), 0)
    if pa.types.is_decimal(kind):
        return "number", pc.cast(column, pa.float64()).to_pylist(), kind.scale
    if pa.types.is_date(kind) or pa.types.is_timestamp(kind):
        name = "date" if pa.types.is_date(kind) else "datetime"
        first = pc.min(column).as_py() if len(column) else None
        if first is not None and (first.date() if isinstance(first, datetime) else first) < FIRST_DAY:
            return "text", text_of(column).to_pylist(), 0
        return name, column.to_pylist(), 0
    if pa.types.is_time(kind):
        return "time", column.to_pylist(), 0
    texts = text_of(column)
    if (longest := pc.max(pc.utf8_length(texts)).as_py() or 0) > LONGEST:
        row = pc.index(pc.utf8_length(texts), longest).as_py()
        told = f"a cell has at most {LONGEST:,} characters, not {longest:,}"
        raise Unwritable(f"{where}, row {first_row + row + 1:,}: {told}")
    return "text", texts.to_pylist(), 0


# ---- reading ---------------------------------------------------------------------------------------------------------


def read(stream: IO[bytes], record: Record, labels: tuple[str, ...]) -> Reading:
    """Return the sheets of a record type; the first row has the names of the fields."""
    names = {".".join(record.titles(name)): name for name in leaf_names(record)}
    names |= {label: f"@{label}" for label in labels if label not in names}
    lists = frozenset(each.name for each in record.shown if isinstance(each.head, ListOf))
    booleans = frozenset(each.name for each in record.shown if isinstance(each.head, Boolean))

    def pieces() -> Iterator[Block]:
        import python_calamine as calamine

        stream.seek(0)
        # Programs that write OpenDocument turn the Booleans of other workbooks into the numbers 0 and 1.
        loose = booleans if OPEN_DOCUMENT in stream.read(200) else frozenset()
        stream.seek(0)
        try:
            book = calamine.CalamineWorkbook.from_filelike(stream)
            sheets = [each for each in book.sheet_names if re.fullmatch(re.escape(record.name) + r"( \d+)?", each)]
            if not sheets and len(book.sheet_names) == 1:
                sheets = list(book.sheet_names)
            if not sheets:
                reading.faults.append(
                    Fault(None, f"no sheet is named `{record.name}`; there are {', '.join(book.sheet_names)}")
                )
            for sheet in sheets:
                yield from _sheet(book.get_sheet_by_name(sheet).iter_rows(), names, lists, loose, reading)
        except calamine.CalamineError as fault:
            reading.faults.append(Fault(None, f"not a spreadsheet that can be read: {fault}"))

    reading = Reading(pieces)
    return reading


def _sheet(
    rows: Iterator[Row], names: dict[str, str], lists: frozenset[str], booleans: frozenset[str], reading: Reading
) -> Iterator[Block]:  # fmt: skip
    header = [str(each) for each in next(rows, [])]
    reading.strangers |= {each: meant(each, names) for each in header if each and each not in names}
    if not set(header) & set(names):
        reading.faults.append(Fault(1, "no column has the name of a field; is the row with the names missing?"))
        return
    waiting: list[Row] = []
    for row in rows:
        waiting.append(row)
        if len(waiting) == ROWS:
            yield _block(waiting, header, names, lists, booleans)
            waiting = []
    if waiting:
        yield _block(waiting, header, names, lists, booleans)


def _block(
    rows: list[Row], header: list[str], names: dict[str, str], lists: frozenset[str], booleans: frozenset[str]
) -> Block:  # fmt: skip
    columns = {}
    for title, name in names.items():
        if title in header:
            at = header.index(title)
            values = [row[at] for row in rows]
            if name in booleans:
                values = [bool(each) if each in (0.0, 1.0) else each for each in values]
            columns[name] = of_values([_list(each) for each in values]) if name in lists else _raw(values)
        else:
            columns[name] = absent(len(rows))
    return Block(len(rows), columns)


def _raw(values: Row) -> Raw:
    sorts = np.fromiter((_sort(each) for each in values), dtype=np.uint8, count=len(values))
    texts = [None if sort == NULL else _text(each) for each, sort in zip(values, sorts.tolist(), strict=True)]
    return Raw(pa.array(texts, pa.string()), sorts)


def _list(value: object) -> object:
    """Return the list that a text in JSON is."""
    try:
        return None if value == "" else DECODER.decode(str(value))
    except ValueError:
        return str(value)


def _sort(value: object) -> int:
    if value is None or value == "":
        return NULL
    if isinstance(value, bool):
        return BOOLEAN
    # A text may be a number of many digits or an early date, which have no cells of their own.
    return NUMBER if isinstance(value, int | float) else CELL


def _text(value: object) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float):
        # Spreadsheets have 15 digits; those after them are not in the value that they show.
        return f"{Decimal(f'{value:.15g}'):f}"
    if isinstance(value, timedelta):
        value = (datetime(2000, 1, 1) + value).time()
    return value.isoformat() if isinstance(value, date | datetime | time) else str(value)


def _configured(chosen: Chosen) -> Format:
    shapes = {name: chosen[f"{name}-shape"] for name in FORMATS}
    return Xlsx(
        name="xlsx", suffixes=(".xlsx",), only_read=(".ods",), meaning="a workbook with a sheet for each record type",
        settings=SETTINGS, configured=_configured, read=read, typed=True, binary=True, together=True,
        header=chosen["header"] == "true", shapes=shapes, rows_a_sheet=MOST_ROWS - (chosen["header"] == "true"),
    )  # fmt: skip


FORMAT = _configured(complete("xlsx", SETTINGS, {}))
