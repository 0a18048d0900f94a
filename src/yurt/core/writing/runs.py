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
    record = run.schema.records[name]
    children = children_of(run.schema, name) if kind.inside else []
    writer = book.writer(record, [*titles(record, nests=kind.nests), *children])

    def made(start: int, stop: int) -> pa.RecordBatch:
        if children:
            return nested_block(run, name, start, stop, typed=kind.typed)
        return block(run, name, start, stop, typed=kind.typed, nests=kind.nests)

    def rendered(start: int, stop: int) -> Any:
        return writer.rendered(made(start, stop), start)

    # Nothing is written before the first block is made: a schema that makes no rows leaves nothing behind.
    width = nested_width(run, name) if children else run.widths[name]
    spans = ranges(*rows, rows_a_block(width))
    for (start, stop), data in in_order(lambda span: rendered(*span), spans, workers):
        writer.put(data)
        progress(stop - start)
    writer.finish(lambda: made(rows[0], rows[0]))
