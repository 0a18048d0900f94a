"""The protocol of connections: that of the server, with limits on the size and the time of headers."""

from __future__ import annotations

import asyncio
from typing import Any

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

LARGEST_HEADERS = 1 << 16
ANSWER = b"HTTP/1.1 %s\r\ncontent-length: 0\r\nconnection: close\r\n\r\n"


class Protocol(HttpToolsProtocol):
    """Closes connections whose headers are too large, or do not come to an end."""

    header_time = 10.0

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._in_headers, self._in_body = 0, False
        # Whether headers, or a whole request, came to their end in the last bytes.
        self._complete = False
        self._timer: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        """Begin to wait for the first headers."""
        super().connection_made(transport)
        self._wait()

    def connection_lost(self, exc: Exception | None) -> None:
        """Stop waiting."""
        self._stop()
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        """Count the bytes of headers that do not come to an end; what follows them is limited elsewhere."""
        if not self._in_body and self._timer is None:
            self._wait()
        self._complete = False
        super().data_received(data)
        if not self._in_body and not self._complete:
            self._in_headers += len(data)
            if self._in_headers > LARGEST_HEADERS:
                self._end(b"431 Request Header Fields Too Large")

    def on_headers_complete(self) -> None:
        """The headers are there."""
        self._in_headers, self._in_body, self._complete = 0, True, True
        self._stop()
        super().on_headers_complete()

    def on_message_complete(self) -> None:
        """The whole request is there; the next one begins with headers again."""
        self._in_headers, self._in_body, self._complete = 0, False, True
        super().on_message_complete()

    def _wait(self) -> None:
        self._stop()
        self._timer = self.loop.call_later(self.header_time, self._late)

    def _stop(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None

    def _late(self) -> None:
        self._timer = None
        if not self._in_body:
            self._end(b"408 Request Timeout")

    def _end(self, status: bytes) -> None:
        self._stop()
        if not self.transport.is_closing():
            self.transport.write(ANSWER % status)
            self.transport.close()
