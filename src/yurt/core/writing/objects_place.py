"""Parts in an object store, or in another file system that Arrow reaches by a URL."""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
import tempfile
import time
from collections.abc import Callable, Iterator
from functools import cached_property
from io import BytesIO
from pathlib import Path
from typing import IO, TYPE_CHECKING
from uuid import uuid4

from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import SurroundingsFault, UsageFault
from yurt.core.base.unfinished_sets import JOURNAL, PART
from yurt.core.base.urls import is_url, secrets_in, without_secrets
from yurt.core.formats import by_any_suffix
from yurt.core.writing.folder_place import Folder
from yurt.core.writing.places import Fill, Place

if TYPE_CHECKING:
    from pyarrow.fs import FileSystem

SCHEMES = ("s3", "gs", "gcs", "hdfs", "viewfs", "abfs", "abfss", "file")
# Where a file is not there before it is whole.
WHOLE = ("s3", "gcs", "abfs")
# The lines behind the first one of a journal, because nothing can be added to a file.
LINES = "yurt-unfinished/"
PIECE = 1 << 22


@dataclass(frozen=True)
class Objects:
    """A place that Arrow reaches by a URL, where a file appears when it is whole: `s3://`, `gs://`, HDFS."""

    url: str

    @property
    def name(self) -> str:
        """The URL without its secrets."""
        return without_secrets(self.url)

    def __getstate__(self) -> dict[str, object]:
        # Each process connects for itself.
        return {"url": self.url}

    @cached_property
    def _opened(self) -> tuple[FileSystem, str]:
        # Seldom needed, and slow to import.
        from pyarrow.fs import FileSystem

        with self._faults():
            found, base = FileSystem.from_uri(self.url)
        return found, base.rstrip("/")

    @contextlib.contextmanager
    def _faults(self) -> Iterator[None]:
        """Return errors as one message, in which no password is."""
        try:
            yield
        except FileNotFoundError:
            raise
        except (OSError, ValueError) as fault:
            told = " ".join(str(fault).split())
            raise SurroundingsFault(f"{self.name}: {without_secrets(told, secrets_in(self.url))[:300]}") from None

    @property
    def _renames(self) -> bool:
        """Whether a file is there before it is whole, so that it needs another name until then."""
        return self._opened[0].type_name not in WHOLE

    @property
    def stages(self) -> bool:
        return False

    def everywhere(self) -> Place:
        return self

    def prepare(self) -> None:
        found, base = self._opened
        if self._renames:
            # An object store has no folders.
            with self._faults():
                found.create_dir(f"{base}/{LINES}", recursive=True)

    def _listed(self, below: str = "") -> list[str]:
        from pyarrow.fs import FileSelector, FileType

        found, base = self._opened
        with self._faults():
            told = found.get_file_info(FileSelector(f"{base}/{below}".rstrip("/"), allow_not_found=True))
        return [each.base_name for each in told if each.type == FileType.File]

    def names(self) -> set[str]:
        return set(self._listed())

    def has(self, name: str) -> bool:
        from pyarrow.fs import FileType

        found, base = self._opened
        with self._faults():
            return bool(found.get_file_info(f"{base}/{name}").type != FileType.NotFound)

    def read(self, name: str) -> bytes | None:
        found, base = self._opened
        try:
            with self._faults(), found.open_input_stream(f"{base}/{name}") as stream:
                content: bytes = stream.read()
                return content
        except FileNotFoundError:
            return None

    def write(self, name: str, content: bytes) -> None:
        self._upload(name, BytesIO(content), len(content))

    def _upload(self, name: str, source: IO[bytes], size: int) -> None:
        found, base = self._opened
        folder, slash, own = name.rpartition("/")
        target = f"{base}/{folder}{slash}.{own}.{uuid4().hex}{PART}" if self._renames else f"{base}/{name}"
        with self._faults():
            with found.open_output_stream(target) as out:
                shutil.copyfileobj(source, out, PIECE)
            if found.get_file_info(target).size != size:
                with contextlib.suppress(OSError):
                    found.delete_file(target)
                raise OSError(f"{name} did not arrive as a whole")
            if self._renames:
                found.move(target, f"{base}/{name}")

    def digest(self, name: str) -> str | None:
        found, base = self._opened
        own = hashlib.sha256()
        try:
            with self._faults(), found.open_input_stream(f"{base}/{name}") as stream:
                while piece := stream.read(PIECE):
                    own.update(piece)
        except FileNotFoundError:
            return None
        return own.hexdigest()

    def remove(self, name: str) -> None:
        found, base = self._opened
        with contextlib.suppress(FileNotFoundError), self._faults():
            found.delete_file(f"{base}/{name}")

    def free(self) -> int | None:
        return None

    def put(self, name: str, fill: Fill, ready: Callable[[Path], None], *, force: bool) -> None:
        if not force and self.has(name):
            raise UsageFault(f"{self.name}/{name} exists already; --force overwrites it")
        self.stage(name, "", fill, ready)

    def stage(self, name: str, owner: str, fill: Fill, ready: Callable[[Path], None]) -> None:
        # The bytes are made here first: what breaks off must not become a part.
        with tempfile.TemporaryDirectory(prefix="yurt-part-") as place:
            path = Path(place) / name
            with path.open("wb") as out:
                fill(out)
            ready(path)
            with path.open("rb") as source:
                self._upload(name, source, path.stat().st_size)

    def publish(self, name: str, owner: str) -> None:
        """It has its name: a file appears when it is whole, and all workers make the same bytes."""

    def discard(self, run: str = "") -> None:
        """Nothing is without a name."""

    def journal(self) -> bytes | None:
        first = self.read(JOURNAL)
        if first is None:
            return None
        return first + b"".join(self.read(f"{LINES}{name}") or b"" for name in sorted(self._listed(LINES)))

    def append(self, lines: bytes, whole: int | None) -> None:
        if not self.has(JOURNAL):
            self.write(JOURNAL, lines)
        else:
            self.write(f"{LINES}{time.time_ns():020}-{uuid4().hex}", lines)

    def unmark(self) -> None:
        found, base = self._opened
        # The first line goes last.
        for each in self._listed(LINES):
            self.remove(f"{LINES}{each}")
        with contextlib.suppress(FileNotFoundError), self._faults():
            found.delete_dir(f"{base}/{LINES}".rstrip("/"))
        self.remove(JOURNAL)


def place_of(out: str) -> Place:
    """Return the place of a path or a URL. Raises UsageFault for that of something else."""
    if not is_url(out):
        path = Path(out)
        if path.suffix.lower() in by_any_suffix() and not path.is_dir() and not out.endswith(("/", os.sep)):
            raise UsageFault(f"{out} names one file; parts need a folder: {path.with_suffix('')}/")
        return Folder(path)
    scheme = out.partition("://")[0].lower()
    if scheme not in SCHEMES:
        raise UsageFault(
            f"{without_secrets(out)}: parts go to a folder, or to {', '.join(f'{each}://' for each in SCHEMES)}"
        )
    return Objects(out)
