"""The files that a schema names: included schemas and value lists, beside it or held in memory."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping
from pathlib import Path

from yurt.core.base.data_classes import dataclass
from yurt.core.base.files import leads_out, regular_file
from yurt.core.base.nearest import did_you_mean

NONE: Mapping[str, bytes] = {}


@dataclass(frozen=True)
class NamedFile:
    """A file that a schema names: as it is written there, where it was found, and what was in it."""

    name: str
    path: Path | None
    size: int
    sha256: str


class Unreadable(Exception):
    """A file that cannot be read; the message says why, `expected` and `hint` what to do."""

    def __init__(self, message: str, expected: str | None = None, hint: str | None = None) -> None:
        super().__init__(message)
        self.expected, self.hint = expected, hint


class NamedFiles:
    """Reads such files, and keeps a list of them. Those in `held` are not searched for in the folder."""

    def __init__(self, folder: Path, held: Mapping[str, bytes] = NONE) -> None:
        self.folder, self.held = folder, held
        self.read: dict[str, NamedFile] = {}

    def content(self, name: str, most: int, advice: str) -> bytes:
        """Return what is in a file of at most `most` bytes. Raises Unreadable."""
        if name in self.held:
            found, path = self.held[name], None
        else:
            path = self.folder / name
            found = self._on_disk(name, path, most, advice)
        self.read[name] = NamedFile(name, path, len(found), hashlib.sha256(found).hexdigest())
        return found

    def _on_disk(self, name: str, path: Path, most: int, advice: str) -> bytes:
        if leads_out(self.folder, path):
            raise Unreadable(f"{name} is a link that leads out of the folder of the schema", "the file itself")
        try:
            if path.exists() and not regular_file(path):
                raise Unreadable(f"{name} is not a file that can be read as a whole")
            with path.open("rb") as stream:
                found = stream.read(most + 1)
        except OSError as fault:
            there: Iterable[str] = (each.name for each in self.folder.iterdir()) if self.folder.is_dir() else ()
            missing = isinstance(fault, FileNotFoundError)
            reason = (fault.strerror or "not readable").lower()
            told = f"there is no file {path}" if missing else f"{name} cannot be read: {reason}"
            raise Unreadable(told, advice, did_you_mean(name, list(there))) from None
        if len(found) > most:
            raise Unreadable(f"{name} is larger than {most // 1_000_000} MB")
        return found
