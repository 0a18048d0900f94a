"""PostgreSQL: rows go in and come out by COPY, in the form of CSV that PostgreSQL itself writes.

Arrow's own driver was measured beside it and is not faster.
"""

from __future__ import annotations

import io
from collections.abc import Iterator
from typing import cast

import psycopg
import pyarrow as pa
import pyarrow.csv
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
from yurt.core.formats.sql import refuse_nul
from yurt.core.formats.sql.dialects import DIALECTS
from yurt.core.text.forms import text_of


class PostgreSql(ByStatements):
    """A connection to a server."""

    dialect = DIALECTS["postgresql"]
    savepoints = True
    undoes_tables = True

    def __init__(self, address: Address) -> None:
        self.shown = address.shown
        self.engine = create_engine(address.url, poolclass=NullPool)
        self.connection = cast("psycopg.Connection", own_connection(self.engine))
        self.connection.autocommit = True

    def structure(self, table: str) -> Structure | None:
        return structure_of(self.engine, table)

    def execute(self, statement: str) -> None:
        try:
            self.connection.execute(statement.encode())
        except psycopg.Error as fault:
            raise self._refused(fault) from None

    def rendered(self, target: Target, batch: pa.RecordBatch, first_row: int) -> tuple[str, bytes]:
        columns = [text_of(each) if _is_text(each.type) else each for each in batch.columns]
        for name, each in zip(batch.schema.names, columns, strict=True):
            if pa.types.is_string(each.type):
                refuse_nul(each, f"{target.record.name}.{name}", first_row)
        out = io.BytesIO()
        plain = pa.RecordBatch.from_arrays(columns, names=batch.schema.names)
        # Texts are in quotes and missing values are not, so that an empty text is no missing value.
        pa.csv.write_csv(plain, out, pa.csv.WriteOptions(include_header=False))
        return ", ".join(map(self.dialect.identifier, batch.schema.names)), out.getvalue()

    def load(self, target: Target, block: tuple[str, bytes]) -> None:
        names, data = block
        try:
            statement = f"COPY {self.dialect.identifier(target.table)} ({names}) FROM STDIN (FORMAT csv)"
            with self.connection.cursor().copy(statement.encode()) as copy:
                copy.write(data)
        except psycopg.Error as fault:
            raise self._refused(fault) from None

    def read(self, table: str, structure: Structure, rows: int, order: str) -> Iterator[dict[str, Raw]]:
        columns = [f"{self.dialect.identifier(each)}::text" for each in structure.columns]
        query = f"SELECT {', '.join(columns)} FROM {self.dialect.identifier(table)}{order}"  # noqa: S608
        kinds = {each.name: each.type for each in structure.columns.values()}
        names = list(kinds)
        reading = pa.csv.ReadOptions(column_names=names, block_size=rows * 128)
        parsing = pa.csv.ParseOptions(newlines_in_values=True)
        converting = pa.csv.ConvertOptions(
            column_types=dict.fromkeys(names, pa.string()), null_values=[""], strings_can_be_null=True,
            quoted_strings_can_be_null=False,
        )  # fmt: skip
        try:
            self.execute("SET TIME ZONE 'UTC'; SET DATESTYLE = 'ISO'")
            statement = f"COPY ({query}) TO STDOUT (FORMAT csv, FORCE_QUOTE *)"
            with self.connection.cursor().copy(statement.encode()) as copy:
                stream = _Copied(map(bytes, copy))
                if stream.empty:
                    return
                for batch in pa.csv.open_csv(stream, reading, parsing, converting):
                    yield {name: of_texts(each, kinds[name]) for name, each in zip(names, batch.columns, strict=True)}
        except psycopg.Error as fault:
            raise self._refused(fault) from None

    def close(self) -> None:
        self.connection.close()

    def _refused(self, fault: psycopg.Error) -> Refused | SurroundingsFault:
        told = fault.diag.message_primary or first_line(fault)
        # Classes of ISO/IEC 9075: connections, and what the server lacks or an operator does.
        if fault.sqlstate is None or fault.sqlstate[:2] in ("08", "53", "57", "58"):
            return SurroundingsFault(f"{self.shown}: {told}")
        return Refused(f"{told} ({fault.diag.message_detail})" if fault.diag.message_detail else told)


class _Copied(io.RawIOBase):
    """What the server sends, as a stream."""

    def __init__(self, parts: Iterator[bytes]) -> None:
        self.parts = parts
        self.rest = next(parts, b"")
        self.empty = not self.rest

    def readable(self) -> bool:
        return True

    def read(self, size: int = -1) -> bytes:
        found = [self.rest]
        have = len(self.rest)
        while size < 0 or have < size:
            part = next(self.parts, None)
            if part is None:
                break
            found.append(part)
            have += len(part)
        whole = b"".join(found)
        size = len(whole) if size < 0 else size
        self.rest = whole[size:]
        return whole[:size]


def opened(address: Address, reading: bool) -> PostgreSql:
    """Return a connection. Raises SurroundingsFault if the server cannot be reached, or refuses."""
    try:
        return PostgreSql(address)
    except (SQLAlchemyError, psycopg.Error, TypeError, ValueError) as fault:
        # The driver knows no such setting, or not such a value of it.
        reason = first_line(getattr(fault, "orig", None) or fault)
        raise SurroundingsFault(f"{address.shown}: {reason}") from None


def _is_text(kind: pa.DataType) -> bool:
    typed = (pa.types.is_integer, pa.types.is_floating, pa.types.is_decimal, pa.types.is_boolean, pa.types.is_date)
    return not any(test(kind) for test in typed)
