"""The columns of a file before its rows are read: their titles, and the data types of those that are asked for."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import IO

from yurt.core.base.errors import YurtError
from yurt.core.base.threads import in_order
from yurt.core.base.types import TEXT, Type
from yurt.core.existing.values import Seen, seen
from yurt.core.formats.common.format import Format
from yurt.core.formats.common.raw import Block, Fault, Reading, lines_at
from yurt.core.model import Count, Field, FromColumn, Phrase, Record

# The number of names in a list of them that a message shows.
SHOWN = 12


@dataclass(frozen=True, slots=True)
class Existing:
    """An existing file: its name for messages, how to open it, its format, and the titles of its columns."""

    name: str
    open: Callable[[], IO[bytes]]
    form: Format
    record: str
    titles: tuple[str, ...]

    def reading(self, stream: IO[bytes], titles: Iterable[str] | None = None) -> Reading:
        """Return the file as it is read, with all of its columns or only some."""
        return self.form.reading(stream, record_of(self.record, self.titles if titles is None else titles), ())


@dataclass(frozen=True, slots=True)
class Survey:
    """What one pass over a file has found: its number of rows, and the types of columns."""

    rows: int
    types: dict[str, Seen]


def record_of(name: str, titles: Iterable[str]) -> Record:
    """Return a record type with a field of text for each column."""
    fields = (Field(f"column {number}", Phrase(FromColumn(title, TEXT)), named=title, optional=True)
              for number, title in enumerate(titles))  # fmt: skip
    return Record(name, Count(0, 0), tuple(fields))


def existing_file(name: str, opened: Callable[[], IO[bytes]], form: Format, record: str) -> Existing:
    """Return a file with the titles of its columns. Raises YurtError for a file that has none."""
    with opened() as stream:
        titles = form.titles(stream, record) if form.titles is not None else _met(stream, form, name, record)
    if isinstance(titles, Fault):
        raise refused(name, [titles], opened)
    if not titles:
        raise YurtError(f"{name}: there are no columns")
    for title in titles:
        if not title.strip() or any(not each.isprintable() for each in title):
            raise YurtError(f"{name}: column {titles.index(title) + 1} has no name that can be read: {title!r}")
    return Existing(name, opened, form, record, tuple(titles))


def _met(stream: IO[bytes], form: Format, name: str, record: str) -> list[str] | Fault:
    """Return the names in the records of a file, in the order in which they occur."""
    reading = form.reading(stream, record_of(record, [""]), ())
    for piece in reading.pieces():
        reading.block(piece)
    return reading.faults[0] if reading.faults else list(reading.strangers)


def refused(name: str, faults: list[Fault], opened: Callable[[], IO[bytes]]) -> YurtError:
    """Return the error for a file with faults: the first of them, with its line."""
    first = min(faults, key=lambda each: (each.line or 0, each.at or 0))
    line = first.line
    if first.at is not None:
        with opened() as stream:
            line = lines_at(stream, [first.at])[first.at]
    more = f" ({len(faults) - 1:,} more lines are wrong)" if len(faults) > 1 else ""
    return YurtError(f"{name}{f', line {line:,}' if line else ''}: {first.message}{more}")


def survey(file: Existing, titles: Iterable[str], workers: int) -> Survey:
    """Return the number of rows of a file, and the types of some columns, from one pass over it.

    Raises YurtError for a file that cannot be read to its end.
    """
    open_ones = {title: Seen() for title in titles}
    done: dict[str, Seen] = {}
    rows = 0
    asked = list(open_ones) or list(file.titles[:1])
    with file.open() as stream:
        reading = file.reading(stream, asked)

        def looked(piece: object) -> tuple[int, dict[str, Seen]]:
            block: Block = reading.block(piece)
            columns = dict(zip(asked, block.columns.values(), strict=True))
            return block.size, {title: seen(columns[title]) for title in list(open_ones)}

        for _, (size, found) in in_order(looked, reading.pieces(), workers):
            rows += size
            for title, own in found.items():
                if title in open_ones:
                    open_ones[title] = open_ones[title].and_then(own)
                    if open_ones[title].type == TEXT:
                        done[title] = open_ones.pop(title)
        if reading.faults:
            raise refused(file.name, reading.faults, file.open)
    return Survey(rows, {**done, **open_ones})


def type_of(found: Seen | None) -> Type:
    """Return the type of a column: text if nothing else is known."""
    return found.type if found is not None and found.type is not None else TEXT
