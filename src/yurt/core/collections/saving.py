"""Writes what has been written into a small SQLite file, so that it outlives the program."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterable, Iterator
from itertools import zip_longest
from pathlib import Path

from yurt.core.base.errors import SurroundingsFault, UsageFault
from yurt.core.base.python_values import PythonValue
from yurt.core.collections.state import Tree
from yurt.core.formats.common.raw import written
from yurt.core.formats.json.reading import DECODER

TABLES = """
create table if not exists belongs (name text primary key, value text not null);
create table if not exists written (
    record_type text not null, number integer not null, record text, primary key (record_type, number)
);
"""


class Saved:
    """A file of written records: a row for each, without a record if it was deleted."""

    def __init__(self, path: Path, belongs: dict[str, PythonValue]) -> None:
        """Open or create the file. `belongs` says what the records belong to: a file for another seed or day is
        refused, and one for another schema has the numbers of its rows in `counts`, and says in `changed` what differs.
        """
        self.path, self.changed, self.counts = path, "", dict[str, int]()
        try:
            self.connection = sqlite3.connect(path, check_same_thread=False, isolation_level=None)
            self.connection.executescript("pragma journal_mode = wal;" + TABLES)
            known = dict(self.connection.execute("select name, value from belongs"))
        except sqlite3.Error as fault:
            raise SurroundingsFault(f"{path}: {fault}") from None
        told = {name: json.dumps(value) for name, value in belongs.items()}
        for name, value in known.items():
            if name in ("schema", "counts") or told.get(name, value) == value:
                continue
            was, now = json.loads(value), json.loads(told[name])
            self.connection.close()
            raise UsageFault(f"{path} belongs to {name} {was}, not {now}; name another file, or delete it")
        if any(known.get(name, told[name]) != told[name] for name in ("schema", "counts")):
            self.changed = _first_difference(*(json.loads(each["schema"]) for each in (known, told)))
            self.counts = json.loads(known["counts"])
        self.connection.executemany("insert or replace into belongs values (?, ?)", told.items())

    def replace(self, rows: Iterable[tuple[str, int, Tree | None]]) -> None:
        """Keep these rows instead of those that are there."""
        self.connection.execute("begin")
        self.connection.execute("delete from written")
        for name, number, tree in rows:
            self.put(name, number, tree)
        self.connection.execute("commit")

    def rows(self) -> Iterator[tuple[str, int, Tree | None]]:
        """Yield the record type, the number, and the record of each row, in the order of their numbers."""
        for name, number, text in self.connection.execute("select * from written order by record_type, number"):
            yield name, number, None if text is None else DECODER.decode(text)

    def put(self, name: str, number: int, tree: Tree | None) -> None:
        """Keep a record; None if it was deleted."""
        text = None if tree is None else written(tree)
        try:
            self.connection.execute("insert or replace into written values (?, ?, ?)", (name, number, text))
        except sqlite3.Error as fault:
            raise SurroundingsFault(f"the written records cannot be kept: {fault}") from None

    def close(self) -> None:
        """Close the file."""
        self.connection.close()


def _first_difference(was: str, now: str) -> str:
    """Return the first line of two schemas that differs."""
    for at, (old, new) in enumerate(zip_longest(was.splitlines(), now.splitlines(), fillvalue=""), 1):
        if old != new:
            return f"line {at} was `{old.strip()}`, and is `{new.strip()}`"
    return "it has other numbers of rows"
