"""The list of past runs: a small SQLite file in the user's state folder, kept only if the user wants it."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import SurroundingsFault

if TYPE_CHECKING:
    import sqlite3

TABLE = """
create table if not exists runs (
    number integer primary key, made text not null, command text not null, folder text not null, schema text not null,
    seed integer not null, rows integer not null, output text not null
)
"""
# The oldest runs are forgotten.
MOST = 10_000


@dataclass(frozen=True)
class PastRun:
    """A run: when it was made, the command line that makes it again, and the folder to do that in."""

    number: int
    made: str
    command: str
    folder: str
    schema: str
    seed: int
    rows: int
    output: str


class History:
    """The list. It exists only if the user has asked for it; nothing is noted otherwise."""

    def __init__(self, path: Path | None = None) -> None:
        self.path = path or _place()

    @property
    def kept(self) -> bool:
        """Whether runs are noted."""
        return self.path.is_file()

    def begin(self) -> None:
        """Note runs from now on."""
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise SurroundingsFault(f"{self.path.parent}: {(error.strerror or str(error)).lower()}") from None
        with self._opened() as connection:
            connection.execute(TABLE)

    def end(self) -> None:
        """Note no runs from now on, and forget those that were noted."""
        for suffix in ("", "-wal", "-shm"):
            self.path.with_name(self.path.name + suffix).unlink(missing_ok=True)

    def note(self, made: str, command: str, folder: str, schema: str, seed: int, rows: int, output: str) -> None:
        """Note a run, if the user wants it."""
        if not self.kept:
            return
        with self._opened() as connection:
            connection.execute(TABLE)
            values = (made, command, folder, schema, seed, rows, output)
            connection.execute(
                "insert into runs (made, command, folder, schema, seed, rows, output) values (?, ?, ?, ?, ?, ?, ?)",
                values,
            )
            connection.execute("delete from runs where number <= (select max(number) from runs) - ?", (MOST,))

    def runs(self, limit: int) -> list[PastRun]:
        """Return the latest runs, the last one first."""
        if not self.kept:
            return []
        with self._opened() as connection:
            connection.execute(TABLE)
            rows = connection.execute("select * from runs order by number desc limit ?", (limit,)).fetchall()
        return [PastRun(*row) for row in rows]

    @contextmanager
    def _opened(self) -> Iterator[sqlite3.Connection]:
        import sqlite3

        try:
            # Command lines are nobody else's business.
            os.close(os.open(self.path, os.O_RDWR | os.O_CREAT, 0o600))
            self.path.chmod(0o600)
        except OSError as error:
            raise SurroundingsFault(f"{self.path}: {(error.strerror or str(error)).lower()}") from None
        try:
            with closing(sqlite3.connect(self.path, timeout=5)) as connection, connection:
                yield connection
        except sqlite3.Error as fault:
            raise SurroundingsFault(f"{self.path}: {fault}; `yurt runs --forget` deletes the list") from None


def _place() -> Path:
    """Return the path of the list: in the state folder of the XDG base directories, or that of Windows."""
    told = os.environ.get("XDG_STATE_HOME") or os.environ.get("LOCALAPPDATA")
    return (Path(told) if told else Path.home() / ".local" / "state") / "yurt" / "runs.sqlite"
