"""The folder of a run in parts, while it is not finished: a journal marks it, with the run and every finished part.

The journal comes first and goes last, when the receipt is there. Each line of it is on the disk before the part that
it is about gets its name. So a run that is ended at any moment leaves parts that are whole, and a folder that says of
itself that it is not complete.
"""

from __future__ import annotations

import json
import os
from collections.abc import Iterable
from pathlib import Path
from typing import IO

from yurt.core.base.data_classes import dataclass, replace
from yurt.core.base.digests import sha256_of
from yurt.core.base.errors import UsageFault
from yurt.core.base.files import fault_of
from yurt.core.base.json_object import JsonObject
from yurt.core.base.threads import in_order
from yurt.core.base.unfinished_sets import IN_FOLDER, JOURNAL
from yurt.core.writing.receipt import Made, Receipt, read_receipt
from yurt.core.writing.request import Request

# The files that a message names.
TOLD = 5


@dataclass(frozen=True)
class Begun:
    """What the first line of a journal says: the digest of the schema, the options, and what the clock and chance
    decided.
    """

    schema: str
    request: Request
    force: bool

    def as_data(self) -> JsonObject:
        """Return it as plain data."""
        return {"yurt-unfinished": 1, "schema": self.schema, "options": self.request.as_data(), "force": self.force}


class Journal:
    """The journal of a folder: the run that began in it, and its finished parts by their names."""

    def __init__(self, folder: Path, begun: Begun, done: dict[str, Made], whole: int = 0) -> None:
        """`whole` is the number of bytes in whole lines: what is behind them was cut off."""
        self.folder, self.begun, self.done, self.whole = folder, begun, done, whole
        self._stream: IO[bytes] | None = None

    @classmethod
    def begin(cls, folder: Path, begun: Begun) -> Journal:
        """Mark a folder, which is made if it is not there."""
        try:
            folder.mkdir(parents=True, exist_ok=True)
            journal = cls(folder, begun, {})
            journal._append(begun.as_data())
        except OSError as error:
            raise fault_of(error, folder) from None
        return journal

    @classmethod
    def found(cls, folder: Path) -> Journal | None:
        """Return the journal of a folder; None if it has none. Raises UsageFault for a file of another kind."""
        path = folder / JOURNAL
        try:
            lines = path.read_bytes().splitlines(keepends=True)
        except (FileNotFoundError, NotADirectoryError):
            return None
        except OSError as error:
            raise fault_of(error, path) from None
        # The last line may be cut off where the process was ended.
        whole = [each for each in lines if each.endswith(b"\n")]
        try:
            first, *rest = map(json.loads, whole)
            begun = Begun(str(first["schema"]), Request.of_data(first["options"]), bool(first["force"]))
            done = {made.name: made for made in map(Made.of_data, rest)}
        except (ValueError, TypeError, KeyError, AttributeError):
            if not whole:
                # Nothing was made before its first line.
                return None
            raise UsageFault(f"{path} is not the journal of a run; remove it to begin anew") from None
        return cls(folder, begun, done, sum(map(len, whole)))

    def note(self, *made: Made) -> None:
        """Add parts whose bytes are on the disk."""
        self._append(*(each.as_data() for each in made))
        self.done |= {each.name: each for each in made}

    def end(self) -> None:
        """Remove the mark."""
        self.close()
        # Another process may have finished the same run.
        (self.folder / JOURNAL).unlink(missing_ok=True)

    def close(self) -> None:
        """Leave the mark, and write no more."""
        if self._stream is not None:
            self._stream.close()
            self._stream = None

    def _append(self, *lines: JsonObject) -> None:
        if self._stream is None:
            # Opened when it is needed: to look into a folder changes nothing in it.
            self._stream = (self.folder / JOURNAL).open("ab")
            self._stream.truncate(self.whole)
        self._stream.write(b"".join(json.dumps(each, ensure_ascii=False).encode() + b"\n" for each in lines))
        self._stream.flush()
        os.fsync(self._stream.fileno())


def missing_and_changed(folder: Path, files: Iterable[Made], workers: int) -> tuple[list[str], list[str]]:
    """Return the names of files that are not in a folder any more, and of those that have other bytes."""

    def digest(made: Made) -> str | None:
        try:
            return sha256_of(folder / made.name)
        except FileNotFoundError:
            return None

    missing, changed = [], []
    for made, found in in_order(digest, files, workers):
        if found is None:
            missing.append(made.name)
        elif found != made.sha256:
            changed.append(made.name)
    return missing, changed


def finished(folder: Path) -> Receipt | None:
    """Return the receipt of a finished run in parts; None if there is none."""
    return read_receipt(folder / IN_FOLDER) if (folder / IN_FOLDER).is_file() else None


def continued(folder: Path, request: Request) -> Request:
    """Return a request with the seed and the day of the run in a folder, if there is one, as far as it has none."""
    if (receipt := finished(folder)) is not None:
        before = receipt.request
    elif (journal := Journal.found(folder)) is not None:
        before = journal.begun.request
    else:
        return request
    seed = before.seed if request.seed is None else request.seed
    return replace(request, seed=seed, today=request.today or before.today)


def remove(folder: Path, files: Iterable[Made]) -> None:
    """Remove the files of an earlier run, and at last its receipt or its journal."""
    for path in (*(folder / each.name for each in files), folder / IN_FOLDER, folder / JOURNAL):
        try:
            path.unlink(missing_ok=True)
        except OSError as error:
            raise fault_of(error, path) from None


def named(names: list[str]) -> str:
    """Return some names for a message."""
    more = f", and {len(names) - TOLD:,} more" if len(names) > TOLD else ""
    return ", ".join(names[:TOLD]) + more
