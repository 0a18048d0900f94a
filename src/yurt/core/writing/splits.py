"""The rows of a record type in several files: with a limit to the size of each, or one for each value of a field."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from threading import Lock
from typing import IO

import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import word
from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import UsageFault
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.threads import in_order
from yurt.core.engine.blocks import block, ranges
from yurt.core.engine.run import Run
from yurt.core.formats.common.format import Book, Format, Rendered, TextFormat, TextWriter, Writer
from yurt.core.text.forms import text_of
from yurt.core.writing.runs import rows_a_block

MOST_FILES = 1000
# What the file of rows without a value is called.
WITHOUT = "without"
# Opens a file by what is added to its name.
Opener = Callable[[str], tuple[Path, IO[bytes]]]


@dataclass
class Part:
    """A file that was written: its rows and bytes."""

    path: Path
    rows: int = 0
    size: int = 0


def write_by_size(
    run: Run, name: str, rows: tuple[int, int], kind: Format, limit: int, opened: Opener, workers: int,
    progress: Callable[[int], None],
) -> list[Part]:  # fmt: skip
    """Write rows into numbered files of at most `limit` bytes each; return them.

    Raises UsageFault for a format that is not a text, and for a row that is larger by itself.
    """
    if not isinstance(kind, TextFormat):
        raise UsageFault(f"--size-per-file needs a format of texts, such as csv, not `{kind.name}`")
    ending = len(kind.encoding.encoded(kind.ending(1)))
    between = len(kind.encoding.encoded(kind.separator))
    made = _batches(run, name, kind)
    names = made(rows[0], rows[0]).schema.names
    found: list[Part] = []
    writer: TextWriter | None = None

    def rendered(start: int, stop: int) -> bytes | pa.Buffer:
        return kind.block(name, made(start, stop), start)

    def begun() -> TextWriter:
        path, out = opened(f"{len(found) + 1:04}")
        found.append(Part(path))
        own = kind.writer(out, run.schema.records[name], names)
        assert isinstance(own, TextWriter)
        return own

    def put(start: int, stop: int, data: bytes | pa.Buffer) -> None:
        nonlocal writer
        if writer is not None and writer.size + between + len(data) + ending > limit:
            finish(writer)
            writer = None
        opening = 0 if writer is not None else len(kind.encoding.mark) + len(kind.opening(name, names).encode())
        if writer is None and opening + len(data) + ending > limit:
            if stop - start == 1:
                raise UsageFault(f"{name}, row {start + 1:,} takes {opening + len(data) + ending:,} bytes by itself")
            middle = (start + stop) // 2
            for first, last in ((start, middle), (middle, stop)):
                put(first, last, rendered(first, last))
            return
        writer = writer or begun()
        writer.put(data)
        found[-1].rows += stop - start
        progress(stop - start)

    def finish(own: TextWriter) -> None:
        own.finish(lambda: made(rows[0], rows[0]))
        found[-1].size = own.size

    few = max(1, limit // 4 // max(run.widths[name], 1))
    spans = ranges(*rows, min(rows_a_block(run.widths[name]), 1 << (few.bit_length() - 1)))
    for (start, stop), data in in_order(lambda span: rendered(*span), spans, workers):
        put(start, stop, data)
    finish(writer or begun())
    return found


def write_by_value(
    run: Run, name: str, rows: tuple[int, int], kind: Format, field: str, opened: Opener, workers: int,
    progress: Callable[[int], None],
) -> list[Part]:  # fmt: skip
    """Write rows into a file for each value of a field; return the files.

    Raises UsageFault for an unknown field, for more than a thousand values, and for two with the same file name.
    """
    record = run.schema.records[name]
    columns = {record.column(each.name): each for each in record.shown}
    if field not in columns:
        hint = did_you_mean(field, columns) or ", ".join(columns)
        raise UsageFault(f"--file-per: `{name}` has no field `{field}`; {hint}")
    made = _batches(run, name, kind)
    shown = made(rows[0], rows[0]).schema.names
    if field not in shown:
        raise UsageFault(f"--file-per: `{field}` is inside a record; {kind.name} has no column for it")
    open_files = _Files(kind, run, name, shown, opened, field)

    def rendered(start: int, stop: int) -> list[tuple[str, int, Rendered]]:
        batch = made(start, stop)
        texts = pc.fill_null(text_of(batch.column(shown.index(field))), word(""))
        found = []
        for value in pc.unique(texts).to_pylist():
            own = pc.filter(batch, pc.equal(texts, word(value)))
            found.append((value, own.num_rows, open_files.writer(value).rendered(own, start)))
        return found

    spans = ranges(*rows, rows_a_block(run.widths[name]))
    for (start, stop), blocks in in_order(lambda span: rendered(*span), spans, workers):
        for value, size, data in blocks:
            open_files.writer(value).put(data)
            open_files.parts[value].rows += size
        progress(stop - start)
    return open_files.finish(lambda: made(rows[0], rows[0]))


class _Files:
    """The open files by value; they are opened by whichever thread needs them first."""

    def __init__(self, kind: Format, run: Run, name: str, columns: list[str], opened: Opener, field: str) -> None:
        self.kind, self.record, self.columns, self.opened, self.field = (
            kind, run.schema.records[name], columns, opened, field,
        )  # fmt: skip
        self.parts: dict[str, Part] = {}
        self.labels: set[str] = set()
        self.books: dict[str, tuple[Book, Writer]] = {}
        self.lock = Lock()

    def writer(self, value: str) -> Writer:
        """Return the writer of a value."""
        with self.lock:
            if value not in self.books:
                if len(self.books) == MOST_FILES:
                    raise UsageFault(f"--file-per: `{self.field}` has more than {MOST_FILES:,} values")
                label = _file_name(value) if value else f"{WITHOUT}-{_file_name(self.field)}"
                if label in self.labels:
                    raise UsageFault(f"--file-per: two values of `{self.field}` need the same file, {label}")
                self.labels.add(label)
                path, out = self.opened(label)
                book = self.kind.book(out)
                self.books[value] = book, book.writer(self.record, self.columns)
                self.parts[value] = Part(path)
            return self.books[value][1]

    def finish(self, empty: Callable[[], pa.RecordBatch]) -> list[Part]:
        """Complete the files, and return them by name."""
        for value, (book, writer) in self.books.items():
            writer.finish(empty)
            book.close()
            self.parts[value].size = book.size
        return sorted(self.parts.values(), key=lambda each: each.path.name)


def _file_name(value: str) -> str:
    """Return a value as a part of a file name."""
    return "".join(_safe(value))[:100]


def _safe(value: str) -> Iterator[str]:
    for char in value.lstrip("."):
        yield char if char.isalnum() or char in "-_." else "_"


def _batches(run: Run, name: str, kind: Format) -> Callable[[int, int], pa.RecordBatch]:
    return lambda start, stop: block(run, name, start, stop, typed=kind.typed, nests=kind.nests)
