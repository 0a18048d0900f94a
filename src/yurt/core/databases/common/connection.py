"""What a connection to a database can do, whichever it is."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Protocol

import pyarrow as pa

from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import YurtError
from yurt.core.databases.common.structure import Structure
from yurt.core.formats.common.format import Rendered
from yurt.core.formats.common.raw import Raw
from yurt.core.formats.sql.dialects import Dialect
from yurt.core.model import Record


class Refused(YurtError):
    """The database refuses a statement or a row; the message is the reason that it gives."""


@dataclass(frozen=True)
class Target:
    """A table to fill, and the record type whose rows it gets."""

    table: str
    record: Record


class Connection(Protocol):
    """An open connection with one transaction at a time."""

    dialect: Dialect
    # Whether a part of a transaction can be undone.
    savepoints: bool
    # Whether the definition of a table belongs to a transaction as well.
    undoes_tables: bool

    def structure(self, table: str) -> Structure | None:
        """Return the structure of a table; None if there is no such table."""

    def begin(self) -> None:
        """Begin a transaction."""

    def execute(self, statement: str) -> None:
        """Run a statement. Raises Refused."""

    def empty(self, tables: list[str]) -> None:
        """Delete all rows of some tables, those that refer to others first. Raises Refused."""

    def rendered(self, target: Target, batch: pa.RecordBatch, first_row: int) -> Rendered:
        """Return a block of rows as `load` takes it; runs on any thread. `first_row` is counted from 0.

        Raises Unwritable for a value that the database cannot hold.
        """

    def load(self, target: Target, block: Rendered) -> None:
        """Insert the rows of a block. Raises Refused."""

    def commit(self) -> None:
        """End the transaction. Raises Refused."""

    def rollback(self) -> None:
        """Undo the transaction."""

    def read(self, table: str, structure: Structure, rows: int, order: str) -> Iterator[dict[str, Raw]]:
        """Yield the columns of a table, in blocks of about so many rows; `order` is a clause for that, or empty.

        Raises Refused.
        """

    def close(self) -> None:
        """Close the connection; what is not committed is undone."""


class ByStatements:
    """What the databases have in common whose transactions are statements."""

    dialect: Dialect

    def execute(self, statement: str) -> None:
        """Run a statement. Raises Refused."""
        raise NotImplementedError

    def begin(self) -> None:
        """Begin a transaction."""
        self.execute(self.dialect.begin.rstrip(";"))

    def commit(self) -> None:
        """End the transaction. Raises Refused."""
        self.execute("COMMIT")

    def rollback(self) -> None:
        """Undo the transaction."""
        self.execute("ROLLBACK")

    def empty(self, tables: list[str]) -> None:
        """Delete all rows of some tables, those that refer to others first. Raises Refused."""
        for table in tables:
            self.execute(f"DELETE FROM {self.dialect.identifier(table)}")  # noqa: S608


def first_line(fault: BaseException) -> str:
    """Return what an exception says, without what a driver adds below it."""
    told = str(fault).strip() or type(fault).__name__
    return told.splitlines()[0].strip()
