"""Notes what a command has made, if the user keeps a list of runs."""

from __future__ import annotations

import shlex
import sys
from datetime import datetime
from typing import TYPE_CHECKING

from yurt.core.base.urls import secrets_in, without_secrets

if TYPE_CHECKING:
    from yurt.core.engine.run import Run


def remember(run: Run, rows: int, output: str) -> None:
    """Note a run with the command line that makes it again: the same words, with seed and date."""
    from yurt.core.base.history import History

    history = History()
    if not history.kept:
        return
    words = ["yurt", *sys.argv[1:]]
    words += [] if _told("--seed") else ["--seed", str(run.seed)]
    words += [] if _told("--today") else ["--today", str(run.today)]
    secrets = set().union(*map(secrets_in, words))
    command, output = (without_secrets(each, secrets) for each in (shlex.join(words), output))
    made = datetime.now().astimezone().isoformat(timespec="seconds")
    import os

    history.note(made, command, os.getcwd(), run.schema.source.name, run.seed, rows, output)


def _told(option: str) -> bool:
    return any(each == option or each.startswith(f"{option}=") for each in sys.argv[1:])
