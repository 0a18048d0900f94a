"""Starts the program fast: a process that has already imported it forks for every call.

Each call is a separate process, with its own arguments, folder, environment, standard streams, and exit status. Tests
of starting, signals, and pipes still run the installed `PROGRAM`.
"""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
from importlib import import_module
from pathlib import Path


class Launcher:
    """Starts programs by forking a process that has imported them."""

    def __init__(self, environment: dict[str, str]) -> None:
        self.here, there = socket.socketpair()
        self.process = subprocess.Popen(
            [sys.executable, __file__, str(there.fileno())], pass_fds=[there.fileno()], env=environment
        )
        there.close()

    def run(
        self, arguments: list[str], cwd: Path, environment: dict[str, str], given: bytes = b"", timeout: float = 300
    ) -> subprocess.CompletedProcess[bytes]:
        """Run the program; return its exit status and output."""
        with tempfile.TemporaryFile() as stdin, tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as err:
            stdin.write(given)
            stdin.seek(0)
            told = json.dumps([arguments, str(cwd), environment, timeout]).encode()
            self.here.sendall(len(told).to_bytes(8, "big"))
            socket.send_fds(self.here, [b"x"], [stdin.fileno(), out.fileno(), err.fileno()])
            self.here.sendall(told)
            code = int.from_bytes(self.here.recv(8, socket.MSG_WAITALL), "big", signed=True)
            out.seek(0)
            err.seek(0)
            return subprocess.CompletedProcess(arguments, code, out.read(), err.read())

    def close(self) -> None:
        """End the server process."""
        self.here.close()
        self.process.wait(timeout=10)


def _serve(wire: socket.socket) -> None:
    from yurt.cli.main import main

    _load()
    while size := wire.recv(8, socket.MSG_WAITALL):
        _, fds, _, _ = socket.recv_fds(wire, 1, 3)
        arguments, cwd, environment, timeout = json.loads(wire.recv(int.from_bytes(size, "big"), socket.MSG_WAITALL))
        child = os.fork()
        if not child:
            wire.close()
            _become(fds, cwd, environment)
            sys.argv = ["yurt", *arguments]
            code = 1
            try:
                main()
            except SystemExit as end:
                code = end.code if isinstance(end.code, int) else int(end.code is not None)
            except BaseException:
                sys.excepthook(*sys.exc_info())
            finally:
                _flush()
                os._exit(code)
        for each in fds:
            os.close(each)
        wire.sendall(_ended(child, timeout).to_bytes(8, "big", signed=True))


def _become(fds: list[int], cwd: str, environment: dict[str, str]) -> None:
    for number, fd in enumerate(fds):
        os.dup2(fd, number)
        os.close(fd)
    os.chdir(cwd)
    os.environ.clear()
    os.environ.update(environment)
    time.tzset()
    signal.signal(signal.SIGINT, signal.default_int_handler)


def _flush() -> None:
    for stream in (sys.stdout, sys.stderr):
        try:
            stream.flush()
        except (OSError, ValueError):
            continue


def _ended(child: int, timeout: float) -> int:
    """Wait for a process; kill it after the timeout, and return the status of the signal."""
    end, pause = time.monotonic() + timeout, 0.001
    while time.monotonic() < end:
        done, status = os.waitpid(child, os.WNOHANG)
        if done:
            return os.waitstatus_to_exitcode(status)
        time.sleep(pause)
        pause = min(pause * 1.3, 0.02)
    os.kill(child, signal.SIGKILL)
    return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])


def _load() -> None:
    """Import everything that commands import at run time, so that no call has to."""
    import rich.console
    import rich.table
    import scipy.special

    import yurt.api.tables
    from yurt.cli.main import COMMANDS
    from yurt.core.cases import suite
    from yurt.core.databases import duckdb, mysql, postgresql, sqlite
    from yurt.core.databases.common import loading, reading
    from yurt.core.dirt import dirty
    from yurt.core.engine.makers import factories
    from yurt.core.formats import FORMATS
    from yurt.core.formats.template import sandbox
    from yurt.core.grammar.automaton import automaton
    from yurt.core.heads.registry import rules
    from yurt.core.reports import kind_examples, shares
    from yurt.core.standards import DOCUMENTS
    from yurt.core.verify import summary

    assert all((rich.console, rich.table, scipy.special, yurt.api.tables, suite, dirty, kind_examples, shares, summary))
    assert all((duckdb, mysql, postgresql, sqlite, loading, reading, sandbox))
    commands = [import_module(f"yurt.cli.{each}") for each in COMMANDS]
    assert commands
    automaton(), rules(), factories(), list(FORMATS.values()), list(DOCUMENTS.values())


if __name__ == "__main__":
    _serve(socket.socket(fileno=int(sys.argv[1])))
