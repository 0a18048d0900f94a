"""A database engine for questions about existing values, which uses the disk where memory ends."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from yurt.core.base.errors import SurroundingsFault

if TYPE_CHECKING:
    import duckdb


@contextmanager
def connected(folder: Path, name: str, memory: str) -> Iterator[duckdb.DuckDBPyConnection]:
    """Yield an engine with its tables in a file of a folder.

    Raises SurroundingsFault if the disk or the memory is too small.
    """
    import duckdb

    try:
        with duckdb.connect(str(folder / f"{name}.duckdb")) as base:
            base.execute(f"SET memory_limit='{memory}'; SET temp_directory={quoted(folder)}; SET threads=2")
            yield base
    except duckdb.Error as fault:
        reason = str(fault).partition("\n")[0]
        if isinstance(fault, duckdb.OutOfMemoryException):
            raise SurroundingsFault(f"{folder.parent}: the memory or the disk is too small for these data") from None
        if isinstance(fault, duckdb.IOException) or "ould not write" in reason:
            raise SurroundingsFault(f"{folder.parent}: {reason.rpartition(': ')[2].lower()}") from None
        raise


def quoted(path: Path) -> str:
    """Return a path as a text of SQL."""
    return "'" + str(path).replace("'", "''") + "'"
