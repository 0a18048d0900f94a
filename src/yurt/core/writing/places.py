"""Where the parts of a run lie: what a folder and an object store have in common."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import IO, Protocol

Fill = Callable[[IO[bytes]], object]


class Place(Protocol):
    """A folder of parts. Its `name` is for messages, and has no password in it."""

    @property
    def name(self) -> str: ...

    @property
    def stages(self) -> bool:
        """Whether a part that is staged has no name yet."""
        ...

    def everywhere(self) -> Place:
        """Return the place as other processes find it."""
        ...

    def prepare(self) -> None:
        """Make it, if it is not there."""

    def names(self) -> set[str]:
        """Return the names of the files in it; none if it is not there. Raises UsageFault if it is a file."""
        ...

    def has(self, name: str) -> bool:
        """Return whether there is a file of a name."""
        ...

    def read(self, name: str) -> bytes | None:
        """Return what is in a file; None if there is none."""
        ...

    def write(self, name: str, content: bytes) -> None:
        """Write a small file, whole or not at all."""

    def digest(self, name: str) -> str | None:
        """Return the SHA-256 of a file; None if there is none."""
        ...

    def remove(self, name: str) -> None:
        """Remove a file, if it is there."""

    def free(self) -> int | None:
        """Return the bytes that are free; None where that is unknown."""
        ...

    def put(self, name: str, fill: Fill, ready: Callable[[Path], None], *, force: bool) -> None:
        """Write a part. Before it gets its name, `ready` is called with the file that has its bytes."""

    def stage(self, name: str, owner: str, fill: Fill, ready: Callable[[Path], None]) -> None:
        """Write a part that gets its name by `publish`, which another process may call."""

    def publish(self, name: str, owner: str) -> None:
        """Give a part its name."""

    def discard(self, run: str = "") -> None:
        """Remove parts that were not published: those of one run on a cluster, or of any."""

    def journal(self) -> bytes | None:
        """Return the lines of the journal; None if there is none."""
        ...

    def append(self, lines: bytes, whole: int | None) -> None:
        """Add lines to the journal, behind so many bytes if that is told, safe on the disk."""

    def unmark(self) -> None:
        """Remove the journal."""
