"""What a run will take, from a sample: bytes, time, and memory."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from io import BytesIO
from pathlib import Path
from typing import IO

from yurt.core.base.data_classes import dataclass
from yurt.core.base.streams import compressing
from yurt.core.engine.run import Run
from yurt.core.formats.common.format import Format
from yurt.core.writing.runs import Rendering, rows_a_block, write

# The rows of a sample, in pieces that lie evenly over the rows of the run.
SAMPLED, PIECES = 20_000, 5
# The blocks that a run holds at the same time, beside one for each worker.
WAITING = 2
# Some blocks are timed, and then so many times as many; with more threads than these, the rest is computed.
MORE, MOST_TRIED = 3, 8


@dataclass(frozen=True)
class Estimate:
    """What the rows of a record type are expected to take.

    `seconds` is the time of one worker, and `together` that of `workers` of them; `memory` is that of the blocks that
    are there at the same time, in bytes.
    """

    rows: int
    size: int
    seconds: float
    together: float
    memory: int


def size_of(run: Run, name: str, rows: tuple[int, int], form: Format, path: Path) -> int:
    """Return about how many bytes a file has with these rows; `path` says how it is compressed."""
    count = rows[1] - rows[0]
    if count <= SAMPLED:
        return _written(path, lambda out: write(run, name, rows, form, out, 1))
    step, piece = count // PIECES, SAMPLED // PIECES
    # Numbers grow to the end of the file: each piece lies in the middle of its share.
    starts = [rows[0] + number * step + (step - piece) // 2 for number in range(PIECES)]

    def sampled(out: IO[bytes]) -> None:
        book = form.book(out)
        rendering = Rendering(run, name, form, book)
        for start in starts:
            rendering.writer.put(rendering.rendered(start, start + piece))
        rendering.finish(rows[0])
        book.close()

    empty = _written(path, lambda out: write(run, name, (rows[0], rows[0]), form, out, 1))
    return empty + round((_written(path, sampled) - empty) / (piece * PIECES) * count)


def estimate(run: Run, name: str, rows: tuple[int, int], form: Format, path: Path, workers: int) -> Estimate:
    """Return what the rows of a record type are expected to take on this machine."""
    size, count = size_of(run, name, rows, form, path), rows[1] - rows[0]
    if not count:
        return Estimate(0, size, 0.0, 0.0, 0)
    width = Rendering(run, name, form, form.book(BytesIO())).width
    own = min(rows_a_block(width), count)
    alone = _seconds(run, name, rows, form, path, own, 1)
    several = min(workers, MOST_TRIED)
    together = _seconds(run, name, rows, form, path, own, several) if several > 1 else alone
    memory = max(width, size // count) * own * (workers + WAITING)
    return Estimate(count, size, alone, min(together * several / workers, alone), memory)


def _seconds(
    run: Run, name: str, rows: tuple[int, int], form: Format, path: Path, own: int, workers: int
) -> float:  # fmt: skip
    """Return about how long some threads take: what more blocks take than few, so that the start of a file, and what
    is made once, count once.
    """
    first, count = rows[0], rows[1] - rows[0]

    def timed(blocks: int) -> tuple[int, float]:
        stop = min(blocks * own, count)
        started = time.perf_counter()
        _written(path, lambda out: write(run, name, (first, first + stop), form, out, workers))
        return stop, time.perf_counter() - started

    few, begun = timed(workers)
    many, whole = timed(MORE * workers)
    if many == few:
        return min(begun, whole)
    return begun + max(whole - begun, 0.0) / (many - few) * (count - few)


def _written(path: Path, fill: Callable[[IO[bytes]], object]) -> int:
    """Return the bytes of a temporary file, compressed as its name says."""
    with tempfile.TemporaryFile() as file:
        with _compressed(path, file) as out:
            fill(out)
        file.seek(0, 2)
        return file.tell()


@contextmanager
def _compressed(path: Path, file: IO[bytes]) -> Iterator[IO[bytes]]:
    # The compressor closes what is below it, whose size is still to be read.
    out = compressing(path, _Kept(file))  # type: ignore[arg-type]
    yield out
    out.close()


class _Kept:
    """A file that is not closed by who writes into it."""

    def __init__(self, file: IO[bytes]) -> None:
        self.file, self.closed = file, False

    def __getattr__(self, name: str) -> object:
        return getattr(self.file, name)

    def close(self) -> None:
        """Leave it open, with all bytes in it."""
        self.file.flush()
