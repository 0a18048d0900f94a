"""Writes workbooks, row by row and in constant memory."""

from __future__ import annotations

import contextlib
import re
import tempfile
import weakref
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from typing import IO, Any

import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import word
from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import UsageFault
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.working_folder import working_folder
from yurt.core.formats.common.format import Book, Format, Out, Unwritable, Writer
from yurt.core.formats.xlsx.cells import LONGEST_NAME, MOST_COLUMNS, MOST_ROWS, Columns, cells_of
from yurt.core.formats.xlsx.existing import merged
from yurt.core.formats.xlsx.formulas import ROW, formulas_of, left_as_values
from yurt.core.model import Record
from yurt.core.text.forms import text_of

WIDEST = 60
MOST_SHEETS = 250
# What the file says about when it was made: the same rows are the same bytes.
MADE = datetime(2000, 1, 1, tzinfo=UTC)
WRITERS = {
    "text": "write_string", "number": "write_number", "boolean": "write_boolean", "date": "write_datetime",
    "datetime": "write_datetime", "time": "write_datetime",
}  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class Xlsx(Format):
    """A workbook with these number formats."""

    header: bool
    shapes: dict[str, str]
    live: bool
    workbook: str

    def notes(self, record: Record) -> list[str]:
        return left_as_values(record) if self.live else []

    def book(self, out: Out) -> Book:
        return Workbook(self, out)


class Workbook:
    """A file of sheets, which is put together in a temporary file."""

    def __init__(self, form: Xlsx, out: Out) -> None:
        import xlsxwriter

        self.form, self.out, self.size = form, out, 0
        self.file: IO[bytes] = tempfile.TemporaryFile()  # noqa: SIM115
        parts = contextlib.ExitStack()
        folder = parts.enter_context(working_folder())
        # A run that fails does not close the book.
        self.clean = weakref.finalize(self, parts.close)
        plain = {
            "tmpdir": str(folder),
            "strings_to_numbers": False,
            "strings_to_formulas": False,
            "strings_to_urls": False,
        }
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
        """Return what writes a sheet, or one for each value of a field."""
        if not self.form.sheets_of:
            return SheetWriter(self, record, names, record.name)
        if self.form.sheets_of not in names:
            hint = did_you_mean(self.form.sheets_of, names) or ", ".join(names)
            raise UsageFault(f"`sheet-per`: `{record.name}` has no column `{self.form.sheets_of}`; {hint}")
        return SheetsByValue(self, record, names)

    def close(self) -> None:
        """Put the file together."""
        self.book.close()
        if self.form.workbook:
            self.file = merged(self.file, self.form.workbook)
        self.file.seek(0)
        while piece := self.file.read(1 << 20):
            self.out.write(piece)
            self.size += len(piece)
        self.file.close()
        self.clean()


class SheetWriter:
    """Writes the rows of a record type, on as many sheets as they need."""

    def __init__(self, book: Workbook, record: Record, names: list[str], title: str) -> None:
        if len(names) > MOST_COLUMNS:
            raise Unwritable(f"{record.name}: a sheet has at most {MOST_COLUMNS:,} columns, not {len(names):,}")
        self.book, self.record, self.names, self.title = book, record, names, title
        self.formulas = formulas_of(record, names) if book.form.live else {}
        self.size, self.row = 0, MOST_ROWS
        self.sheet: Any = None

    def rendered(self, batch: pa.RecordBatch, first_row: int) -> Columns:
        """Return the columns of a block: what the cells are, their values, and the places of decimals."""
        pairs = zip(batch.schema.names, batch.columns, strict=True)
        return [cells_of(f"{self.record.name}.{name}", column, first_row) for name, column in pairs]

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
        self.sheet = self.book.sheet(self.title)
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
        formulas = [self.formulas.get(name) for name in self.names]
        for at in range(size):
            row = self.row + at
            for number, values in enumerate(columns):
                if (value := values[at]) is None:
                    continue
                if (formula := formulas[number]) is not None:
                    # Like a number in a cell of its own, with as many digits as a spreadsheet has.
                    value = float(f"{value:.15g}") if isinstance(value, float) else value
                    sheet.write_formula(row, number, formula.replace(ROW, str(row + 1)), shapes[number], value)
                else:
                    writers[number](row, number, value, shapes[number])
        self.row += size


class SheetsByValue:
    """Writes the rows of a record type on a sheet for each value of a field, in the order in which values occur."""

    def __init__(self, book: Workbook, record: Record, names: list[str]) -> None:
        self.book, self.record, self.names = book, record, names
        self.at, self.size = names.index(book.form.sheets_of), 0
        self.sheets: dict[str, SheetWriter] = {}

    def rendered(self, batch: pa.RecordBatch, first_row: int) -> list[tuple[str, Columns]]:
        """Return the columns of a block for each value."""
        texts = pc.fill_null(text_of(batch.column(self.at)), word(""))
        return list(self._parts(batch, texts, first_row))

    def _parts(self, batch: pa.RecordBatch, texts: pa.Array, first_row: int) -> Iterator[tuple[str, Columns]]:
        for value in pc.unique(texts).to_pylist():
            own = pc.filter(batch, pc.equal(texts, word(value)))
            pairs = zip(own.schema.names, own.columns, strict=True)
            yield value, [cells_of(f"{self.record.name}.{name}", column, first_row) for name, column in pairs]

    def put(self, block: list[tuple[str, Columns]]) -> None:
        """Write the rows of a block."""
        for value, columns in block:
            if value not in self.sheets:
                if len(self.sheets) == MOST_SHEETS:
                    raise UsageFault(f"`sheet-per`: `{self.names[self.at]}` has more than {MOST_SHEETS} values")
                title = f"{self.record.name} {value or 'without ' + self.names[self.at]}"
                self.sheets[value] = SheetWriter(self.book, self.record, self.names, title)
            self.sheets[value].put(columns)

    def finish(self, empty: Callable[[], pa.RecordBatch]) -> None:
        """Complete the sheets; without any row, there is a single one."""
        if not self.sheets:
            self.sheets[""] = SheetWriter(self.book, self.record, self.names, self.record.name)
        for each in self.sheets.values():
            each.finish(empty)
