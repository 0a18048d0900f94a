"""The process of a run, which makes its file: it can be ended at any time, and ends with the service.

`python -m yurt.service.run_process` takes a job on standard input. It tells on standard output what it has done: a line
`rows N` after each block, then `done FILE` or `failed REASON`.
"""

from __future__ import annotations

import contextlib
import os
import pickle
import signal
import subprocess
import sys
import threading
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import IO

from yurt.core.base.data_classes import dataclass
from yurt.core.base.digests import sha256_of
from yurt.core.base.errors import YurtError
from yurt.core.engine.run import Run, RunOptions
from yurt.core.model import Schema
from yurt.core.planning.references import parents_first
from yurt.core.writing.output import Output
from yurt.core.writing.receipt import Made, receipt_of
from yurt.core.writing.request import Request
from yurt.core.writing.runs import write, write_into

RECEIPT = "receipt.json"


@dataclass(frozen=True)
class Job:
    """What a run makes: rows of record types (by name: from 0, and exclusive) in a format, as a file in a folder of at
    most `largest` bytes.
    """

    schema: Schema
    options: RunOptions
    only: str | None
    slices: dict[str, tuple[int, int]]
    # What the receipt says was asked.
    request: Request
    format: str
    folder: Path
    largest: int


class Failed(Exception):
    """The process could not make the file; the message says why."""


class Process:
    """The process of a run, as the service sees it."""

    def __init__(self, job: Job) -> None:
        self.process = subprocess.Popen(  # noqa: S603 - this program itself
            [sys.executable, "-P", "-m", __name__],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        assert self.process.stdin is not None
        with contextlib.suppress(BrokenPipeError):
            self.process.stdin.write(pickle.dumps(job))
            # The pipe stays open: when it closes, the service is gone.
            self.process.stdin.flush()

    def end(self) -> None:
        """End the process at once."""
        self.process.kill()

    def wait(self, progress: Callable[[int], None]) -> str:
        """Return the name of the file when it is made; `progress` gets the rows of each block. Raises Failed."""
        assert self.process.stdout is not None
        last = ""
        for line in _lines(self.process.stdout):
            word, _, last = line.partition(" ")
            if word == "rows":
                progress(int(last))
            elif word == "done":
                self._close()
                return last
            else:
                break
        self._close()
        raise Failed(last or "the process of the run was ended")

    def _close(self) -> None:
        for each in (self.process.stdin, self.process.stdout):
            if each is not None:
                with contextlib.suppress(BrokenPipeError):
                    each.close()
        self.process.wait()


def _lines(stream: IO[bytes]) -> Iterator[str]:
    for line in stream:
        yield line.decode().rstrip("\n")


def made(job: Job, progress: Callable[[int], None]) -> Path:
    """Return the file of a job; the receipt lies beside it."""
    output = Output(job.schema, ())
    run = Run(output.dressed(dict.fromkeys(job.slices, job.format)), job.options, only=job.only)
    forms = {name: output.format(job.format, name) for name in job.slices}
    first = next(iter(forms.values()))
    if len(job.slices) > 1 and first.together:
        path = job.folder / f"records{first.suffix}"
        with path.open("wb") as out:
            book = first.several(out)
            for name in parents_first(run.schema, list(job.slices)):
                write_into(book, run, name, job.slices[name], forms[name], 1, progress)
            book.close()
        _write_receipt(job, {path: None})
        return path
    paths: dict[Path, int | None] = {}
    for name, rows in job.slices.items():
        path = job.folder / f"{name}{forms[name].suffix}"
        with path.open("wb") as out:
            write(run, name, rows, forms[name], out, 1, progress)
        paths[path] = rows[1] - rows[0]
    _write_receipt(job, paths)
    return next(iter(paths)) if len(paths) == 1 else _zipped(job.folder / "records.zip", list(paths))


def _write_receipt(job: Job, files: dict[Path, int | None]) -> None:
    """Write the receipt of the files, by which `yurt reproduce` makes them again."""
    made = [Made(path.name, path.stat().st_size, sha256_of(path), rows) for path, rows in files.items()]
    target, out = ("file", made[0].name) if len(made) == 1 else ("folder", "")
    receipt = receipt_of(job.schema, job.request, target, made, out)
    (job.folder / RECEIPT).write_text(receipt.text, "utf-8")


def _zipped(path: Path, files: list[Path]) -> Path:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for each in files:
            archive.write(each, each.name)
            each.unlink()
    return path


def _limit(largest: int) -> None:
    """Let no file become larger, where the system can see to it."""
    with contextlib.suppress(ImportError):
        import resource

        resource.setrlimit(resource.RLIMIT_FSIZE, (largest, largest))
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)


def main() -> None:
    """Do the job of standard input."""
    # The service decides when a run ends, also if Ctrl-C reaches both.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    # Written by the service that has started this process.
    job: Job = pickle.load(sys.stdin.buffer)  # noqa: S301

    def watch() -> None:
        sys.stdin.buffer.read()
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()
    _limit(job.largest)

    def say(word: str, told: object) -> None:
        print(word, told, flush=True)

    try:
        say("done", made(job, lambda rows: say("rows", rows)).name)
    except YurtError as fault:
        say("failed", " ".join(str(fault).split()))
    except OSError as fault:
        say("failed", fault.strerror or type(fault).__name__)
    except Exception as fault:
        say("failed", f"an error of the program: {type(fault).__name__}: {' '.join(str(fault).split())}")


if __name__ == "__main__":
    main()
