"""Sets of files whose process was ended by force while they got their names: the next run takes them back.

While several files get their names, each of their folders has a note with what belongs to the set. A note that is left
behind by a dead process means that some of the files may have new names and some not.
"""

from __future__ import annotations

import contextlib
import json
import os
from functools import cache
from pathlib import Path

from yurt.core.base.processes import is_dead, mark

PART, BEFORE = ".part", ".before"
# What marks the folder of a run in parts: as long as it is not finished, and then. No record type has such a name.
JOURNAL, IN_FOLDER = "yurt-unfinished.jsonl", "yurt-receipt.json"
NOTE = ".renames.{}" + PART


def part_of(target: Path, owner: str) -> Path:
    """Return the name of a new file until it gets its own; `owner` is the mark of its process."""
    return target.with_name(f".{target.name}.{owner}{PART}")


def owner_of(part: Path) -> str:
    """Return the mark of the process in the name of a part or a note."""
    return part.name.removesuffix(PART).rpartition(".")[2]


def note_in(folder: Path) -> Path:
    """Return the path of this process's note in a folder."""
    return folder / NOTE.format(mark())


def write_notes(targets: list[Path]) -> None:
    """Write the notes of a set whose parts are complete."""
    owner = mark()
    parts = [str(part_of(each, owner).absolute()) for each in targets]
    for folder in dict.fromkeys(each.parent for each in targets):
        files = {each.name: _identity(part_of(each, owner)) for each in targets if each.parent == folder}
        note_in(folder).write_text(json.dumps({"files": files, "parts": parts}), "utf-8")


@cache
def undo_unfinished(folder: Path) -> tuple[Path, ...]:
    """Take back the sets in a folder that dead processes have left; return the files that are again as before.

    A file that has changed since then stays, and so does whatever a note has no business with.
    """
    found: list[Path] = []
    for note in folder.glob(NOTE.format("*")):
        if not is_dead(owner_of(note)):
            continue
        with contextlib.suppress(OSError, ValueError, TypeError, AttributeError, KeyError):
            told = json.loads(note.read_text("utf-8"))
            complete = not any(os.path.lexists(each) for each in told["parts"])
            for name, identity in told["files"].items():
                if name == os.path.basename(name):
                    found += _undone(folder / name, owner_of(note), identity, complete)
        with contextlib.suppress(OSError):
            note.unlink()
    return tuple(found)


def _undone(target: Path, owner: str, identity: list[int], complete: bool) -> list[Path]:
    part = part_of(target, owner)
    before = part.with_suffix(BEFORE)
    if complete or part.exists() or not target.exists() or _identity(target) != identity:
        part.unlink(missing_ok=True)
        before.unlink(missing_ok=True)
        return []
    if before.exists():
        os.replace(before, target)
    else:
        target.unlink()
    return [target]


def _identity(path: Path) -> list[int]:
    told = path.stat()
    return [told.st_dev, told.st_ino, told.st_size, told.st_mtime_ns]
