"""From a run to a file: blocks are made and rendered on a thread pool and written in order.

Memory does not grow with the number of rows, because only a few blocks exist at a time. NumPy and Arrow release the
interpreter lock while they work, so threads are enough to use all cores.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

import pyarrow as pa

from yurt.core.base.threads import in_order
from yurt.core.engine.blocks import BLOCK, block, ranges
from yurt.core.engine.run import Run
from yurt.core.engine.structs import titles
from yurt.core.formats.common.format import Format

# Blocks of wide records have fewer rows, so that each takes about this many bytes at most.
BLOCK_BYTES = 1 << 26


class Out(Protocol):
    """The destination of the bytes."""

    def write(self, data: bytes | pa.Buffer, /) -> object:
        """Take some bytes."""


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
    """Write the rows of a record type (start, stop exclusive, counted from 0); return the number of bytes.

    `progress` is called with the number of rows of each written block.
    """
    names = titles(run.schema.records[name], nests=kind.nests)
    written = 0

    def rendered(start: int, stop: int) -> pa.Buffer:
        return kind.block(name, block(run, name, start, stop, typed=kind.typed, nests=kind.nests), start)

    # Nothing is written before the first block is made: a schema that makes no rows leaves nothing behind.
    first = True
    spans = ranges(*rows, rows_a_block(run.widths[name]))
    for (start, stop), data in in_order(lambda span: rendered(*span), spans, workers):
        written += _put(out, (kind.opening(name, names) if first else kind.separator).encode())
        first = False
        written += _put(out, data)
        progress(stop - start)
    if first:
        written += _put(out, kind.opening(name, names).encode())
    return written + _put(out, kind.ending(0 if first else 1).encode())


def _put(out: Out, data: bytes | pa.Buffer) -> int:
    if len(data):
        out.write(data)
    return len(data)
