"""Time and memory of each format, beside the bare writer or loader of the same finished table.

Everything is measured in one run on one machine, because only the ratios are meaningful. Run `python bench/formats.py`,
or `python bench/formats.py 2000000` for as many rows; it needs the `test` extra.
"""

from __future__ import annotations

import sqlite3
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.parquet as pq
import xlsxwriter

import yurt
from throughput import PROGRAM, SCHEMA, peak_memory, seconds

FEW = 100_000
# The formats whose bare writer takes minutes for a million rows.
SLOW = ("xlsx",)


def bare_parquet(table: pa.Table, out: Path) -> None:
    """Write a table by PyArrow alone."""
    pq.write_table(table, out, compression="zstd")


def bare_arrow(table: pa.Table, out: Path) -> None:
    """Write a table by PyArrow alone."""
    with pa.ipc.new_file(str(out), table.schema) as file:
        file.write_table(table)


def bare_xlsx(table: pa.Table, out: Path) -> None:
    """Write a table by XlsxWriter alone, as its documentation shows."""
    book = xlsxwriter.Workbook(out, {"constant_memory": True, "default_date_format": "yyyy-mm-dd"})
    sheet = book.add_worksheet()
    for row, values in enumerate(zip(*(column.to_pylist() for column in table.columns), strict=True)):
        for at, value in enumerate(values):
            sheet.write(row, at, value)
    book.close()


def bare_sql(table: pa.Table, out: Path) -> None:
    """Write a table as a dump of SQLite, from the finished rows in memory."""
    connection = sqlite3.connect(":memory:")
    names = ", ".join(f'"{each}"' for each in table.column_names)
    connection.execute(f"create table guest ({names})")
    texts = [pc.cast(column, pa.string()).to_pylist() for column in table.columns]
    marks = ", ".join("?" for _ in table.column_names)
    connection.executemany(f"insert into guest values ({marks})", zip(*texts, strict=True))
    with out.open("w") as file:
        file.writelines(line + "\n" for line in connection.iterdump())


BARE: dict[str, Callable[[pa.Table, Path], None]] = {
    "parquet": bare_parquet, "arrow": bare_arrow, "xlsx": bare_xlsx, "sql": bare_sql,
}  # fmt: skip


def main() -> None:
    """Measure and print."""
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    schema = yurt.read(SCHEMA)
    for name, bare in BARE.items():
        count = FEW if name in SLOW else rows
        table = yurt.table(schema, "guest", rows=(1, count), count=count)
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / f"out.{name}"
            alone = min(seconds(lambda: bare(table, out)) for _ in range(2))  # noqa: B023
            options = ("--count", count, "--workers", 2, "--out", out, "--force")
            took, peak = min(peak_memory(PROGRAM, "generate", SCHEMA, "guest", *options) for _ in range(2))
        ratio = f"{took / alone:5.2f} times the bare writer ({alone:.2f} s)"
        print(f"{name:<9}{count:>10,} rows  {took:6.2f} s  {ratio}, {peak:,.0f} MB")


if __name__ == "__main__":
    main()
