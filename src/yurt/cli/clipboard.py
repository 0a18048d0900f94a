"""Puts records on the clipboard, as a table that spreadsheets take: cells between tabs."""

from __future__ import annotations

import io
import os
import shutil
import subprocess
import sys
from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from yurt.core.engine.run import Run
    from yurt.core.formats.common.format import Format

MOST_BYTES = 50_000_000
# The programs that take a clipboard from standard input, with what must be there for them.
PROGRAMS = (
    ("wl-copy", ("wl-copy", "--type", "text/plain"), "WAYLAND_DISPLAY"),
    ("xclip", ("xclip", "-selection", "clipboard"), "DISPLAY"),
    ("xsel", ("xsel", "--clipboard", "--input"), "DISPLAY"),
    ("pbcopy", ("pbcopy",), ""),
    ("clip.exe", ("clip.exe",), ""),
    ("clip", ("clip",), ""),
)


def put(run: Run, name: str, rows: tuple[int, int], form: Format, workers: int) -> None:
    """Put rows on the clipboard. Raises SurroundingsFault without one, and UsageFault for too many rows."""
    from yurt.cli.talk import plural, size_words
    from yurt.core.base.errors import SurroundingsFault, UsageFault
    from yurt.core.writing.runs import write

    command = _command()
    if not command:
        raise SurroundingsFault(_missing())
    out = io.BytesIO()
    if (rows[1] - rows[0]) * run.widths[name] > MOST_BYTES * 20:
        raise UsageFault("too many rows for a clipboard; write a file, or choose some with --rows")
    write(run, name, rows, form, out, workers)
    if out.tell() > MOST_BYTES:
        raise UsageFault(f"{size_words(out.tell())} are too much for a clipboard; write a file, or choose some --rows")
    # What stays behind to serve the clipboard must not keep our own streams open.
    quiet, data = subprocess.DEVNULL, out.getvalue()
    done = subprocess.run(command, input=data, check=False, stdout=quiet, stderr=quiet, timeout=20)  # noqa: S603
    if done.returncode:
        raise SurroundingsFault(f"{command[0]} could not take the records: exit status {done.returncode}")
    click.echo(f"on the clipboard: {plural(rows[1] - rows[0], name)}; {run.words}", err=True)


def _command() -> tuple[str, ...]:
    """Return the first program that is installed and has its display; empty if there is none."""
    for program, command, needed in PROGRAMS:
        if shutil.which(program) and (not needed or os.environ.get(needed)):
            return command
    return ()


def _missing() -> str:
    if sys.platform.startswith("linux"):
        if not os.environ.get("DISPLAY") and not os.environ.get("WAYLAND_DISPLAY"):
            return "there is no clipboard here, because there is no screen; write a file with --out"
        return "there is no program for the clipboard; install wl-clipboard, xclip, or xsel"
    return "there is no program for the clipboard: pbcopy or clip"
