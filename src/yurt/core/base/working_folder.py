"""Folders for what must not stay: existing values, as they are read twice."""

from __future__ import annotations

import contextlib
import os
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path

from yurt.core.base.files import REMOVED
from yurt.core.base.processes import is_dead, mark

PREFIX = ".yurt-values-"


@contextlib.contextmanager
def working_folder(target: Path | None = None) -> Iterator[Path]:
    """Yield a folder that only its owner may open (mode 0700): beside a new file, or among the temporary files without
    one. It is gone afterwards; those of processes that were ended by force are removed by the next one.
    """
    around = _folder_of(target)
    for each in around.glob(f"{PREFIX}*"):
        # Behind the mark of the process comes what makes the name unique.
        if each.is_dir() and not each.is_symlink() and is_dead(each.name.removeprefix(PREFIX).rpartition(".")[0]):
            shutil.rmtree(each, ignore_errors=True)
            REMOVED.append(each)
    folder = tempfile.mkdtemp(prefix=f"{PREFIX}{mark()}.", dir=around)
    try:
        yield Path(folder)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _folder_of(target: Path | None) -> Path:
    """Return the folder of a new file if something can be written there, or that of temporary files."""
    if target is not None:
        around = target.parent
        while not around.exists() and around != around.parent:
            around = around.parent
        if around.is_dir() and os.access(around, os.W_OK | os.X_OK):
            return around.absolute()
    return Path(tempfile.gettempdir())
