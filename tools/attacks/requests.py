"""Mutated requests to the service, over its own socket: every answer is one, and every fault a problem of RFC 9457."""

from __future__ import annotations

import contextlib
import os
import random
import re
import signal
import socket
import sys
import threading
from dataclasses import dataclass
from pathlib import Path

from attacks.mutation import DATA_TOKENS, mutated
from attacks.process import Input, process, write

SCHEMA = """yurt: 1
seed: 1
today: 2026-06-01
records:
  hut:
    count: 30
    key: id
    fields:
      id: sequence
      name: text 3..9, unique
      price: decimal 10.00..90.00
      opens: date 2026-05-01..2026-06-30
      tags: list 0..3 of one of rare | usual
  stay:
    count: 0..4 per hut
    fields:
      hut: ref hut
      nights: integer 1..9
      guest: person
"""
BODIES = [
    '{"id": 77, "name": "Kar Alm", "price": "20.00", "opens": "2026-06-01", "tags": ["rare"]}',
    '{"nights": 3}',
    "{}",
    "[]",
    '{"record": "hut", "rows": 5}',
    '{"scale": 2, "format": "csv"}',
    '{"scale": 1000000}',
    '{"record": ["x"]}',
    "null",
    '{"price": 1e999999999}',
    '{"name": "\\ud800"}',
    '[{"op": "replace", "path": "/name", "value": "x"}]',
    "{" + ", ".join(f'"k{at}": 1' for at in range(3000)) + "}",
    "[" * 2000,
    '{"a":' * 500,
    '"' + "x" * 100_000 + '"',
]
PATHS = [
    "/",
    "/hut",
    "/hut/1",
    "/hut/1/stay",
    "/stay?nights=3&page-size=5",
    "/hut?sort=-price,name&fields=id",
    "/hut?search=a",
    "/hut?price.min=20&opens=2026-06-01",
    "/hut?tags=rare",
    "/-/health",
    "/-/openapi.json",
    "/-/cases",
    "/-/cases/hut/1",
    "/-/runs",
    "/-/runs/1",
    "/-/runs/1/files/hut.csv",
    "/hut?page-size=1000000&page=99999999999",
    "/hut/%00",
    "/hut/%0d%0aset-cookie:x=1",
    "/%2D/runs",
    "/hut/../../etc/passwd",
    "/-/runs/..%2f..%2fetc%2fpasswd",
    "*",
    "/hut/" + "9" * 500,
    "/hut?" + "a=1&" * 500,
    "/hut?case=1",
    "http://elsewhere.example/hut",
    "/hut?page=-1",
    "/hut?after=" + "A" * 300,
]
HEADERS = [
    "accept: text/csv",
    "accept: text/html;q=0.1, */*;q=2",
    "accept: application/xml",
    "content-type: application/json",
    "content-type: x",
    "content-type: application/merge-patch+json",
    "if-match: *",
    'if-none-match: "x", W/"y"',
    "idempotency-key: k",
    "prefer: respond-async",
    "origin: http://evil.example",
    "access-control-request-method: POST",
    "range: bytes=0-3",
    "expect: 100-continue",
    "transfer-encoding: chunked",
    "content-length: 5",
    "content-length: -1",
    "host: evil.example",
    "bad-day: status=500",
    "bad-day: x",
    "x: " + "y" * 9000,
    "connection: upgrade",
    "upgrade: websocket",
    "accept-encoding: gzip",
    "cookie: a=b",
    "forwarded: for=x",
]
METHODS = ["GET", "GET", "GET", "POST", "POST", "PUT", "PATCH", "DELETE", "HEAD", "OPTIONS", "TRACE", "FOO", "get"]
STATUS = re.compile(rb"HTTP/1\.1 (\d{3}) ")


