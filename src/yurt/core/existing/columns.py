"""The columns of a file before its rows are read: their titles, and the data types of those that are asked for."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import IO

from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import YurtError
from yurt.core.base.threads import in_order
from yurt.core.base.types import TEXT, Type
from yurt.core.existing.values import Seen, seen
from yurt.core.formats.common.format import Format, TextFormat
from yurt.core.formats.common.raw import NULL, OBJECT, Block, Fault, Raw, Reading, lines_at
from yurt.core.model import Count, Field, FromColumn, Nested, Phrase, Record

# The number of names in a list of them that a message shows.
SHOWN = 12
# The maximum depth of records inside records.
DEEPEST = 20


@dataclass(frozen=True)
class Existing:
    """An existing file: its name for messages, how to open it, its format, and the titles of its columns.

    A record inside a record has a column for each of its own values, titled by the path to it; `nested` are the paths
    of such records, outer ones first.
    """

    name: str
    open: Callable[[], IO[bytes]]
    form: Format
    record: str
    titles: tuple[str, ...]
    nested: tuple[str, ...] = ()

    def reading(self, stream: IO[bytes], titles: Iterable[str] | None = None) -> Reading:
        """Return the file as it is read, with all of its columns or only some."""
        return self.form.reading(stream, record_of(self.record, self._read(titles), self.nested), ())

    def _read(self, titles: Iterable[str] | None) -> Iterable[str]:
        """Return the columns that are read to have some: lines of a layout are read as a whole."""
        by_layout = isinstance(self.form, TextFormat) and self.form.by_layout
        return self.titles if by_layout or not titles else titles

    def raws(self, block: Block, titles: Iterable[str] | None = None) -> dict[str, Raw]:
        """Return the columns of a block by title, and nested records by path."""
        names = _names(self._read(titles), self.nested)
        return {path: block.columns[name] for path, name in names.items() if name in block.columns}


@dataclass(frozen=True)
class Survey:
    """What one pass over a file has found: its number of rows, and the types of columns."""

    rows: int
    types: dict[str, Seen]


def record_of(name: str, titles: Iterable[str], nested: Iterable[str] = ()) -> Record:
    """Return a record type with a field of text for each column, inside nested records as their paths say."""
    around = set(nested)
    fields = []
    for path, own in _names(titles, nested).items():
        title = path[len(_around(path, around)) :].lstrip(".") if _around(path, around) else path
        head = Nested() if path in around else FromColumn(path, TEXT)
        fields.append(Field(own, Phrase(head), named=title, optional=True))
    return Record(name, Count(0, 0), tuple(fields))


def _around(path: str, nested: set[str]) -> str:
    """Return the path of the record around a value; empty for a value of the row itself."""
    return max((each for each in nested if path.startswith(each + ".")), key=len, default="")


def _names(titles: Iterable[str], nested: Iterable[str]) -> dict[str, str]:
    """Return a name for the field of each path; nested records come before what is in them."""
    around, found = set(nested), dict[str, str]()

    def add(path: str) -> str:
        if path not in found:
            outer = _around(path, around)
            own = f"column{len(found)}"
            found[path] = f"{add(outer)}.column{len(found)}" if outer else own
        return found[path]

    for path in (*titles, *around):
        add(path)
    return found


def existing_file(
    name: str, opened: Callable[[], IO[bytes]], form: Format, record: str, *, empty: bool = False
) -> Existing:  # fmt: skip
    """Return a file with the titles of its columns. Raises YurtError for one without any, unless it may be `empty`."""
    nested: tuple[str, ...] = ()
    with opened() as stream:
        if form.titles is not None:
            titles = form.titles(stream, record)
        else:
            titles, nested = _met(stream, form, record)
    if isinstance(titles, Fault):
        raise refused(name, [titles], opened)
    if not titles and not empty:
        raise YurtError(f"{name}: there are no columns")
    for title in titles:
        if not title.strip() or any(not each.isprintable() for each in title):
            raise YurtError(f"{name}: column {titles.index(title) + 1} has no name that can be read: {title!r}")
    return Existing(name, opened, form, record, tuple(titles), nested)


def _met(stream: IO[bytes], form: Format, record: str) -> tuple[list[str] | Fault, tuple[str, ...]]:
    """Return the names in the records of a file, in the order in which they occur, and the records inside them.

    Each pass over the file knows the names of one level more.
    """
    # All paths in their order; those of nested records stand in for what is in them until that is known.
    paths: list[str] = []
    nested: list[str] = []
    for _ in range(DEEPEST):
        leaves = [each for each in paths if each not in nested]
        names = _names(leaves or [""], nested)
        reading = form.reading(stream, record_of(record, leaves or [""], nested), ())
        objects, others = dict.fromkeys(leaves, 0), set[str]()
        for piece in reading.pieces():
            block = reading.block(piece)
            for path in leaves:
                sorts = block.columns[names[path]].sorts
                objects[path] += int((sorts == OBJECT).sum())
                if ((sorts > NULL) & (sorts != OBJECT)).any():
                    others.add(path)
        if reading.faults:
            return reading.faults[0], ()
        inside = [path for path, count in objects.items() if count and path not in others]
        if not reading.strangers and not inside:
            return leaves, tuple(nested)
        for each in nested:
            if each in paths:
                own = [one for one in reading.strangers if one.startswith(each + ".")]
                at = paths.index(each)
                paths[at : at + 1] = own
        paths += [each for each in reading.strangers if each not in paths]
        nested += inside
    return Fault(None, f"records inside records, {DEEPEST} levels deep"), ()


def refused(name: str, faults: list[Fault], opened: Callable[[], IO[bytes]]) -> YurtError:
    """Return the error for a file with faults: the first of them, with its line."""
    first = min(faults, key=lambda each: (each.line or 0, each.at or 0))
    line = first.line
    if first.at is not None:
        with opened() as stream:
            line = lines_at(stream, [first.at])[first.at]
    more = f" ({len(faults) - 1:,} more lines are wrong)" if len(faults) > 1 else ""
    return YurtError(f"{name}{f', line {line:,}' if line else ''}: {first.message}{more}")


def survey(file: Existing, titles: Iterable[str], workers: int, count: bool = True) -> Survey:
    """Return the number of rows of a file, and the types of some columns, from one pass over it.

    Without need to `count` the rows, the pass ends when all types are known; the number is -1 then.

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
            columns = file.raws(block, asked)
            return block.size, {title: seen(columns[title]) for title in list(open_ones)}

        for _, (size, found) in in_order(looked, reading.pieces(), workers):
            rows += size
            for title, own in found.items():
                if title in open_ones:
                    open_ones[title] = open_ones[title].and_then(own)
                    if open_ones[title].type == TEXT:
                        done[title] = open_ones.pop(title)
            if not count and not open_ones:
                return Survey(-1, done)
        if reading.faults:
            raise refused(file.name, reading.faults, file.open)
    return Survey(rows, {**done, **open_ones})


def type_of(found: Seen | None) -> Type:
    """Return the type of a column: text if nothing else is known."""
    return found.type if found is not None and found.type is not None else TEXT
