"""Parts in a folder: of this machine, or one that several machines share."""

from __future__ import annotations

import contextlib
import os
import re
import shutil
from collections.abc import Callable
from pathlib import Path

from yurt.core.base.data_classes import dataclass
from yurt.core.base.digests import sha256_of
from yurt.core.base.errors import SurroundingsFault, UsageFault
from yurt.core.base.files import NewFiles, existing, fault_of, synced
from yurt.core.base.unfinished_sets import JOURNAL, PART
from yurt.core.writing.places import Fill, Place

# A part that a worker has written, with the run and the try.
STAGED = re.compile(rf"\.([0-9a-f]{{32}})-[0-9a-f]{{32}}\{PART}$")


@dataclass(frozen=True)
class Folder:
    """A folder of this machine, or one that several machines share."""

    path: Path

    @property
    def name(self) -> str:
        """The path."""
        return str(self.path)

    @property
    def stages(self) -> bool:
        return True

    def everywhere(self) -> Place:
        return Folder(self.path.absolute())

    def prepare(self) -> None:
        try:
            self.path.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise fault_of(error, self.path) from None

    def names(self) -> set[str]:
        if self.path.exists() and not self.path.is_dir():
            raise UsageFault(f"{self.path} is a file; parts need a folder")
        return set(os.listdir(self.path)) if self.path.is_dir() else set()

    def has(self, name: str) -> bool:
        return (self.path / name).exists()

    def read(self, name: str) -> bytes | None:
        try:
            return (self.path / name).read_bytes()
        except (FileNotFoundError, NotADirectoryError):
            return None
        except OSError as error:
            raise fault_of(error, self.path / name) from None

    def write(self, name: str, content: bytes) -> None:
        with NewFiles(force=True) as new:
            new.open(self.path / name).write(content)

    def digest(self, name: str) -> str | None:
        try:
            return sha256_of(self.path / name)
        except FileNotFoundError:
            return None

    def remove(self, name: str) -> None:
        try:
            (self.path / name).unlink(missing_ok=True)
        except OSError as error:
            raise fault_of(error, self.path / name) from None

    def free(self) -> int | None:
        return shutil.disk_usage(existing(self.path)).free

    def put(self, name: str, fill: Fill, ready: Callable[[Path], None], *, force: bool) -> None:
        with NewFiles(force) as files:
            fill(files.open(self.path / name))
            (temporary,) = files.complete().values()
            synced(temporary)
            ready(temporary)

    def _staged(self, name: str, owner: str) -> Path:
        return self.path / f".{name}.{owner}{PART}"

    def stage(self, name: str, owner: str, fill: Fill, ready: Callable[[Path], None]) -> None:
        temporary = self._staged(name, owner)
        try:
            with temporary.open("wb") as out:
                fill(out)
            synced(temporary)
            ready(temporary)
        except BaseException:
            with contextlib.suppress(OSError):
                temporary.unlink()
            raise

    def publish(self, name: str, owner: str) -> None:
        temporary = self._staged(name, owner)
        try:
            os.replace(temporary, self.path / name)
        except FileNotFoundError:
            told = f"{temporary} is not there: workers and client need the same folder"
            raise SurroundingsFault(told) from None

    def discard(self, run: str = "") -> None:
        for each in self.path.glob(f".*-*{PART}"):
            if (told := STAGED.search(each.name)) and run in ("", told[1]):
                with contextlib.suppress(OSError):
                    each.unlink()

    def journal(self) -> bytes | None:
        return self.read(JOURNAL)

    def append(self, lines: bytes, whole: int | None) -> None:
        with (self.path / JOURNAL).open("ab") as stream:
            # The last line may have been cut off where the process was ended.
            if whole is not None:
                stream.truncate(whole)
            stream.write(lines)
            stream.flush()
            os.fsync(stream.fileno())

    def unmark(self) -> None:
        self.remove(JOURNAL)
