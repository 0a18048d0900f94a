"""Record batches: blocks of rows of one record type as Arrow data."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyarrow as pa

from yurt.core.base.errors import UsageFault
from yurt.core.engine.resolved import Resolved
from yurt.core.engine.run import Run
from yurt.core.engine.structs import Layout

BLOCK = 1 << 15


def block(run: Run, name: str, start: int, stop: int, *, typed: bool = True, nests: bool = True) -> pa.RecordBatch:
    """Return the rows `start` to `stop` (exclusive, counted from 0) of a record type, without helper fields.

    A `typed` block ignores `as`, unless it makes texts. Nested records are structs if `nests` is set; otherwise each of
    their fields is a column, named by its path.
    """
    table = run.table(name)
    resolved = Resolved(table, np.arange(start, stop, dtype=np.uint64))
    layout = Layout(resolved, table.record.shown, stop - start, typed, nests)
    columns = layout.columns("", "")
    return pa.RecordBatch.from_arrays([column for _, column in columns], names=[title for title, _ in columns])


def ranges(start: int, stop: int, size: int = BLOCK) -> Iterator[tuple[int, int]]:
    """Yield the blocks of a range of rows; their borders are the same for every range, so that caches fit."""
    while start < stop:
        end = min((start // size + 1) * size, stop)
        yield start, end
        start = end


def slice_of(rows: tuple[int, int] | None, count: int, name: str) -> tuple[int, int]:
    """Return rows given as first and last, counted from 1, as start and stop (exclusive), counted from 0; None means
    all.

    Raises UsageFault for rows that a record type does not have.
    """
    if rows is None:
        return 0, count
    first, last = rows
    if not 1 <= first <= last:
        raise UsageFault(f"`{first}..{last}` is not a range of rows; the first row is 1")
    if last > count:
        missing = first if first > count else count + 1
        raise UsageFault(f"`{name}` has {count:,} rows; row {missing:,} is not there")
    return first - 1, last
