"""The tables of a database as data that is validated."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, closing, nullcontext
from typing import IO

from yurt.core.base.data_classes import replace
from yurt.core.base.errors import UsageFault
from yurt.core.databases.address import Address
from yurt.core.databases.common.cells import blocks
from yurt.core.databases.common.connection import Connection, Refused
from yurt.core.databases.common.structure import Structure
from yurt.core.databases.connecting import connected
from yurt.core.formats.common.format import Format
from yurt.core.formats.common.raw import Block, Fault, Reading
from yurt.core.formats.database import Database
from yurt.core.model import Record, Sequence

ROWS = 1 << 15


def readable(
    address: Address, records: dict[str, Record], forms: dict[str, Database], only: str = ""
) -> dict[str, Format]:  # fmt: skip
    """Return how the table of each record type is read, if there is one; `forms` are the settings of the record types.

    Raises UsageFault if there is no table for any of them, or not for the `only` one.
    """
    connection = connected(address, reading=True)
    try:
        tables = {name: form.table or name for name, form in forms.items()}
        found = {name: connection.structure(table) for name, table in tables.items() if only in ("", name)}
        there = {name: each for name, each in found.items() if each is not None}
        if not there:
            listed = ", ".join(f"`{tables[name]}`" for name in found)
            raise UsageFault(f"{address.shown}: there is no table {listed}")
    finally:
        connection.close()

    def opened() -> closing[Connection]:
        return closing(connected(address, reading=True))

    return {name: _reader(opened, forms[name], records[name], each) for name, each in there.items()}


def readable_now(connection: Connection, record: Record, form: Database, structure: Structure) -> Format:
    """Return how a table is read by an open connection, which also sees what it has not committed yet."""
    return _reader(lambda: nullcontext(connection), form, record, structure)


def counted_by(record: Record, structure: Structure) -> tuple[str, bool]:
    """Return the column that tells in which order the rows were made (empty if there is none), and whether it falls."""
    for each in record.shown:
        title = record.column(each.name)
        if isinstance(each.head, Sequence) and each.present_if is None and title in structure.columns:
            return title, each.head.step < 0
    return "", False


def _reader(
    opened: Callable[[], AbstractContextManager[Connection]], form: Database, record: Record, structure: Structure
) -> Format:  # fmt: skip
    def order(record: Record, connection: Connection) -> str:
        column, down = counted_by(record, structure)
        return f" ORDER BY {connection.dialect.identifier(column)}{' DESC' * down}" if column else ""

    def read(stream: IO[bytes], record: Record, labels: tuple[str, ...]) -> Reading:
        def pieces() -> Iterator[Block]:
            try:
                with opened() as connection:
                    if not set(structure.columns) & {record.column(each.name) for each in record.shown}:
                        reading.faults.append(Fault(None, "no column has the name of a field"))
                        return
                    found = connection.read(structure.table, structure, ROWS, order(record, connection))
                    yield from blocks(found, record, structure, reading, labels)
            except Refused as fault:
                reading.faults.append(Fault(None, f"the table cannot be read: {fault}"))

        reading = Reading(pieces, lines_of=lambda stream, rows: {})
        return reading

    names = list(structure.columns)
    return replace(form, read=read, titles=lambda stream, record: names, ordered=bool(counted_by(record, structure)[0]))


def nothing() -> IO[bytes]:
    """Return the bytes of a table: there are none, because it is no file."""
    return io.BytesIO()
