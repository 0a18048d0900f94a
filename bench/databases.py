"""Time and memory of a load into each database, beside the bare loader of the same finished table.

The bare loader is the fastest that the database's own driver has, with the whole table in memory and the same keys.
Everything is measured in one run. Servers are started from what is installed; without one, its line is left out. Run
`python bench/databases.py`, or with a number of rows; it needs the `test` extra.
"""

from __future__ import annotations

import io
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

import adbc_driver_sqlite.dbapi as adbc
import duckdb
import psycopg
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv
import pymysql

import yurt
from throughput import PROGRAM, SCHEMA, peak_memory, seconds
from yurt.core.formats.sql import Inserts
from yurt.core.formats.sql.definitions import Made, definition
from yurt.core.formats.sql.dialects import DIALECTS
from yurt.core.text.forms import text_of

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))
from tests.servers import mariadb, postgres

BLOCK = 1 << 15


def made(dialect: str, table: pa.Table) -> str:
    """Return the statement that makes the table, as the program makes it."""
    return definition(DIALECTS[dialect], yurt.read(SCHEMA).records["guest"], table.schema, Made()).statements[0]


def into_sqlite(table: pa.Table, url: str) -> None:
    """Load by Arrow's driver."""
    plain = pa.Table.from_batches([in_sqlite(batch) for batch in table.to_batches(BLOCK)])
    with adbc.connect(url, autocommit=True) as connection, connection.cursor() as cursor:
        for each in ("PRAGMA synchronous = OFF", "BEGIN", made("sqlite", table)):
            cursor.execute(each)
        cursor.adbc_ingest("guest", plain, mode="append")
        cursor.execute("COMMIT")


def in_sqlite(batch: pa.RecordBatch) -> pa.RecordBatch:
    """Return rows with the types that SQLite has."""
    columns = [pc.cast(each, pa.int8()) if pa.types.is_boolean(each.type) else each for each in batch.columns]
    columns = [each if pa.types.is_integer(each.type) else text_of(each) for each in columns]
    return pa.RecordBatch.from_arrays(columns, names=batch.schema.names)


def into_duckdb(table: pa.Table, url: str) -> None:
    """Load from a table of Arrow."""
    with duckdb.connect(url) as connection:
        connection.register("finished", table)
        connection.execute(made("duckdb", table))
        connection.execute("INSERT INTO guest SELECT * FROM finished")


def into_postgresql(table: pa.Table, url: str) -> None:
    """Load by COPY."""
    with psycopg.connect(url) as connection:
        connection.execute("DROP TABLE IF EXISTS guest")
        connection.execute(made("postgresql", table))
        with connection.cursor().copy("COPY guest FROM STDIN (FORMAT csv)") as copy:
            for batch in table.to_batches(BLOCK):
                out = io.BytesIO()
                pa.csv.write_csv(batch, out, pa.csv.WriteOptions(include_header=False))
                copy.write(out.getvalue())


def into_mariadb(table: pa.Table, url: str) -> None:
    """Load by statements with a thousand rows each."""
    path = url.partition("unix_socket=")[2]
    connection = pymysql.connect(unix_socket=path, user="root", database="u", charset="utf8mb4")
    inserts = Inserts(DIALECTS["mysql"], yurt.read(SCHEMA).records["guest"], "guest", 1000)
    with connection.cursor() as cursor:
        cursor.execute("DROP TABLE IF EXISTS guest")
        cursor.execute(made("mysql", table))
        for batch in table.to_batches(BLOCK):
            for each in inserts.statements(batch, 0).to_pylist():
                cursor.execute(each)
    connection.commit()
    connection.close()


def measured(
    name: str, rows: int, table: pa.Table, bare: Callable[[pa.Table, str], None], fresh: Callable[[], tuple[str, str]]
) -> None:  # fmt: skip
    """Measure and print one database; `fresh` empties it and returns its URL, and its path or URL for the driver."""
    alone, own = [], []
    for _ in range(2):
        _, path = fresh()
        alone.append(seconds(lambda: bare(table, path)))  # noqa: B023
        url, _ = fresh()
        options = ("--count", rows, "--workers", 2, "--out", url)
        own.append(peak_memory(PROGRAM, "generate", SCHEMA, "guest", *options))
    loaded, (took, peak) = min(alone), min(own)
    print(
        f"{name:<11}{rows:>10,} rows  {took:6.2f} s  {took / loaded:5.2f} times the bare loader ({loaded:.2f} s),"
        f" {peak:,.0f} MB",
        flush=True,
    )


def main() -> None:
    """Measure and print."""
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    table = yurt.table(yurt.read(SCHEMA), "guest", rows=(1, rows), count=rows)
    with tempfile.TemporaryDirectory() as folder, postgres() as first, mariadb() as second:

        def file(scheme: str) -> tuple[str, str]:
            path = Path(folder) / f"a.{scheme}"
            path.unlink(missing_ok=True)
            return f"{scheme}:///{path}", str(path)

        measured("sqlite", rows, table, into_sqlite, lambda: file("sqlite"))
        measured("duckdb", rows, table, into_duckdb, lambda: file("duckdb"))
        for name, server, bare in (("postgresql", first, into_postgresql), ("mariadb", second, into_mariadb)):
            if server is not None:
                measured(name, rows, table, bare, lambda: (server.fresh(),) * 2)  # noqa: B023


if __name__ == "__main__":
    main()
