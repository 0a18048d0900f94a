"""Measure the stand-in service on loopback: `python bench/service.py [--minutes 5]`.

A process of its own sends requests over keep-alive connections, one after the other on each. The same client measures
an application of the bare web framework that answers with the same bytes from memory. With `--minutes`, 64 connections
go on for that long, and the memory of the service is printed.
"""

from __future__ import annotations

import argparse
import asyncio
import os
import re
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

YURT = Path(sys.executable).with_name("yurt")
HUTS = Path(__file__).parent.parent / "src" / "yurt" / "examples" / "huts.yaml"
# An application that has one record, and one page, in memory.
BARE = """
import sys, uvicorn
from starlette.applications import Starlette
from starlette.responses import Response
from starlette.routing import Route
RECORD, PAGE = open(sys.argv[1], "rb").read(), open(sys.argv[2], "rb").read()
def answer(body):
    async def found(request):
        return Response(body, media_type="application/json")
    return found
app = Starlette(routes=[Route("/record", answer(RECORD)), Route("/page", answer(PAGE))])
uvicorn.run(app, port=int(sys.argv[3]), log_level="critical", access_log=False)
"""


class Client(asyncio.Protocol):
    """A connection that sends the next request when the answer is there."""

    def __init__(self, path: Callable[[], str], times: list[float], until: float, done: asyncio.Future[None]) -> None:
        self.path, self.times, self.until, self.done = path, times, until, done
        self.data = b""

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        """Send the first request."""
        self.transport = transport
        self._send()

    def data_received(self, data: bytes) -> None:
        """Take a part of an answer."""
        self.data += data
        head, found, body = self.data.partition(b"\r\n\r\n")
        length = re.search(rb"content-length: (\d+)", head)
        if found and length and len(body) >= int(length[1]):
            assert head.startswith(b"HTTP/1.1 200"), head
            self.times.append(time.perf_counter() - self.begun)
            self.data = b""
            if time.perf_counter() < self.until:
                self._send()
            else:
                self.transport.close()
                self.done.set_result(None)

    def _send(self) -> None:
        self.begun = time.perf_counter()
        self.transport.write(f"GET {self.path()} HTTP/1.1\r\nhost: x\r\n\r\n".encode())  # type: ignore[attr-defined]


async def _load(port: int, path: Callable[[], str], connections: int, seconds: float) -> list[float]:
    loop = asyncio.get_running_loop()
    times: list[float] = []
    ends = [loop.create_future() for _ in range(connections)]
    until = time.perf_counter() + seconds
    for each in ends:
        await loop.create_connection(lambda done=each: Client(path, times, until, done), "127.0.0.1", port)
    await asyncio.gather(*ends)
    return times


def load(port: int, path: Callable[[], str], connections: int, seconds: float) -> tuple[float, float, float]:
    """Return the answers a second, and the median and the 99th percentile of their times in milliseconds."""
    import uvloop

    with asyncio.Runner(loop_factory=uvloop.new_event_loop) as runner:
        times = sorted(runner.run(_load(port, path, connections, seconds)))
    return len(times) / seconds, statistics.median(times) * 1000, times[int(len(times) * 0.99)] * 1000


def memory(process: subprocess.Popen[bytes]) -> float:
    """Return the resident memory of a process in MB."""
    return int(Path(f"/proc/{process.pid}/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6


def main() -> None:
    """Run the measurements, and print them."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--minutes", type=float, default=0, help="how long 64 connections go on")
    options.add_argument("--seconds", type=float, default=8, help="how long each measurement takes")
    told = options.parse_args()
    number = iter(range(10**9))

    def record() -> str:
        return f"/stay/{10001 + next(number) * 7 % 7400}"

    def page() -> str:
        return f"/stay?size=100&page={1 + next(number) % 74}"

    command = [YURT, "serve", HUTS, "--port", "0", "--log", "none"]
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL) as service:
        assert service.stdout
        port = int(re.search(rb":(\d+)/", service.stdout.readline())[1])  # type: ignore[index]
        load(port, record, 16, 3)
        found = {
            "single records": load(port, record, 16, told.seconds),
            "pages of 100": load(port, page, 2, told.seconds),
        }
        bare = _bare(port, told.seconds)
        for name, (rate, median, slow) in found.items():
            print(f"{name}: {rate:,.0f} a second, median {median:.2f} ms, 99% under {slow:.2f} ms; "
                  f"the bare framework {bare[name]:,.0f}, {bare[name] / rate:.2f} x")  # fmt: skip
        if told.minutes:
            _soak(service, port, record, told.minutes)
        service.terminate()


def _bare(port: int, seconds: float) -> dict[str, float]:
    """Return the rates of the bare framework with the same bytes."""
    import urllib.request

    with tempfile.TemporaryDirectory() as folder:
        files = []
        for name, path in (("record", "/stay/10001"), ("page", "/stay?size=100")):
            files.append(Path(folder) / name)
            files[-1].write_bytes(urllib.request.urlopen(f"http://127.0.0.1:{port}{path}").read())
        other = port + 1 if port < 65000 else port - 1
        with subprocess.Popen([sys.executable, "-c", BARE, *map(str, files), str(other)]) as process:
            time.sleep(2)
            found = {
                "single records": load(other, lambda: "/record", 16, seconds)[0],
                "pages of 100": load(other, lambda: "/page", 2, seconds)[0],
            }
            process.terminate()
    return found


def _soak(service: subprocess.Popen[bytes], port: int, path: Callable[[], str], minutes: float) -> None:
    begun, total = memory(service), 0.0
    parts = max(1, round(minutes * 2))
    for part in range(parts):
        rate, median, _ = load(port, path, 64, minutes * 60 / parts)
        total += rate * minutes * 60 / parts
        now = f"{(part + 1) * minutes / parts:.1f} min: {memory(service):,.0f} MB"
        print(f"  {now}, {rate:,.0f} a second, median {median:.1f} ms", flush=True)
    grown = f"{begun:,.0f} MB before, {memory(service):,.0f} MB after"
    print(f"64 connections for {minutes:g} minutes: {total:,.0f} answers; {grown}")


if __name__ == "__main__":
    main()
