"""Digests of files and of streams: SHA-256, as hexadecimal digits."""

from __future__ import annotations

import hashlib
from pathlib import Path
from typing import Protocol

SHA256 = r"[0-9a-f]{64}"


class _Bytes(Protocol):
    def __buffer__(self, flags: int, /) -> memoryview: ...


def sha256_of(path: Path) -> str:
    """Return the digest of a file. Raises OSError."""
    with path.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


class Digesting:
    """A stream that keeps no more than the digest of what is written into it, and its size in bytes."""

    def __init__(self) -> None:
        self._digest = hashlib.sha256()
        self.size = 0

    def write(self, data: _Bytes) -> int:
        """Take some bytes."""
        view = memoryview(data)
        self._digest.update(view)
        self.size += view.nbytes
        return view.nbytes

    @property
    def sha256(self) -> str:
        """The digest so far."""
        return self._digest.hexdigest()
