"""Messages on standard error: faults, progress, summaries."""

from __future__ import annotations

import contextlib
import os
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

import click

from yurt.core.base.errors import YurtError
from yurt.core.base.urls import without_secrets
from yurt.core.source.diagnostics import MOST, SchemaFault
from yurt.core.text.words import plural as plural
from yurt.core.text.words import size_words as size_words
from yurt.core.text.words import visible as visible

if TYPE_CHECKING:
    from rich.console import Console


def stop_talking() -> None:
    """Discard all further output to standard output, because its reader has closed the pipe."""
    with contextlib.suppress(OSError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def tinted(text: str, **style: Any) -> str:
    """Return a text in colour or bold, unless NO_COLOR is set; `click.echo` removes the colour outside a terminal."""
    return text if os.environ.get("NO_COLOR") else click.style(text, **style)


def say_fault(fault: YurtError) -> None:
    """Report a fault in one message."""
    if not isinstance(fault, SchemaFault):
        click.echo(tinted("yurt: ", fg="red") + str(fault), err=True)
        return
    for each in fault.diagnostics[:MOST]:
        # A schema that names a database by mistake is quoted without the password, too.
        place, _, rest = without_secrets(each.render(fault.source)).partition("\n")
        click.echo(tinted(place, bold=True) + (f"\n{rest}" if rest else ""), err=True)
        click.echo(err=True)
    count = len(fault.diagnostics)
    more = f", of which the first {MOST} are shown" if fault.more else ""
    click.echo(tinted(f"{count:,} mistake{'s' * (count != 1)} in {fault.source.name}{more}", fg="red"), err=True)


def console(width: int | None = None) -> Console:
    """Return a console for standard output; if the reader closes the pipe, the program ends as usual."""
    from rich.console import Console

    class Piped(Console):
        def on_broken_pipe(self) -> None:
            raise BrokenPipeError

    return Piped(width=width, highlight=False)


@contextmanager
def busy(what: str) -> Iterator[None]:
    """Show on a terminal that something without a known length is going on."""
    if not sys.stderr.isatty():
        yield
        return
    from rich.console import Console

    with Console(stderr=True).status(what):
        yield


@contextmanager
def progress_bar(total: int) -> Iterator[Callable[[int], None]]:
    """Show how far some work is, with rate and time left; yield the function that counts finished rows.

    A `total` of 0 means that the total is unknown.
    """
    from yurt.cli.progress import Progress, shown

    with shown(Progress(total), "auto") as progress:
        yield progress
