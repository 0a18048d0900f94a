"""Shows how far a run is: a bar on a terminal, a line now and then in a log, or lines for another program."""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import click

from yurt.core.base.data_classes import dataclass

FORMS = ("auto", "lines", "json", "none")
# The seconds between two lines of a log, and between two lines for a program.
A_LINE, AN_OBJECT = 30.0, 1.0
# And between two pictures of the bar.
A_FRAME = 0.1


@dataclass
class Progress:
    """How far a run is. Calling it adds rows; `size` tells the bytes of files that are not finished."""

    total: int
    parts: int = 0
    rows: int = 0
    part: int = 0
    # What was there before this run, which says nothing about its rate.
    before: int = 0
    # The bytes of finished parts.
    bytes: int = 0
    size: Callable[[], int] = lambda: 0

    def __post_init__(self) -> None:
        self.started = self.shown = time.monotonic()
        self.show: Callable[[], None] = lambda: None
        self.every = 0.0

    def __call__(self, rows: int) -> None:
        """Count finished rows."""
        self.rows += rows
        now = time.monotonic()
        if now - self.shown >= self.every:
            self.shown = now
            self.show()

    def begin(self, number: int) -> None:
        """See a part begin."""
        self.part = number

    def finish(self, size: int) -> None:
        """See a part end that has so many bytes."""
        self.bytes += size

    @property
    def whole_size(self) -> int:
        """The bytes so far."""
        return self.bytes + self.size()

    @property
    def rate(self) -> float:
        """The rows a second."""
        return (self.rows - self.before) / max(time.monotonic() - self.started, 1e-9)

    @property
    def left(self) -> float | None:
        """The seconds that are left, as far as that can be said."""
        return (self.total - self.rows) / self.rate if self.rate and self.total else None

    @property
    def words(self) -> str:
        """A line about it."""
        from yurt.core.text.words import size_words

        whole = f" of {self.total:,}" if self.total else ""
        size = f", {size_words(self.whole_size)}" if self.whole_size else ""
        parts = f", part {self.part:,} of {self.parts:,}" if self.parts else ""
        left = f", {duration(self.left)} left" if self.left is not None else ""
        return f"{self.rows:,}{whole} rows{parts}{size}, {self.rate:,.0f} rows/s{left}"

    def as_json(self) -> str:
        """The same for a program: numbers of rows, bytes, and parts, rows a second, seconds."""
        left = None if self.left is None else round(self.left, 1)
        parts = {"part": self.part, "parts": self.parts} if self.parts else {}
        return json.dumps(
            {"rows": self.rows, "of": self.total, **parts, "bytes": self.whole_size,
             "rows_per_second": round(self.rate), "seconds_left": left}
        )  # fmt: skip


def duration(seconds: float) -> str:
    """Return a time in words: `less than 1 s`, `45 s`, `12 min 5 s`, `3 h 20 min`."""
    if seconds < 1:
        return "less than 1 s"
    whole = round(seconds)
    if whole < 60:
        return f"{whole} s"
    minutes, rest = divmod(whole, 60)
    if minutes < 60:
        return f"{minutes} min {rest} s"
    return f"{minutes // 60:,} h {minutes % 60} min"


@contextmanager
def shown(progress: Progress, form: str) -> Iterator[Progress]:
    """Show a run while it goes on, in one of the forms; `auto` is a bar on a terminal, and otherwise lines."""
    if form == "none":
        yield progress
        return
    if form == "json":
        progress.every, progress.show = AN_OBJECT, lambda: click.echo(progress.as_json(), err=True)
        yield progress
        progress.show()
        return
    if form == "lines" or not sys.stderr.isatty():
        progress.every, progress.show = A_LINE, lambda: click.echo(progress.words, err=True)
        yield progress
        return
    from rich.console import Console
    from rich.progress import BarColumn, TextColumn
    from rich.progress import Progress as Bar

    columns = BarColumn(complete_style="cyan", finished_style="cyan"), TextColumn("{task.description}")
    with Bar(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(progress.words, total=progress.total or None)
        progress.every = A_FRAME
        progress.show = lambda: bar.update(task, completed=progress.rows, description=progress.words)
        yield progress
