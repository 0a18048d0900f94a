"""SQL: statements that make the tables and fill them, parents first, in one transaction."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yurt.core.base.arrays import arrow, joined, word
from yurt.core.formats.common.format import Book, Format, Out, Unwritable, Writer
from yurt.core.formats.common.settings import FLAG, Chosen, Setting, complete
from yurt.core.formats.common.values import FIELDS
from yurt.core.formats.sql.definitions import definition
from yurt.core.formats.sql.dialects import DIALECTS, Dialect
from yurt.core.model import Record
from yurt.core.text.forms import text_of


def _rows(value: str) -> str:
    return "" if value.isdigit() and 1 <= int(value) <= 10_000 else "a number of rows from 1 to 10000"


SETTINGS = (
    FIELDS,
    Setting("dialect", "the database that reads the statements", "standard", "postgresql", tuple(DIALECTS)),
    Setting("create", "whether the statements make the tables as well", "true", "false", FLAG),
    Setting("rows", "how many rows an INSERT has", "500", "1", wrong=_rows),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Sql(Format):
    """Statements in a dialect."""

    dialect: Dialect
    create: bool
    rows: int

    def book(self, out: Out) -> Book:
        return SqlBook(self, out)


class SqlBook:
    """A transaction with the statements of several tables."""

    def __init__(self, form: Sql, out: Out) -> None:
        self.form, self.out = form, out
        self.size, self.begun = 0, False
        # The key of each table that the file has so far.
        self.keys: dict[str, str] = {}

    def writer(self, record: Record, names: list[str]) -> Writer:
        """Return what writes a table."""
        return TableWriter(self, record, names)

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


class TableWriter:
    """Writes the statements of one table."""

    def __init__(self, book: SqlBook, record: Record, names: list[str]) -> None:
        self.book, self.form, self.record = book, book.form, record
        self.size, self.made = 0, False
        columns = ", ".join(map(self.form.dialect.identifier, names))
        self.insert = f"INSERT INTO {self.form.dialect.identifier(record.name)} ({columns}) VALUES\n"

    def rendered(self, batch: pa.RecordBatch, first_row: int) -> tuple[pa.Schema, pa.Buffer]:
        """Return the statements of a block, and its columns."""
        pairs = zip(batch.schema.names, batch.columns, strict=True)
        cells = [self._literals(name, each, first_row) for name, each in pairs]
        rows = joined("(", joined(*cells, between=", ") if len(cells) > 1 else cells[0], ")")
        ends = np.append(np.arange(0, len(rows), self.form.rows), len(rows)).astype(np.int32)
        groups = pc.binary_join(pa.ListArray.from_arrays(arrow(ends), rows), word(",\n"))
        statements = joined(self.insert, groups, ";\n")
        whole = pa.ListArray.from_arrays(arrow(np.array([0, len(statements)], dtype=np.int32)), statements)
        return batch.schema, pc.binary_join(whole, word(""))[0].as_buffer()

    def put(self, block: tuple[pa.Schema, pa.Buffer]) -> None:
        """Write a block, behind the definition of the table."""
        self._definition(block[0])
        self.size += self.book.text(block[1])

    def finish(self, empty: Callable[[], pa.RecordBatch]) -> None:
        """Make the table, if it has no rows."""
        if not self.made:
            self._definition(empty().schema)

    def _definition(self, schema: pa.Schema) -> None:
        if not self.made and self.form.create:
            self.size += self.book.text(definition(self.form.dialect, self.record, schema, self.book.keys).encode())
        self.made = True

    def _literals(self, name: str, column: pa.Array, first_row: int) -> pa.Array:
        kind = column.type
        texts = text_of(column)
        if pa.types.is_boolean(kind):
            texts = pc.utf8_upper(texts)
        elif not (pa.types.is_integer(kind) or pa.types.is_decimal(kind) or pa.types.is_floating(kind)):
            texts = self._quoted(name, texts, first_row)
        return pc.fill_null(texts, word("NULL"))

    def _quoted(self, name: str, texts: pa.Array, first_row: int) -> pa.Array:
        null = pc.index(pc.match_substring(texts, "\x00"), True).as_py()
        if null >= 0:
            raise Unwritable(f"{self.record.name}.{name}, row {first_row + null + 1:,}: SQL has no character U+0000")
        for char, escape in self.form.dialect.escapes:
            texts = pc.replace_substring(texts, pattern=char, replacement=escape)
        return joined("'", texts, "'")


def _configured(chosen: Chosen) -> Format:
    return Sql(
        name="sql", suffixes=(".sql",), meaning="statements that make tables and fill them, in one transaction",
        read=None, settings=SETTINGS, configured=_configured, typed=True, together=True,
        dialect=DIALECTS[chosen["dialect"]], create=chosen["create"] == "true", rows=int(chosen["rows"]),
    )  # fmt: skip


FORMAT = _configured(complete("sql", SETTINGS, {}))
