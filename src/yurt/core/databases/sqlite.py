"""SQLite: rows go in through Arrow's driver, and come out through Python's own.

SQLite lets a column hold values of any type, so every value is read for what it is.
"""

from __future__ import annotations

import re
import sqlite3
from collections.abc import Callable, Iterator

import adbc_driver_manager
import adbc_driver_sqlite.dbapi as adbc
import pyarrow as pa
from sqlalchemy import create_engine
from sqlalchemy.pool import NullPool

from yurt.core.base import compute as pc
from yurt.core.base.errors import SurroundingsFault
from yurt.core.databases.address import Address
from yurt.core.databases.common.cells import of_objects
from yurt.core.databases.common.connection import ByStatements, Refused, Target, first_line
from yurt.core.databases.common.inspected import structure_of
from yurt.core.databases.common.structure import Structure
from yurt.core.databases.common.work_file import WorkFile
from yurt.core.formats.common.raw import Raw
from yurt.core.formats.sql.dialects import DIALECTS
from yurt.core.text.forms import text_of

# A value as text, from which the same value can be made again: 17 digits tell every real number.
AS_TEXT = "CASE typeof({0}) WHEN 'blob' THEN hex({0}) WHEN 'real' THEN printf('%!.17g', {0}) ELSE CAST({0} AS TEXT) END"
FROM_TEXT: dict[str, Callable[[str], object]] = {
    "null": lambda text: None, "integer": int, "real": float, "text": str, "blob": bytes.fromhex,
}  # fmt: skip


def _values(kinds: list[str], texts: list[str]) -> list[object]:
    """Return the values of a column; nearly always, they have one type."""
    if len(set(kinds)) == 1:
        return list(map(FROM_TEXT[kinds[0]], texts))
    return [FROM_TEXT[kind](text) for kind, text in zip(kinds, texts, strict=True)]


class Sqlite(ByStatements):
    """A connection to a file. Only the driver that is needed is connected."""

    dialect = DIALECTS["sqlite"]
    savepoints = True
    undoes_tables = True

    def __init__(self, address: Address) -> None:
        self.file, self.shown = WorkFile(address.path), address.shown
        self.engine = create_engine("sqlite://", creator=self._own, poolclass=NullPool)
        self.connection: adbc.Connection | None = None

    def structure(self, table: str) -> Structure | None:
        return structure_of(self.engine, table) if self.file.there else None

    def begin(self) -> None:
        if self.connection is None:
            self.file.check()
            self.connection = adbc.connect(str(self.file.path), autocommit=True)
            self.cursor = self.connection.cursor()
            self.execute("PRAGMA foreign_keys = ON")
            if not self.file.there:
                # A new file that is not complete is removed, so it needs no journal to be restored from.
                self.execute("PRAGMA synchronous = OFF")
        # The driver says nothing if its own `commit` fails.
        super().begin()

    def execute(self, statement: str) -> None:
        try:
            self.cursor.execute(statement)
        except adbc_driver_manager.Error as fault:
            raise self._refused(fault) from None

    def rendered(self, target: Target, batch: pa.RecordBatch, first_row: int) -> pa.RecordBatch:
        kept = (pa.types.is_integer, pa.types.is_floating, pa.types.is_boolean)
        columns = [each if any(test(each.type) for test in kept) else text_of(each) for each in batch.columns]
        columns = [pc.cast(each, pa.int8()) if pa.types.is_boolean(each.type) else each for each in columns]
        return pa.RecordBatch.from_arrays(columns, names=batch.schema.names)

    def load(self, target: Target, block: pa.RecordBatch) -> None:
        try:
            self.cursor.adbc_ingest(target.table, block, mode="append")
        except adbc_driver_manager.Error as fault:
            if str(fault) == "NOT_IMPLEMENTED":
                # Ctrl-C makes the package cancel the statement, which SQLite's driver cannot do.
                raise KeyboardInterrupt from None
            raise self._refused(fault) from None

    def commit(self) -> None:
        super().commit()
        self.file.kept = True

    def read(self, table: str, structure: Structure, rows: int, order: str) -> Iterator[dict[str, Raw]]:
        if self.connection is not None:
            yield from self._of_transaction(self.connection, table, structure, order)
            return
        names = ", ".join(map(self.dialect.identifier, structure.columns))
        connection = self._own()
        try:
            cursor = connection.execute(f"SELECT {names} FROM {self.dialect.identifier(table)}{order}")  # noqa: S608
            while found := cursor.fetchmany(rows):
                columns = zip(structure.columns.values(), zip(*found, strict=True), strict=True)
                yield {each.name: of_objects(values, each.type) for each, values in columns}
        except sqlite3.Error as fault:
            raise Refused(first_line(fault)) from None
        finally:
            connection.close()

    def _of_transaction(
        self, connection: adbc.Connection, table: str, structure: Structure, order: str
    ) -> Iterator[dict[str, Raw]]:  # fmt: skip
        """Yield the rows as they are before they are committed, which only Arrow's driver sees.

        It has one type for each column, so values come as texts, with the types that SQLite has them in.
        """
        names = [self.dialect.identifier(each) for each in structure.columns]
        parts = ", ".join(f"typeof({each}), {AS_TEXT.format(each)}" for each in names)
        try:
            with connection.cursor() as cursor:
                cursor.execute(f"SELECT {parts} FROM {self.dialect.identifier(table)}{order}")  # noqa: S608
                for batch in cursor.fetch_record_batch():
                    pairs = [each.to_pylist() for each in batch.columns]
                    values = [_values(kinds, texts) for kinds, texts in zip(pairs[::2], pairs[1::2], strict=True)]
                    columns = zip(structure.columns.values(), values, strict=True)
                    yield {each.name: of_objects(own, each.type) for each, own in columns}
        except adbc_driver_manager.Error as fault:
            raise self._refused(fault) from None

    def close(self) -> None:
        if self.connection is not None:
            self.cursor.close()
            self.connection.close()
        self.file.close()

    def _refused(self, fault: BaseException) -> Refused | SurroundingsFault:
        reason = _reason(fault)
        return (
            SurroundingsFault(f"{self.shown}: {reason}")
            if re.search(r"disk|readonly|locked", reason)
            else Refused(reason)
        )

    def _own(self) -> sqlite3.Connection:
        return sqlite3.connect(f"{self.file.path.absolute().as_uri()}?mode=ro", uri=True, check_same_thread=False)


def opened(address: Address, reading: bool) -> Sqlite:
    """Return a connection. Raises SurroundingsFault for a file that is no database."""
    found = Sqlite(address)
    try:
        if found.file.there:
            own = found._own()
            own.execute("SELECT 1 FROM sqlite_master").close()
            own.close()
    except sqlite3.Error as fault:
        raise SurroundingsFault(f"{address.shown}: {first_line(fault)}") from None
    return found


def _reason(fault: BaseException) -> str:
    """Return the reason of SQLite itself, without the words of the driver."""
    return re.sub(r"^[A-Z_]+: |failed to (execute|prepare): ", "", first_line(fault)).removeprefix(
        "failed to execute: "
    )
