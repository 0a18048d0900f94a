"""Record batches: blocks of rows of one record type as Arrow data."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyarrow as pa

from yurt.core.engine.run import Run
from yurt.core.engine.table import Resolved

BLOCK = 1 << 15


def block(run: Run, name: str, start: int, stop: int) -> pa.RecordBatch:
    """Return the rows `start` to `stop` (exclusive, counted from 0) of a record type, hidden fields left out."""
    table = run.table(name)
    rows = np.arange(start, stop, dtype=np.uint64)
    resolved = Resolved(table, rows)
    shown = table.record.shown
    arrays = [resolved.field(each.name).arrow(len(rows)) for each in shown]
    return pa.RecordBatch.from_arrays(arrays, names=[each.title for each in shown])


def ranges(start: int, stop: int, size: int = BLOCK) -> Iterator[tuple[int, int]]:
    """Yield the blocks of a range of rows; their borders are the same for every range, so caches fit."""
    while start < stop:
        end = min((start // size + 1) * size, stop)
        yield start, end
        start = end
