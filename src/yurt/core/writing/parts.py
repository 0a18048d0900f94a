"""The rows of record types in numbered files, each complete by itself."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path

from yurt.core.base.data_classes import dataclass
from yurt.core.base.digests import sha256_of
from yurt.core.base.errors import UsageFault
from yurt.core.base.streams import COMPRESSED
from yurt.core.writing.receipt import Made

# A run in more parts would only count them.
MOST_PARTS = 1_000_000


@dataclass(frozen=True)
class Part:
    """Some rows of a record type (start, and stop exclusive, counted from 0), and the file that they go to."""

    record: str
    path: Path
    rows: tuple[int, int]


def parts_of(record: str, path: Path, rows: tuple[int, int], most: int | None) -> Iterator[Part]:
    """Yield the files of some rows: one, or numbered ones with at most so many rows each.

    Raises UsageFault for too many files.
    """
    start, stop = rows
    if most is None or stop - start <= most:
        yield Part(record, path, rows)
        return
    begins = range(start, stop, most)
    if len(begins) > MOST_PARTS:
        raise UsageFault(f"{record}: {len(begins):,} files are more than {MOST_PARTS:,}; put more rows into each")
    width = len(str(len(begins)))
    for number, begin in enumerate(begins, 1):
        yield Part(record, labelled(path, f"{number:0{width}}"), (begin, min(begin + most, stop)))


def labelled(path: Path, label: str) -> Path:
    """Return a path whose name has something added, in front of its suffixes."""
    suffixes = "".join(path.suffixes[-2:]) if path.suffix.lower() in COMPRESSED else path.suffix
    return path.with_name(f"{path.name.removesuffix(suffixes)}-{label}{suffixes}")


def rows_a_part(slices: Mapping[str, tuple[int, int]], parts: int) -> int:
    """Return the rows of a part if the largest record type has so many parts."""
    largest = max(stop - start for start, stop in slices.values())
    return max(-(-largest // parts), 1)


def made_of(part: Part, path: Path) -> Made:
    """Return what a receipt says of a part whose bytes are at a path."""
    return Made(part.path.name, path.stat().st_size, sha256_of(path), part.rows[1] - part.rows[0])
