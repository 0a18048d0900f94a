"""Database servers that the tests start themselves, from the programs that are installed; without network."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from glob import glob
from pathlib import Path


def _user(name: str) -> list[str]:
    """Return how to run a program as another user: the servers refuse to run as root."""
    return ["setpriv", f"--reuid={name}", f"--regid={name}", "--clear-groups"] if os.geteuid() == 0 else []


def _run(*words: str | Path, data: bytes | None = None) -> bytes:
    done = subprocess.run(list(map(str, words)), input=data, capture_output=True, check=False)
    assert done.returncode == 0, done.stderr.decode()[-2000:]
    return done.stdout


class Server:
    """A server with one socket in a folder; `sql` runs statements in a new database and returns what a query gives."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def query(self, statements: bytes, query: str) -> str:
        raise NotImplementedError

    def fresh(self) -> str:
        """Return the URL of a new, empty database."""
        raise NotImplementedError


class Postgres(Server):
    def query(self, statements: bytes, query: str) -> str:
        """Return the result of a query, without a header, with one row per line."""
        own = ("psql", "-h", self.folder, "-U", "postgres", "-q", "-v", "ON_ERROR_STOP=1")
        _run(*own, "-d", "postgres", "-c", "drop database if exists t")
        _run(*own, "-d", "postgres", "-c", "create database t")
        _run(*own, "-d", "t", data=statements)
        return _run(*own, "-d", "t", "-At", "-c", query).decode().strip()

    def fresh(self) -> str:
        own = ("psql", "-h", self.folder, "-U", "postgres", "-q", "-d", "postgres")
        _run(*own, "-c", "drop database if exists u", "-c", "create database u")
        return f"postgresql://postgres:secret@/u?host={self.folder}"


class MariaDb(Server):
    def query(self, statements: bytes, query: str) -> str:
        """Return the result of a query, without a header, with one row per line."""
        own = ("mariadb", "-S", self.folder / "s", "-u", "root", "--default-character-set=utf8mb4")
        _run(*own, "-e", "drop database if exists t; create database t character set utf8mb4")
        _run(*own, "t", data=statements)
        return _run(*own, "t", "-N", "-r", "-e", query).decode().strip()

    def fresh(self) -> str:
        # The server's own character set does not have all characters.
        own = ("mariadb", "-S", self.folder / "s", "-u", "root")
        _run(*own, "-e", "drop database if exists u; create database u character set latin1")
        return f"mariadb://root@localhost/u?unix_socket={self.folder / 's'}"


@contextmanager
def postgres() -> Iterator[Postgres | None]:
    """Start PostgreSQL, if it is installed."""
    found = sorted(glob("/usr/lib/postgresql/*/bin"))
    if not found or not shutil.which("psql"):
        yield None
        return
    folder = Path(tempfile.mkdtemp(prefix="yurt-pg-", dir="/tmp"))
    shutil.chown(folder, "postgres") if os.geteuid() == 0 else None
    control, data = Path(found[-1]) / "pg_ctl", folder / "data"
    _run(*_user("postgres"), Path(found[-1]) / "initdb", "-D", data, "-A", "trust", "-U", "postgres", "-N")
    options = f"-k {folder} -c listen_addresses= -c fsync=off"
    _run(*_user("postgres"), control, "-D", data, "-o", options, "-l", folder / "log", "-w", "start")
    try:
        yield Postgres(folder)
    finally:
        _run(*_user("postgres"), control, "-D", data, "-m", "immediate", "stop")
        shutil.rmtree(folder, ignore_errors=True)


@contextmanager
def mariadb() -> Iterator[MariaDb | None]:
    """Start MariaDB, if it is installed."""
    if not shutil.which("mariadbd") or not shutil.which("mariadb-install-db"):
        yield None
        return
    folder = Path(tempfile.mkdtemp(prefix="yurt-my-", dir="/tmp"))
    shutil.chown(folder, "mysql") if os.geteuid() == 0 else None
    # A server removes the temporary tables of all others from the folder for such tables when it starts.
    own = (f"--datadir={folder / 'data'}", f"--tmpdir={folder}")
    _run(*_user("mysql"), "mariadb-install-db", *own, "--auth-root-authentication-method=normal")
    words = ["mariadbd", *own, f"--socket={folder / 's'}", "--skip-networking", f"--pid-file={folder / 'pid'}"]
    with (folder / "log").open("wb") as log:
        server = subprocess.Popen([*_user("mysql"), *words], stdout=log, stderr=log)
        try:
            for _ in range(200):
                if (folder / "s").exists():
                    break
                time.sleep(0.1)
            yield MariaDb(folder)
        finally:
            server.kill()
            server.wait()
            shutil.rmtree(folder, ignore_errors=True)