@dataclass(frozen=True)
class Asked(Input):
    """A service that is sent requests, each on a connection of its own."""

    requests: tuple[bytes, ...] = ()

    @property
    def words(self) -> str:
        """Return what a finding is told of."""
        return f"{len(self.requests)} requests"

    def run(self, folder: Path) -> str:
        """Serve, send, and look at every answer."""
        write(self.files, folder)
        write({f"request-{at}": each for at, each in enumerate(self.requests)}, folder)
        ended = process(self._serve, folder)
        return ended.wrong or (ended.told if ended.code else "")

    def _serve(self) -> None:
        from yurt.core.collections.library import Library
        from yurt.core.engine.run import RunOptions
        from yurt.core.language.reader import read_file
        from yurt.service.app import Service
        from yurt.service.behaviour import Behaviour
        from yurt.service.server import bound, serve
        from yurt.service.settings import Settings

        schema, _ = read_file(Path("s.yaml"))
        listening = bound("127.0.0.1", 0)
        library = Library(schema, RunOptions())
        service = Service(library, Behaviour([], library.run.seed), Settings(), None)
        wrong: list[str] = []

        def send() -> None:
            try:
                wrong.extend(self._send(listening.getsockname()[1]))
            finally:
                os.kill(os.getpid(), signal.SIGTERM)

        # The server passes the signal on when it has ended.
        signal.signal(signal.SIGTERM, lambda *_: None)
        serve(service, listening, threading.Thread(target=send, daemon=True).start)
        if wrong:
            sys.exit("; ".join(wrong)[:2000])

    def _send(self, port: int) -> list[str]:
        wrong = []
        for at, each in enumerate(
            [*self.requests, b"GET /-/health HTTP/1.1\r\nhost: localhost\r\nconnection: close\r\n\r\n"]
        ):
            answer = _answer(port, each)
            status = int(found[1]) if (found := STATUS.match(answer)) else 0
            head, _, body = answer.partition(b"\r\n\r\n")
            if not status and b"\r\n\r\n" in each and b"100-continue" not in each:
                wrong.append(f"request {at} got no answer: {each[:80]!r}, but {answer[:60]!r}")
            elif at == len(self.requests) and status != 200:
                wrong.append(f"afterwards health says {answer[:60]!r}")
            elif status == 500 and b"bad-day" not in each:
                wrong.append(f"request {at} is answered by 500: {body[:200]!r}")
            elif (
                400 <= status < 500 and body and b"application/problem+json" not in head and b"Invalid HTTP" not in body
            ):
                wrong.append(f"request {at} is answered by {status} without a problem: {body[:200]!r}")
            elif b"\r\nset-cookie" in head.lower() or b"root:" in body:
                wrong.append(f"request {at} got what is not its own: {answer[:200]!r}")
            elif len(answer) > 3_000_000:
                wrong.append(f"request {at} got {len(answer)} bytes")
        return wrong


def _answer(port: int, request: bytes) -> bytes:
    found = b""
    with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), timeout=15) as sender:
        with contextlib.suppress(OSError):
            sender.sendall(request)
            sender.shutdown(socket.SHUT_WR)
        while piece := sender.recv(65536):
            found += piece
    return found


def request_input(chance: random.Random) -> Asked:
    """Return a service and twenty requests."""
    return Asked({"s.yaml": SCHEMA.encode()}, ["serve", "s.yaml"], requests=tuple(_request(chance) for _ in range(20)))


def _request(chance: random.Random) -> bytes:
    body = chance.choice(BODIES) if chance.random() < 0.6 else ""
    if body and len(body) < 1000 and chance.random() < 0.5:
        body = mutated(body, chance, DATA_TOKENS)
    path = chance.choice(PATHS)
    if chance.random() < 0.3:
        path = mutated(
            path, chance, ["%00", "%", "?", "&", "=", "/", "..", "%2f", "%ff", "#", "é", "*", "-", "9" * 30, ";"]
        )
    data = body.encode("utf-8", "surrogatepass")
    headers = [chance.choice(HEADERS) for _ in range(chance.randint(0, 3))]
    if not any(each.startswith("host") for each in headers):
        headers.insert(0, "host: localhost")
    if data:
        headers += ["content-type: application/json", f"content-length: {len(data)}"]
    head = "\r\n".join([f"{chance.choice(METHODS)} {path} HTTP/1.1", *headers, "connection: close", "", ""])
    whole = head.encode("utf-8", "surrogatepass") + data
    if chance.random() < 0.1:
        at = chance.randrange(len(whole))
        return whole[:at]
    return whole
