"""Runs the service on a socket until it is told to stop."""

from __future__ import annotations

import errno
import os
import socket
from collections.abc import Callable
from threading import Timer
from types import FrameType

import uvicorn

from yurt.core.base.errors import SurroundingsFault, UsageFault
from yurt.service.app import Service
from yurt.service.protocol import Protocol

# The time that answers have to end after the service was told to stop, and after which everything ends, in seconds.
GRACE, END = 3, 4.5


def bound(host: str, port: int) -> socket.socket:
    """Return a listening socket; port 0 is any free one. Raises UsageFault or SurroundingsFault."""
    try:
        family, kind, protocol, _, address = socket.getaddrinfo(
            host, port, type=socket.SOCK_STREAM, flags=socket.AI_PASSIVE
        )[0]
    except (socket.gaierror, UnicodeError):
        raise UsageFault(f"there is no host `{host}`; write an address such as 127.0.0.1 or 0.0.0.0") from None
    found = socket.socket(family, kind, protocol)
    found.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        found.bind(address)
    except OSError as error:
        found.close()
        if error.errno == errno.EADDRINUSE:
            raise UsageFault(f"port {port} is taken; --port 0 takes a free one") from None
        raise SurroundingsFault(f"{host}:{port}: {(error.strerror or str(error)).lower()}") from None
    return found


def serve(service: Service, listening: socket.socket, ready: Callable[[], None]) -> None:
    """Serve until SIGINT or SIGTERM. `ready` is called when requests are answered."""

    class Server(uvicorn.Server):
        async def startup(self, sockets: list[socket.socket] | None = None) -> None:
            await super().startup(sockets)
            if self.started:
                ready()

        def handle_exit(self, sig: int, frame: FrameType | None) -> None:
            # Work on a thread cannot be ended but with the process.
            last = Timer(END, end)
            last.daemon = True
            last.start()
            super().handle_exit(sig, frame)

    def end() -> None:
        service.runs.close()
        os._exit(0)

    Protocol.header_time = service.settings.header_time
    config = uvicorn.Config(
        service.app(), http=Protocol, log_level="critical", access_log=False, server_header=False,
        timeout_graceful_shutdown=GRACE, limit_concurrency=service.settings.connections, lifespan="on",
        timeout_keep_alive=30,
    )  # fmt: skip
    server = Server(config)
    try:
        server.run(sockets=[listening])
    except (KeyboardInterrupt, SystemExit):
        # A service is stopped this way; it has ended cleanly before the signal is passed on.
        return
