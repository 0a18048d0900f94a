"""From an existing file to a new one: blocks are read, made, and rendered on thread pools, and written in order.

Memory does not grow with the number of rows, because only a few blocks exist at a time.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yurt.core.base.arrays import arrow, flags, nothing
from yurt.core.base.threads import in_order
from yurt.core.engine.blocks import ranges
from yurt.core.engine.resolved import Resolved
from yurt.core.engine.run import Run
from yurt.core.engine.structs import Layout, titles
from yurt.core.existing.columns import Existing, refused
from yurt.core.existing.matching import Matching
from yurt.core.existing.rows import FileBlock, FileRows, passed_on
from yurt.core.existing.shuffling import Shuffled, shuffled, shuffles
from yurt.core.existing.values import Seen
from yurt.core.formats.common.format import Book, Format, TextFormat
from yurt.core.formats.common.raw import BOOLEAN, NULL, Raw, absent
from yurt.core.keyed.ff1 import LEAST_DOMAIN
from yurt.core.model import Field, FromColumn, Phrase, Treatment
from yurt.core.model.expressions import Name
from yurt.core.text.forms import text_of
from yurt.core.writing.runs import rows_a_block


class Rewriting:
    """Writes the rows of a file again, with the fields of a record type in place of its columns."""

    def __init__(
        self, run: Run, file: Existing, rows: FileRows, form: Format, found: dict[str, Seen], unmatched: str = "drawn"
    ) -> None:  # fmt: skip
        """`rows` are those that the run reads from; `found` are the types of columns, as far as they are known.

        `unmatched` says what becomes of new values where the catalogue does not know what a row says.
        """
        self.run, self.file, self.rows, self.form, self.found = run, file, rows, form, found
        self.record = run.schema.records[file.record]
        self.matching = Matching(run.table(file.record), unmatched)
        self.written = 0
        # How many values of each treated column have no result, such as texts that are no numbers.
        self.lost: dict[str, int] = {}
        self._lock = Lock()
        # Columns in another order, if there are any.
        self.shuffled: Shuffled | None = None

    def notes(self) -> list[str]:
        """Return sentences for the summary."""
        notes = [each.words(self.matching.choice) for each in self.matching.matches.values()]
        notes += [
            f"`{name}`: {count:,} values are not of its form, and are left out" for name, count in self.lost.items()
        ]
        for name, cipher in self.run.small_domains.items():
            if cipher.small:
                told = f"{cipher.small:,} different values are of forms with fewer than {LEAST_DOMAIN:,} possible ones"
                notes.append(f"`{name}`: {told}, too few for FF1; a keyed permutation encrypts them")
        return notes

    def write(self, book: Book, workers: int, progress: Callable[[int], None]) -> int:
        """Write all rows into a file, and return their number. Raises YurtError for a file that cannot be read."""
        with tempfile.TemporaryDirectory(prefix="yurt-") as folder:
            if shuffles(self.record) and self.run.secret is not None:
                self.shuffled = shuffled(self.file, self.record, self.run.secret, Path(folder))
            return self._write(book, workers, progress)

    def _write(self, book: Book, workers: int, progress: Callable[[int], None]) -> int:
        writer = book.writer(self.record, titles(self.record, nests=self.form.nests))
        with self.file.open() as stream:
            reading = self.file.reading(stream)

            def blocks() -> Iterator[FileBlock]:
                start = 0
                for _, block in in_order(reading.block, reading.pieces(), workers):
                    if reading.faults:
                        break
                    raws = dict(zip(self.file.titles, block.columns.values(), strict=True))
                    raws |= self.shuffled.part(start, block.size) if self.shuffled is not None else {}
                    yield FileBlock(start, block.size, raws)
                    start += block.size
                if reading.faults:
                    raise refused(self.file.name, reading.faults, self.file.open)

            def rendered(block: FileBlock) -> list[tuple[int, Any]]:
                self.rows.enter(block)
                try:
                    size = rows_a_block(self.run.widths[self.record.name])
                    spans = ranges(block.start, block.start + block.size, size)
                    return [(stop - at, writer.rendered(self.made(block, at, stop), at)) for at, stop in spans]
                finally:
                    self.rows.leave(block)

            for _, parts in in_order(rendered, blocks(), workers):
                for size, part in parts:
                    writer.put(part)
                    self.written += size
                    progress(size)
        nothing = FileBlock(0, 0, {title: absent(0) for title in self.file.titles})
        writer.finish(lambda: self.made(nothing, 0, 0))
        return self.written

    def count_lost(self, name: str, count: int) -> None:
        """Add to the number of values without a result."""
        with self._lock:
            self.lost[name] = self.lost.get(name, 0) + count

    def title_of(self, head: Treatment) -> str:
        """Return the title of the column that a treatment is about."""
        assert isinstance(head.original, Name)
        body = self.record.by_name[head.original.name].body
        assert isinstance(body, Phrase)
        assert isinstance(body.head, FromColumn)
        return body.head.title

    def made(self, block: FileBlock, start: int, stop: int) -> pa.RecordBatch:
        """Return the rows `start` to `stop` (exclusive, counted from the first row of the file)."""
        resolved = Resolved(self.run.table(self.record.name), np.arange(start, stop, dtype=np.uint64))
        layout = _Layout(self, block, start, stop, resolved)
        columns = layout.columns("", "")
        return pa.RecordBatch.from_arrays([column for _, column in columns], names=[title for title, _ in columns])


class _Layout(Layout):
    """The columns of a block; those without a line are as they are in the file."""

    def __init__(self, whole: Rewriting, block: FileBlock, start: int, stop: int, resolved: Resolved) -> None:
        form = whole.form
        super().__init__(resolved, whole.record.shown, stop - start, form.typed, form.nests)
        self.whole, self.block, self.start = whole, block, start
        self.unknown = whole.matching.unknown_in(resolved, start)

    def _column(self, field: Field) -> pa.Array:
        if not untouched(field):
            column = super()._column(field)
            if (mask := self.unknown.get(field.name)) is not None:
                return pc.if_else(arrow(mask), nothing(column.type), column)
            self._count_lost(field, column)
            return self._as_before(field, column)
        head = field.head
        assert isinstance(head, FromColumn)
        at, raw = self.start - self.block.start, self.block.raws[head.title]
        part = part_of(raw, at, self.rows)
        return passed_on(part, self.whole.form, self.whole.found.get(head.title))

    def _count_lost(self, field: Field, column: pa.Array) -> None:
        """Count the values of a treated column that have no result."""
        body = field.body
        if not isinstance(body, Phrase) or not isinstance(body.head, Treatment) or field.present_if or body.missing:
            return
        raw = self.block.raws[self.whole.title_of(body.head)]
        at = self.start - self.block.start
        count = int((~raw.missing[at : at + self.rows] & flags(pc.is_null(column))).sum()) if column.null_count else 0
        if count:
            self.whole.count_lost(field.name, count)

    def _as_before(self, field: Field, column: pa.Array) -> pa.Array:
        """Return the results of a treatment in the type that the originals have: numbers stay numbers."""
        head = field.head
        if not isinstance(head, Treatment) or not head.keeps_type:
            return column
        title = self.whole.title_of(head)
        texts = text_of(column)
        raw = part_of(self.block.raws[title], self.start - self.block.start, self.rows)
        sorts = np.where(flags(pc.is_valid(texts)), np.maximum(raw.sorts, BOOLEAN), NULL).astype(np.uint8)
        found = self.whole.found.get(title)
        if raw.array is not None and not isinstance(self.whole.form, TextFormat):
            return pc.cast(texts, raw.array.type)
        return passed_on(Raw(texts, sorts), self.whole.form, found)


def untouched(field: Field) -> bool:
    """Return whether a field is a column of the file as it is there."""
    body = field.body
    if not isinstance(body, Phrase) or not isinstance(body.head, FromColumn):
        return False
    return field.present_if is None and field.shown is None and not body.missing


def part_of(raw: Raw, start: int, size: int) -> Raw:
    """Return some neighbouring values."""
    stop = start + size
    objects = None if raw.objects is None else raw.objects[start:stop]
    array = None if raw.array is None else raw.array[start:stop]
    return Raw(raw.texts[start:stop], raw.sorts[start:stop], objects, array)
