"""SQL: statements that make the tables and fill them, parents first, in one transaction."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, joined, word
from yurt.core.base.data_classes import dataclass
from yurt.core.formats.common.format import Book, Format, Out, Unwritable, Writer
from yurt.core.formats.common.settings import FLAG, Chosen, Setting, complete
from yurt.core.formats.common.values import FIELDS
from yurt.core.formats.sql.definitions import Made, definition
from yurt.core.formats.sql.dialects import DIALECTS, Dialect
from yurt.core.model import Record
from yurt.core.text.forms import text_of


def _rows(value: str) -> str:
    return "" if value.isdigit() and 1 <= int(value) <= 10_000 else "a number of rows from 1 to 10000"


# Their quotes, the widths of their rows, and their types of time are not those of the standard.
OTHERS = "for MySQL and MariaDB: --with dialect=mysql"
TABLE = Setting("table", "the name of the table; without it, the record type", "", "mountain_hut")
SETTINGS = (
    FIELDS,
    TABLE,
    Setting("dialect", "the database that reads the statements", "standard", "postgresql", tuple(DIALECTS)),
    Setting("create", "whether the statements make the tables as well", "true", "false", FLAG),
    Setting("rows", "how many rows an INSERT has", "500", "1", wrong=_rows),
)


@dataclass(frozen=True, kw_only=True)
class Sql(Format):
    """Statements in a dialect."""

    dialect: Dialect
    create: bool
    rows: int
    table: str = ""

    def book(self, out: Out) -> Book:
        return SqlBook(self, out)

    def notes(self, record: Record) -> list[str]:
        return [OTHERS] if self.dialect.name == "standard" else []


class SqlBook:
    """A transaction with the statements of several tables."""

    def __init__(self, form: Sql, out: Out) -> None:
        self.form, self.out = form, out
        self.size, self.begun = 0, False
        self.made = Made()

    def writer(self, record: Record, names: list[str]) -> Writer:
        """Return what writes a table."""
        return TableWriter(self, record)

    def text(self, data: bytes | pa.Buffer) -> int:
        """Write some statements, behind the start of the transaction."""
        begin = b"" if self.begun else (self.form.dialect.begin + "\n").encode()
        self.begun = True
        for each in (begin, data):
            if len(each):
                self.out.write(each)
        self.size += len(begin) + len(data)
        return len(begin) + len(data)

    def close(self) -> None:
        """End the transaction."""
        self.text(b"COMMIT;\n")


class Inserts:
    """Renders rows as statements that insert them; `table` is the name of the table."""

    def __init__(self, dialect: Dialect, record: Record, table: str, rows: int) -> None:
        self.dialect, self.record, self.table, self.rows = dialect, record, table, rows

    def statements(self, batch: pa.RecordBatch, first_row: int) -> pa.Array:
        """Return the statements, without a semicolon. Raises Unwritable for a value that SQL does not have."""
        columns = ", ".join(map(self.dialect.identifier, batch.schema.names))
        pairs = zip(batch.schema.names, batch.columns, strict=True)
        cells = [self._literals(name, each, first_row) for name, each in pairs]
        rows = joined("(", joined(*cells, between=", ") if len(cells) > 1 else cells[0], ")")
        ends = np.append(np.arange(0, len(rows), self.rows), len(rows)).astype(np.int32)
        groups = pc.binary_join(pa.ListArray.from_arrays(arrow(ends), rows), word(",\n"))
        return joined(f"INSERT INTO {self.dialect.identifier(self.table)} ({columns}) VALUES\n", groups)

    def _literals(self, name: str, column: pa.Array, first_row: int) -> pa.Array:
        kind = column.type
        texts = text_of(column)
        if pa.types.is_boolean(kind):
            texts = pc.utf8_upper(texts)
        elif not (pa.types.is_integer(kind) or pa.types.is_decimal(kind) or pa.types.is_floating(kind)):
            texts = self._quoted(name, texts, first_row)
        return pc.fill_null(texts, word("NULL"))

    def _quoted(self, name: str, texts: pa.Array, first_row: int) -> pa.Array:
        refuse_nul(texts, f"{self.record.name}.{name}", first_row)
        for char, escape in self.dialect.escapes:
            texts = pc.replace_substring(texts, pattern=char, replacement=escape)
        return joined("'", texts, "'")


def refuse_nul(texts: pa.Array, where: str, first_row: int) -> None:
    """Refuse the character that SQL does not have. Raises Unwritable."""
    at = pc.index(pc.match_substring(texts, "\x00"), True).as_py()
    if at >= 0:
        raise Unwritable(f"{where}, row {first_row + at + 1:,}: SQL has no character U+0000")


class TableWriter:
    """Writes the statements of one table."""

    def __init__(self, book: SqlBook, record: Record) -> None:
        self.book, self.form, self.record = book, book.form, record
        self.size, self.begun = 0, False
        self.inserts = Inserts(self.form.dialect, record, self.form.table or record.name, self.form.rows)

    def rendered(self, batch: pa.RecordBatch, first_row: int) -> tuple[pa.Schema, pa.Buffer]:
        """Return the statements of a block, and its columns."""
        statements = joined(self.inserts.statements(batch, first_row), ";\n")
        whole = pa.ListArray.from_arrays(arrow(np.array([0, len(statements)], dtype=np.int32)), statements)
        return batch.schema, pc.binary_join(whole, word(""))[0].as_buffer()

    def put(self, block: tuple[pa.Schema, pa.Buffer]) -> None:
        """Write a block, behind the definition of the table."""
        self._definition(block[0])
        self.size += self.book.text(block[1])

    def finish(self, empty: Callable[[], pa.RecordBatch]) -> None:
        """Make the table, if it has no rows."""
        if not self.begun:
            self._definition(empty().schema)

    def _definition(self, schema: pa.Schema) -> None:
        if not self.begun and self.form.create:
            made = definition(self.form.dialect, self.record, schema, self.book.made, table=self.inserts.table)
            self.size += self.book.text(made.script.encode())
        self.begun = True


def _configured(chosen: Chosen) -> Format:
    return Sql(
        name="sql", suffixes=(".sql",), meaning="statements that make tables and fill them, in one transaction",
        read=None, settings=SETTINGS, configured=_configured, typed=True, together=True,
        dialect=DIALECTS[chosen["dialect"]], create=chosen["create"] == "true", rows=int(chosen["rows"]),
        table=chosen["table"],
    )  # fmt: skip


FORMAT = _configured(complete("sql", SETTINGS, {}))
