"""From an existing file to a new one: blocks are read, made, and rendered on thread pools, and written in order.

Memory does not grow with the number of rows, because only a few blocks exist at a time.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pyarrow as pa

from yurt.core.base.threads import in_order
from yurt.core.base.working_folder import working_folder
from yurt.core.engine.blocks import ranges
from yurt.core.engine.resolved import Resolved
from yurt.core.engine.run import Run
from yurt.core.engine.structs import titles
from yurt.core.existing.columns import Existing, refused
from yurt.core.existing.distinct import Distinct, plain_text
from yurt.core.existing.layout import ExistingLayout
from yurt.core.existing.lines import Lines
from yurt.core.existing.matching import Matching
from yurt.core.existing.more_rows import MoreRows
from yurt.core.existing.nesting import nested_titles, together
from yurt.core.existing.rows import FileBlock, FileRows, part_of
from yurt.core.existing.shuffling import Shuffled, shuffled, shuffles
from yurt.core.existing.values import Seen
from yurt.core.formats.common.format import Book, Format, Rendered, Writer
from yurt.core.formats.common.raw import Reading, absent
from yurt.core.keyed.ff1 import LEAST_DOMAIN
from yurt.core.writing.runs import rows_a_block


class Rewriting:
    """Writes the rows of a file again, with the fields of a record type in place of its columns."""

    def __init__(
        self, run: Run, file: Existing, rows: FileRows, form: Format, found: dict[str, Seen], unmatched: str = "drawn"
    ) -> None:  # fmt: skip
        """`rows` are those that the run reads from; `found` are the types of columns, as far as they are known.

        `unmatched` says what becomes of new values where the catalogue does not know what a row says.
        """
        self.run, self.file, self.rows, self.form = run, file, rows, form
        self.record = run.schema.records[file.record]
        self.lines = Lines(self.record, form, found, Matching(run.table(file.record), unmatched))
        self.written = 0
        # The records inside those of the file that are written as such again.
        self.nested = file.nested if form.nests else ()
        # Columns in another order, rows that go on below, and rows that are compared, if there are any.
        self.shuffled: Shuffled | None = None
        self.count = 0
        self.more: MoreRows | None = None
        self.distinct: Distinct | None = None

    def notes(self) -> list[str]:
        """Return sentences for the summary."""
        notes = [each.words(self.lines.matching.choice) for each in self.lines.matching.matches.values()]
        notes += [
            f"`{name}`: {count:,} values are not of its form, and are left out"
            for name, count in self.lines.lost.items()
        ]
        for name, cipher in self.run.small_domains.items():
            if cipher.small:
                told = f"a form with fewer than {LEAST_DOMAIN:,} possible values is too small for FF1"
                notes.append(f"`{name}`: {told}; a keyed permutation encrypts it")
        if self.distinct is not None:
            count = self.distinct.left_out
            were = "row was there before, and is left out" if count == 1 else "rows were there before, and are left out"
            notes.append(f"{count:,} {were}")
        if self.more is not None:
            notes += self.more.notes()
        return notes

    def write(
        self, book: Book, workers: int, progress: Callable[[int], None], target: Path | None = None
    ) -> int:  # fmt: skip
        """Write all rows into a file, and return their number; what is read twice lies beside the `target` meanwhile.
        Raises YurtError for a file that cannot be read.
        """
        with working_folder(target) as folder:
            if shuffles(self.record) and self.run.secret is not None:
                self.shuffled = shuffled(self.file, self.record, self.run.secret, folder)
            return self._write(book, workers, progress)

    def _write(self, book: Book, workers: int, progress: Callable[[int], None]) -> int:
        names = nested_titles(titles(self.record, nests=self.form.nests), self.nested)
        writer = book.writer(self.record, names)
        with self.file.open() as stream:
            blocks = self._blocks(self.file.reading(stream), workers)
            if self.distinct is None:
                for _, parts in in_order(lambda block: self._rendered(writer, block), blocks, workers):
                    for size, part in parts:
                        self._put(writer, part, size, progress)
            else:
                for size, part in self._of_distinct(writer, blocks, workers, self.distinct):
                    self._put(writer, part, size, progress)
        writer.finish(self.empty)
        return self.written

    def first_rows(self, count: int) -> tuple[dict[str, list[str | None]], dict[str, list[str | None]]]:
        """Return the columns of the first rows as texts, before and after."""
        with working_folder() as folder, self.file.open() as stream:
            if shuffles(self.record) and self.run.secret is not None:
                self.shuffled = shuffled(self.file, self.record, self.run.secret, folder)
            block = next(self._blocks(self.file.reading(stream), 1), None)
            if block is None:
                return {title: [] for title in self.file.titles}, {}
            size = min(block.size, count)
            part = FileBlock(0, size, {title: part_of(raw, 0, size) for title, raw in block.raws.items()})
            self.rows.enter(part)
            batch = self.made(part, 0, size)
            before = {title: part.raws[title].texts.to_pylist() for title in self.file.titles}
            columns = zip(batch.schema.names, batch.columns, strict=True)
            after = {name: plain_text(column).to_pylist() for name, column in columns}
            return before, after

    def empty(self) -> pa.RecordBatch:
        """Return the new columns without rows."""
        nothing = FileBlock(0, 0, {title: absent(0) for title in (*self.file.titles, *self.file.nested)})
        return self.made(nothing, 0, 0)

    def _put(self, writer: Writer, part: Rendered, size: int, progress: Callable[[int], None]) -> None:
        writer.put(part)
        self.written += size
        progress(size)

    def _blocks(self, reading: Reading, workers: int) -> Iterator[FileBlock]:
        """Yield the rows of the file, and then those that go on below."""
        start = 0
        for _, block in in_order(reading.block, reading.pieces(), workers):
            if reading.faults:
                break
            raws = self.file.raws(block)
            raws |= self.shuffled.part(start, block.size) if self.shuffled is not None else {}
            found = FileBlock(start, block.size, raws)
            if self.more is not None:
                self.more.take(found)
            yield found
            start += block.size
        if reading.faults:
            raise refused(self.file.name, reading.faults, self.file.open)
        if self.more is not None:
            yield from self.more.blocks(self.count)

    def _parts(self, block: FileBlock) -> Iterator[tuple[int, pa.RecordBatch]]:
        """Yield the new rows of a block, some at a time, with the number of the first."""
        self.rows.enter(block)
        try:
            size = rows_a_block(self.run.widths[self.record.name])
            for at, stop in ranges(block.start, block.start + block.size, size):
                yield at, self.made(block, at, stop)
        finally:
            self.rows.leave(block)

    def _rendered(self, writer: Writer, block: FileBlock) -> list[tuple[int, Rendered]]:
        return [(batch.num_rows, writer.rendered(batch, at)) for at, batch in self._parts(block)]

    def _of_distinct(
        self, writer: Writer, blocks: Iterator[FileBlock], workers: int, distinct: Distinct
    ) -> Iterator[tuple[int, Rendered]]:  # fmt: skip
        """Yield rendered rows without those that were there before: rows are compared in their order."""

        def left() -> Iterator[tuple[int, pa.RecordBatch]]:
            start = 0
            for _, parts in in_order(lambda block: list(self._parts(block)), blocks, workers):
                for _, batch in parts:
                    kept = distinct.first_ones(batch)
                    if kept.num_rows:
                        yield start, kept
                    start += kept.num_rows

        for (_, batch), part in in_order(lambda each: writer.rendered(each[1], each[0]), left(), workers):
            yield batch.num_rows, part

    def made(self, block: FileBlock, start: int, stop: int) -> pa.RecordBatch:
        """Return the rows `start` to `stop` (exclusive, counted from the first row of the file)."""
        resolved = Resolved(self.run.table(self.record.name), np.arange(start, stop, dtype=np.uint64))
        layout = ExistingLayout(self.lines, block, start, stop, resolved)
        columns = layout.columns("", "")
        if self.nested:
            raws = {path: part_of(block.raws[path], start - block.start, stop - start) for path in self.nested}
            columns = together(columns, self.nested, raws, self.form)
        return pa.RecordBatch.from_arrays([column for _, column in columns], names=[title for title, _ in columns])
