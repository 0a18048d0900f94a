"""Files that appear completely or not at all: written under a temporary name in the same folder, then renamed."""

from __future__ import annotations

import contextlib
import os
from pathlib import Path
from types import TracebackType
from typing import IO

from yurt.core.base.errors import SurroundingsFault, UsageFault
from yurt.core.base.streams import compressing


def fault_of(error: OSError, path: Path | str) -> SurroundingsFault:
    """Return an operating system's error as one message."""
    return SurroundingsFault(f"{path}: {(error.strerror or str(error)).lower()}")


class NewFiles:
    """A set of files that belong together: all are renamed at the end, or none remains.

    Use it as a context manager: files opened with `open` get their names on leaving it and are removed when an
    exception passes.
    """

    def __init__(self, force: bool) -> None:
        self.force = force
        self.files: list[tuple[Path, Path, IO[bytes]]] = []
        self.folders: list[Path] = []

    def folder(self, path: Path) -> None:
        """Create a folder and its parents if needed; a new folder is removed again if the set fails."""
        missing = [each for each in (path, *path.parents) if not each.exists()]
        try:
            path.mkdir(parents=True, exist_ok=True)
        except FileExistsError:
            raise UsageFault(f"{path} is a file, not a folder") from None
        except OSError as error:
            raise fault_of(error, path) from None
        self.folders += missing

    def check(self, path: Path) -> None:
        """Refuse a path that exists already, unless `force` is set."""
        if path.is_dir():
            raise UsageFault(f"{path} is a folder; name a file")
        if path.exists() and not self.force:
            raise UsageFault(f"{path} exists already; --force overwrites it")

    def open(self, path: Path) -> IO[bytes]:
        """Open a new file for writing bytes; it gets its name when the set is complete."""
        self.check(path)
        temporary = path.with_name(f".{path.name}.{os.getpid()}.part")
        try:
            stream = temporary.open("xb")
        except OSError as error:
            raise fault_of(error, path) from None
        wrapped = compressing(path, stream)
        self.files.append((path, temporary, wrapped))
        return wrapped

    def __enter__(self) -> NewFiles:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if error is None:
            try:
                for _, _, stream in self.files:
                    stream.close()
                for path, temporary, _ in self.files:
                    os.replace(temporary, path)
                return
            except OSError as fault:
                self._remove()
                raise fault_of(fault, path) from None
        self._remove()
        if isinstance(error, OSError) and not isinstance(error, BrokenPipeError):
            # What has no name is a failed write.
            raise fault_of(error, error.filename or (self.files[-1][0] if self.files else "output")) from None

    def _remove(self) -> None:
        for _, temporary, stream in self.files:
            with contextlib.suppress(OSError):
                stream.close()
            with contextlib.suppress(OSError):
                temporary.unlink()
        for folder in self.folders:
            with contextlib.suppress(OSError):
                folder.rmdir()


def leads_out(folder: Path, path: Path) -> bool:
    """Return whether a path that is written as one inside a folder is a link to somewhere else."""
    written = os.path.normpath(os.path.join(os.path.abspath(folder), path))
    inside = Path(written).is_relative_to(os.path.abspath(folder))
    return inside and not Path(os.path.realpath(written)).is_relative_to(os.path.realpath(folder))


def regular_file(path: Path) -> bool:
    """Return whether a path is a regular file, not a device or a pipe that might never end."""
    try:
        return path.is_file()
    except OSError:
        return False
