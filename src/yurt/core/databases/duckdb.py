"""DuckDB: rows go in and come out as Arrow data."""

from __future__ import annotations

from collections.abc import Iterator

import duckdb
import pyarrow as pa

from yurt.core.base.errors import SurroundingsFault
from yurt.core.databases.address import Address
from yurt.core.databases.common.connection import ByStatements, Refused, Target, first_line
from yurt.core.databases.common.structure import Column, Foreign, Structure
from yurt.core.databases.common.work_file import WorkFile
from yurt.core.formats.common.columnar import Typed, raw_of
from yurt.core.formats.common.raw import Raw
from yurt.core.formats.sql.dialects import DIALECTS
from yurt.core.text.forms import text_of

TYPES = {
    **dict.fromkeys(("TINYINT", "SMALLINT", "INTEGER", "BIGINT", "HUGEINT", "UTINYINT", "USMALLINT", "UINTEGER",
                     "UBIGINT"), "integer"),
    **dict.fromkeys(("FLOAT", "DOUBLE"), "real"),
    **dict.fromkeys(("VARCHAR", "UUID", "JSON"), "text"),
    "DECIMAL": "decimal", "BOOLEAN": "boolean", "DATE": "date", "TIME": "time", "TIMESTAMP": "datetime",
    "TIMESTAMP WITH TIME ZONE": "zoned",
}  # fmt: skip
COLUMNS = """
    SELECT column_name, data_type, is_nullable = 'NO', coalesce(column_default, ''), numeric_scale
    FROM information_schema.columns
    WHERE table_schema = current_schema() AND table_catalog = current_database() AND table_name = ?
    ORDER BY ordinal_position
"""
CONSTRAINTS = """
    SELECT constraint_type, constraint_column_names, referenced_table FROM duckdb_constraints()
    WHERE schema_name = current_schema() AND database_name = current_database() AND table_name = ?
    ORDER BY constraint_index
"""


class DuckDb(ByStatements):
    """A connection to a file."""

    dialect = DIALECTS["duckdb"]
    savepoints = False
    undoes_tables = True

    def __init__(self, address: Address, reading: bool) -> None:
        self.file, self.reading, self.shown = WorkFile(address.path), reading, address.shown
        try:
            self.file.check()
            self.connection = self._connection()
        except BaseException:
            self.file.close()
            raise

    def _connection(self) -> duckdb.DuckDBPyConnection:
        found = duckdb.connect(self.file.path, read_only=self.reading)
        # Instants are shown in one zone, whatever the machine's own is.
        found.execute("SET TimeZone = 'UTC'")
        return found

    def structure(self, table: str) -> Structure | None:
        rows = self.connection.execute(COLUMNS, [table]).fetchall()
        if not rows:
            return None
        columns = {
            name: Column(
                name, told, TYPES.get(told.partition("(")[0], "other"), required, bool(default), scale, default
            )
            for name, told, required, default, scale in rows
        }
        unique, foreign, primary = [], [], tuple[str, ...]()
        for kind, names, referred in self.connection.execute(CONSTRAINTS, [table]).fetchall():
            if kind == "PRIMARY KEY":
                primary = tuple(names)
            if kind in ("PRIMARY KEY", "UNIQUE"):
                unique.append(tuple(names))
            if kind == "FOREIGN KEY":
                foreign.append(Foreign(tuple(names), referred))
        return Structure(table, columns, tuple(unique), tuple(foreign), primary)

    def execute(self, statement: str) -> None:
        try:
            self.connection.execute(statement)
        except duckdb.Error as fault:
            raise self._refused(fault) from None

    def empty(self, tables: list[str]) -> None:
        # DuckDB deletes no row that another one referred to before the same transaction, so this is done in a copy.
        self.rollback()
        self.connection.close()
        self.file.copied()
        self.connection = self._connection()
        super().empty(tables)
        self.begin()

    def rendered(self, target: Target, batch: pa.RecordBatch, first_row: int) -> pa.Table:
        typed = Typed(target.record).batch(batch)
        columns = [text_of(each) if pa.types.is_list(each.type) or pa.types.is_duration(each.type) else each
                   for each in typed.columns]  # fmt: skip
        return pa.table(columns, names=typed.schema.names)

    def load(self, target: Target, block: pa.Table) -> None:
        names = ", ".join(map(self.dialect.identifier, block.column_names))
        # Each block takes the place of the one before it; a transaction that has failed lets nothing be removed.
        self.connection.register("rows of a block", block)
        self.execute(
            f"INSERT INTO {self.dialect.identifier(target.table)} ({names})"  # noqa: S608
            f' SELECT {names} FROM "rows of a block"'
        )

    def commit(self) -> None:
        super().commit()
        self.file.kept = True

    def read(self, table: str, structure: Structure, rows: int, order: str) -> Iterator[dict[str, Raw]]:
        names = ", ".join(map(self.dialect.identifier, structure.columns))
        try:
            found = self.connection.sql(f"SELECT {names} FROM {self.dialect.identifier(table)}{order}")  # noqa: S608
            for batch in found.to_arrow_reader(rows):
                if batch.num_rows:
                    pairs = zip(batch.schema.names, batch.columns, strict=True)
                    yield {name: raw_of(column) for name, column in pairs}
        except duckdb.Error as fault:
            raise self._refused(fault) from None

    def _refused(self, fault: duckdb.Error) -> Refused | SurroundingsFault:
        reason = _reason(fault)
        if isinstance(fault, duckdb.IOException | duckdb.OutOfMemoryException) or "ould not write" in reason:
            # The path in the middle is that of the file that is worked on.
            return SurroundingsFault(f"{self.shown}: {reason.rpartition(': ')[2].lower()}")
        return Refused(reason)

    def close(self) -> None:
        self.connection.close()
        self.file.close()


def opened(address: Address, reading: bool) -> DuckDb:
    """Return a connection. Raises SurroundingsFault for a file that is no database."""
    try:
        return DuckDb(address, reading)
    except duckdb.Error as fault:
        raise SurroundingsFault(f"{address.shown}: {_reason(fault)}") from None


def _reason(fault: BaseException) -> str:
    return first_line(fault).partition("Error: ")[2] or first_line(fault)
