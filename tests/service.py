"""A stand-in service as a process, and a client for it."""

from __future__ import annotations

import json
import os
import re
import signal
import socket
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import httpx

from .conftest import ENVIRONMENT, PROGRAM


class Service:
    """A running service: its address, its log, and requests to it."""

    def __init__(self, folder: Path, *arguments: str, temporary: Path | None = None) -> None:
        command = [PROGRAM, "serve", *arguments, *([] if "--port" in arguments else ["--port", "0"])]
        self.log = folder / f"log-{time.monotonic_ns()}.jsonl"
        self.process = subprocess.Popen(
            command,
            cwd=folder,
            stdout=subprocess.PIPE,
            stderr=self.log.open("wb"),
            env=ENVIRONMENT | ({"TMPDIR": str(temporary)} if temporary is not None else {}),
        )
        assert self.process.stdout
        told = self.process.stdout.readline().decode()
        assert re.fullmatch(r"http://\S+:\d+/\n", told), self.log.read_text()
        self.url = told.strip()[:-1]
        self.port = int(self.url.rpartition(":")[2])
        self.client = httpx.Client(base_url=self.url, timeout=30)

    def get(self, path: str, **more: Any) -> httpx.Response:
        return self.client.get(path, **more)

    def json(self, path: str, **more: Any) -> Any:
        found = self.get(path, **more)
        assert found.status_code == 200, found.text
        return json.loads(found.text)

    def post(self, path: str, body: Any, **headers: str) -> httpx.Response:
        return self.client.post(
            path, json=body, headers={name.replace("_", "-"): each for name, each in headers.items()}
        )

    def raw(self, data: bytes, wait: float = 5.0, *, ends: bool = True) -> bytes:
        """Send bytes, and return what comes back; `ends` tells the service that no more will come."""
        with socket.create_connection(("127.0.0.1", self.port), timeout=wait) as sender:
            found = b""
            try:
                sender.sendall(data)
                if ends:
                    sender.shutdown(socket.SHUT_WR)
                while piece := sender.recv(65536):
                    found += piece
            except OSError:
                # The service has closed the connection before it got everything.
                return found
            return found

    @property
    def memory(self) -> int:
        """The resident memory of the process, in bytes."""
        pages = int(Path(f"/proc/{self.process.pid}/statm").read_text().split()[1])
        return pages * os.sysconf("SC_PAGE_SIZE")

    def entries(self) -> list[dict[str, Any]]:
        """Return the lines of the log."""
        return [
            json.loads(line) for line in self.log.read_text().splitlines(keepends=True) if line[0] + line[-1] == "{\n"
        ]

    def stop(self, by: signal.Signals = signal.SIGTERM) -> int:
        """Stop the service, and return its exit status."""
        self.client.close()
        if self.process.poll() is None:
            self.process.send_signal(by)
        code = self.process.wait(20)
        assert self.process.stdout
        self.process.stdout.close()
        return code


@contextmanager
def serving(folder: Path, *arguments: str) -> Iterator[Service]:
    """Run a service for a while; it ends without a fault."""
    found = Service(folder, *arguments)
    try:
        yield found
    finally:
        assert found.stop() == 0
        assert "Traceback" not in found.log.read_text()


def until(condition: Any, seconds: float = 20) -> Any:
    """Wait until a condition is true, and return it."""
    end = time.monotonic() + seconds
    while not (found := condition()):
        assert time.monotonic() < end
        time.sleep(0.05)
    return found
