"""MySQL and MariaDB: rows go in by INSERT statements with many rows each, and come out by a cursor of the server.

`LOAD DATA LOCAL` would be faster, but servers refuse it unless they are told to allow it.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import cast

import pyarrow as pa
import pymysql
from pymysql.cursors import SSCursor
from sqlalchemy import create_engine
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.pool import NullPool

from yurt.core.base.errors import SurroundingsFault
from yurt.core.databases.address import Address
from yurt.core.databases.common.cells import of_texts
from yurt.core.databases.common.connection import ByStatements, Refused, Target, first_line
from yurt.core.databases.common.inspected import own_connection, structure_of
from yurt.core.databases.common.structure import Structure
from yurt.core.formats.common.raw import Raw
from yurt.core.formats.sql import Inserts
from yurt.core.formats.sql.dialects import DIALECTS

ROWS = 1000


class MySql(ByStatements):
    """A connection to a server. The server commits whenever a table is made."""

    dialect = DIALECTS["mysql"]
    savepoints = True
    undoes_tables = False

    def __init__(self, address: Address) -> None:
        self.shown = address.shown
        self.engine = create_engine(address.url, poolclass=NullPool)
        self.connection = cast("pymysql.Connection", own_connection(self.engine))
        # Without strictness, the server would change values that do not fit.
        self.execute("SET SESSION sql_mode = 'STRICT_ALL_TABLES', time_zone = '+00:00'")

    def structure(self, table: str) -> Structure | None:
        return structure_of(self.engine, table)

    def execute(self, statement: str) -> None:
        try:
            with self.connection.cursor() as cursor:
                cursor.execute(statement)
        except pymysql.Error as fault:
            raise self._refused(fault) from None

    def rendered(self, target: Target, batch: pa.RecordBatch, first_row: int) -> list[str]:
        statements = Inserts(self.dialect, target.record, target.table, ROWS).statements(batch, first_row)
        return list(statements.to_pylist())

    def load(self, target: Target, block: list[str]) -> None:
        for each in block:
            self.execute(each)

    def read(self, table: str, structure: Structure, rows: int, order: str) -> Iterator[dict[str, Raw]]:
        names = [f"CAST({self.dialect.identifier(each)} AS CHAR)" for each in structure.columns]
        try:
            with self.connection.cursor(SSCursor) as cursor:
                cursor.execute(f"SELECT {', '.join(names)} FROM {self.dialect.identifier(table)}{order}")  # noqa: S608
                while found := cursor.fetchmany(rows):
                    columns = zip(structure.columns.values(), zip(*found, strict=True), strict=True)
                    yield {each.name: of_texts(pa.array(texts, pa.string()), each.type) for each, texts in columns}
        except pymysql.Error as fault:
            raise self._refused(fault) from None

    def close(self) -> None:
        self.connection.close()

    def _refused(self, fault: pymysql.Error) -> Refused | SurroundingsFault:
        code, told = fault.args if len(fault.args) == 2 else (0, first_line(fault))
        # Full disks and tables, lost connections, waiting for locks.
        if code in (1021, 1114, 1205, 2006, 2013) or not told:
            return SurroundingsFault(f"{self.shown}: {told or 'the connection is lost'}")
        return Refused(str(told))


def opened(address: Address, reading: bool) -> MySql:
    """Return a connection. Raises SurroundingsFault if the server cannot be reached, or refuses."""
    try:
        return MySql(address)
    except (SQLAlchemyError, pymysql.Error, TypeError, ValueError) as fault:
        # The driver knows no such setting, or not such a value of it.
        told = getattr(fault, "orig", None) or fault
        reason = str(told.args[1]) if len(told.args) > 1 else first_line(told)
        raise SurroundingsFault(f"{address.shown}: {reason}") from None
