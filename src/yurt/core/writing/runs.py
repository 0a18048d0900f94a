"""From a run to a file: blocks are made and rendered on a thread pool and written in order.

Memory does not grow with the number of rows, because only a few blocks exist at a time. NumPy and Arrow release the
interpreter lock while they work, so threads are enough to use all cores.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pyarrow as pa

from yurt.core.base.threads import in_order
from yurt.core.engine.blocks import BLOCK, block, ranges
from yurt.core.engine.run import Run
from yurt.core.engine.structs import titles
from yurt.core.formats.common.format import Book, Format, Out
from yurt.core.writing.nested import children_of, nested_block, nested_width

# Blocks of wide records have fewer rows, so that each takes about this many bytes at most.
BLOCK_BYTES = 1 << 26


def rows_a_block(width: int) -> int:
    """Return the number of rows per block for rows of this many bytes: a power of two, whatever rows are requested."""
    rows = BLOCK
    while rows > 1 and rows * width > BLOCK_BYTES:
        rows //= 2
    return rows


def write(
    run: Run,
    name: str,
    rows: tuple[int, int],
    kind: Format,
    out: Out,
    workers: int,
    progress: Callable[[int], None] = lambda rows: None,
) -> int:
    """Write a file with the rows of a record type (start, stop exclusive, counted from 0); return its bytes.

    `progress` is called with the number of rows of each written block.
    """
    book = kind.book(out)
    write_into(book, run, name, rows, kind, workers, progress)
    book.close()
    return book.size


def write_into(
    book: Book,
    run: Run,
    name: str,
    rows: tuple[int, int],
    kind: Format,
    workers: int,
    progress: Callable[[int], None] = lambda rows: None,
) -> None:
    """Write the rows of a record type into a file that may hold others as well."""
    rendering = Rendering(run, name, kind, book)
    # Nothing is written before the first block is made: a schema that makes no rows leaves nothing behind.
    spans = ranges(*rows, rows_a_block(rendering.width))
    for (start, stop), data in in_order(lambda span: rendering.rendered(*span), spans, workers):
        rendering.writer.put(data)
        progress(stop - start)
    rendering.finish(rows[0])


class Rendering:
    """The rows of a record type on their way into a file. `width` is the number of bytes of a row, at most."""

    def __init__(self, run: Run, name: str, kind: Format, book: Book) -> None:
        self.run, self.name, self.kind = run, name, kind
        record = run.schema.records[name]
        self.children = children_of(run.schema, name) if kind.inside else []
        self.writer = book.writer(record, [*titles(record, nests=kind.nests), *self.children])
        self.width = nested_width(run, name) if self.children else run.widths[name]

    def _made(self, start: int, stop: int) -> pa.RecordBatch:
        if self.children:
            return nested_block(self.run, self.name, start, stop, typed=self.kind.typed)
        return block(self.run, self.name, start, stop, typed=self.kind.typed, nests=self.kind.nests)

    def rendered(self, start: int, stop: int) -> Any:
        """Return some rows as the writer takes them; on any thread."""
        return self.writer.rendered(self._made(start, stop), start)

    def finish(self, first: int) -> None:
        """End the rows, the first of which has this number."""
        self.writer.finish(lambda: self._made(first, first))
