"""The file in which a database is made: it gets its name when something was committed, and otherwise never."""

from __future__ import annotations

import contextlib
import os
import shutil
from pathlib import Path

from yurt.core.base.files import fault_of
from yurt.core.base.processes import mark
from yurt.core.base.unfinished_sets import part_of

# What databases put beside their file.
BESIDE = ("", ".wal", "-journal", "-wal", "-shm")


class WorkFile:
    """A file beside the one that it will be. A database that is there is only worked on in a copy if that is asked."""

    def __init__(self, path: str) -> None:
        self.final = Path(path)
        self.there = self.final.exists()
        self.path = self.final if self.there else self._part()
        self.kept = False

    def _part(self) -> Path:
        return part_of(self.final, mark())

    def check(self) -> None:
        """Raise SurroundingsFault if a new file cannot be made: databases give reasons of their own for that."""
        if self.path == self.final:
            return
        try:
            self.path.touch()
            self.path.unlink()
        except OSError as fault:
            raise fault_of(fault, self.final) from None

    def copied(self) -> None:
        """Go on in a copy."""
        self.path = self._part()
        try:
            shutil.copy2(self.final, self.path)
        except BaseException as fault:
            self._remove()
            if isinstance(fault, OSError):
                raise fault_of(fault, self.final) from None
            raise

    def close(self) -> None:
        """Give the file its name, or remove it."""
        if self.path == self.final:
            return
        if self.kept:
            os.replace(self.path, self.final)
        else:
            self._remove()

    def _remove(self) -> None:
        for end in BESIDE:
            # In a folder that cannot be written to there is nothing to remove.
            with contextlib.suppress(OSError):
                self.path.with_name(self.path.name + end).unlink()
