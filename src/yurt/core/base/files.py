"""Files that appear completely or not at all: written under a temporary name in the same folder, then renamed."""

from __future__ import annotations

import contextlib
import os
import shutil
import stat
from functools import cache
from pathlib import Path
from types import TracebackType
from typing import IO

from yurt.core.base.errors import SurroundingsFault, UsageFault
from yurt.core.base.processes import is_dead, mark
from yurt.core.base.streams import compressing
from yurt.core.base.unfinished_sets import BEFORE, PART, note_in, owner_of, part_of, undo_unfinished, write_notes
from yurt.core.base.urls import is_url

# The parts of earlier runs that were removed, for whoever tells so.
REMOVED: list[Path] = []


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
        self.dropped = False

    def folder(self, path: Path) -> None:
        """Create a folder and its parents if needed; a new folder is removed again if the set fails."""
        _no_url(path)
        self.folders += [each for each in (path, *path.parents) if not each.exists()]
        try:
            path.mkdir(parents=True, exist_ok=True)
        except FileExistsError:
            raise UsageFault(f"{path} is a file, not a folder") from None
        except OSError as error:
            raise fault_of(error, path) from None

    def check(self, path: Path) -> None:
        """Refuse a path that exists already, unless `force` is set; never replace what is no file."""
        _no_url(path)
        if undone := undo_unfinished(path.parent):
            REMOVED.extend(each for each in undone if each not in REMOVED)
        if path.is_dir():
            raise UsageFault(f"{path} is a folder; name a file")
        if path.exists() and not path.is_file():
            raise UsageFault(f"{path} is a device or a pipe, which no file can replace; --out - is standard output")
        if path.exists() and not self.force:
            raise UsageFault(f"{path} exists already; --force overwrites it")

    def open(self, path: Path) -> IO[bytes]:
        """Open a new file for writing bytes; it gets its name when the set is complete.

        A link stays, and what it leads to is replaced; a file that is replaced leaves its mode to the new one.
        """
        self.check(path)
        target = Path(os.path.realpath(path)) if path.is_symlink() else path
        temporary = part_of(target, mark())
        try:
            _remove_abandoned(target)
            stream = temporary.open("xb")
            if target.exists():
                temporary.chmod(stat.S_IMODE(target.stat().st_mode))
        except OSError as error:
            raise fault_of(error, path) from None
        wrapped = compressing(path, stream)
        self.files.append((target, temporary, wrapped))
        return wrapped

    def size(self) -> int:
        """Return about how many bytes the files have so far."""
        return sum(part.stat().st_size for _, part, _ in self.files)

    def complete(self) -> dict[Path, Path]:
        """Close the files, which have no names yet; return where the bytes of each path are until then."""
        for _, _, stream in self.files:
            stream.close()
        return {path: temporary for path, temporary, _ in self.files}

    def drop(self) -> None:
        """Give no file its name: all are removed on leaving the set."""
        self.dropped = True

    def __enter__(self) -> NewFiles:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if error is None and not self.dropped:
            try:
                for _, temporary, stream in self.files:
                    stream.close()
                    if len(self.files) > 1:
                        synced(temporary)
                self._rename()
                return
            except BaseException as fault:
                # Also an interrupt: what has no name yet gets none.
                self._remove()
                if not isinstance(fault, OSError):
                    raise
                raise fault_of(fault, fault.filename2 or fault.filename or self.files[-1][0]) from None
        self._remove()
        if isinstance(error, OSError) and not isinstance(error, BrokenPipeError):
            # What has no name is a failed write.
            raise fault_of(error, error.filename or (self.files[-1][0] if self.files else "output")) from None

    def _rename(self) -> None:
        """Give all files their names; if one cannot have it, the others get back what was there."""
        done: list[tuple[Path, Path | None]] = []
        targets = [path for path, _, _ in self.files] if len(self.files) > 1 else []
        notes = [note_in(each) for each in dict.fromkeys(target.parent for target in targets)]
        try:
            write_notes(targets)
            for path, temporary, _ in self.files:
                before = _kept(path, temporary) if targets else None
                done.append((path, before))
                os.replace(temporary, path)
        except BaseException:
            for path, before in done:
                with contextlib.suppress(OSError):
                    if before is not None:
                        os.replace(before, path)
                        # Two names of one file are not replaced by each other.
                        before.unlink(missing_ok=True)
                    elif not any(path == own and temporary.exists() for own, temporary, _ in self.files):
                        path.unlink()
            _unlinked(notes)
            raise
        _unlinked([*(before for _, before in done if before is not None), *notes])

    def _remove(self) -> None:
        for _, temporary, stream in self.files:
            with contextlib.suppress(OSError):
                stream.close()
            with contextlib.suppress(OSError):
                temporary.unlink()
        # Those inside others first.
        for folder in sorted(self.folders, key=lambda each: -len(each.parts)):
            with contextlib.suppress(OSError):
                folder.rmdir()


def _no_url(path: Path) -> None:
    """Refuse a URL that has been taken for a path, which has one slash only where a URL has two."""
    if is_url(str(path).replace(":/", "://", 1)):
        raise UsageFault(f"{path}: a file or a folder is needed here, not a URL")


def _remove_abandoned(path: Path) -> None:
    """Remove the parts of a file that processes have left which were ended by force."""
    for part in _parts_in(path.parent).pop(path.name, ()):
        if is_dead(owner_of(part)):
            part.unlink(missing_ok=True)
            REMOVED.append(part)


@cache
def _parts_in(folder: Path) -> dict[str, list[Path]]:
    """Return the parts in a folder by the names of their files; a run with many files looks once."""
    found: dict[str, list[Path]] = {}
    for part in folder.glob(f".*{PART}"):
        found.setdefault(part.name[1:].removesuffix(PART).rpartition(".")[0], []).append(part)
    return found


def _kept(path: Path, temporary: Path) -> Path | None:
    """Return another name for the file that is there, so that it can be put back; None if there is none."""
    before = temporary.with_suffix(BEFORE)
    if not path.exists():
        return None
    try:
        os.link(path, before)
    except OSError:
        # A file system without links: the file is copied.
        shutil.copy2(path, before)
    return before


def _unlinked(paths: list[Path]) -> None:
    """Remove files as far as possible."""
    for each in paths:
        with contextlib.suppress(OSError):
            each.unlink()


def synced(path: Path) -> None:
    """Wait until a file is on the disk."""
    # The file may not be writable for its owner, as the one that it replaces; Windows asks for that.
    handle = os.open(path, os.O_RDWR if os.name == "nt" else os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def existing(path: Path) -> Path:
    """Return a folder, or the nearest one around it that exists."""
    return next(each for each in (path.absolute(), *path.absolute().parents) if each.is_dir())


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
