"""What is not shown: the secrets of a command line, and the traceback of an error of the program itself."""

from __future__ import annotations

import os
import sys
import tempfile
import traceback
from collections.abc import Iterable
from typing import TYPE_CHECKING, TextIO, cast

import click

from yurt import __version__
from yurt.core.base.urls import secrets_in, without_secrets

if TYPE_CHECKING:
    from types import TracebackType

# The exit status of an internal error (sysexits.h).
OWN_ERROR = 70


class _Hiding:
    """Standard error without some secrets: whatever writes to it."""

    def __init__(self, stream: TextIO, secrets: set[str]) -> None:
        self.stream, self.secrets = stream, secrets

    def __getattr__(self, name: str) -> object:
        return getattr(self.stream, name)

    def write(self, text: str) -> int:
        """Write a text without the secrets."""
        self.stream.write(without_secrets(text, self.secrets))
        return len(text)

    def writelines(self, lines: Iterable[str]) -> None:
        """Write lines without the secrets."""
        for each in lines:
            self.write(each)


def hide_secrets(words: list[str]) -> None:
    """Show none of the secrets in some words on standard error."""
    if secrets := set().union(*(secrets_in(each) for each in words)):
        sys.stderr = cast(TextIO, _Hiding(sys.stderr, secrets))


def reported(fault: Exception) -> int:
    """Write the report of an error of the program, say where it is, and return the exit status."""
    lines = traceback.format_exception(type(fault), fault, cast("TracebackType", fault.__traceback__))
    secrets = set().union(*(secrets_in(each) for each in sys.argv))
    text = f"yurt {__version__}, Python {sys.version.split()[0]}, {sys.platform}\n{sys.argv[1:]}\n\n{''.join(lines)}"
    # Only its owner may read it.
    handle, path = tempfile.mkstemp(prefix="yurt-error-", suffix=".txt")
    with os.fdopen(handle, "w", encoding="utf-8", errors="backslashreplace") as out:
        out.write(without_secrets(text, secrets))
    told = " ".join(str(fault).split())[:200]
    what = f"{type(fault).__name__}: {told}" if told else type(fault).__name__
    click.echo(f"yurt: an error of the program itself ({what}); a report for its makers is in {path}", err=True)
    return OWN_ERROR
