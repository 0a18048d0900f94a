"""More rows of parents than a run would have, so that each case finds the row it refers to."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.data_classes import replace
from yurt.core.base.errors import YurtError
from yurt.core.cases.asked_of_parents import Asked
from yurt.core.engine.run import Run, RunOptions
from yurt.core.model import Record, Schema

# How often the rows of the topmost parent are doubled to give all cases a parent.
MOST_DOUBLINGS = 12
# The maximum number of rows that a record type gets so that one of them meets the requirements of a case.
MOST_ROWS = 4096
# The topmost parent of a record type, and its number of rows.
Root = tuple[str, int]


def with_parents(schema: Schema, options: RunOptions, per: str, wanted: int) -> tuple[Schema, Root | None]:
    """Return a schema with at least this many rows of a parent: those of the run, and more behind them."""
    root = _root_of(schema, per)
    grown: Root | None = None
    if root.count.combinations:
        return schema, None
    own = Run(schema, options, per).table(root.name).count
    for _ in range(MOST_DOUBLINGS):
        if Run(schema, options, per).table(per).count >= wanted:
            break
        own = max(own * 2, 1)
        try:
            more = with_count(schema, root, own)
            Run(more, options, per)
        except YurtError:
            # A unique field has no more values.
            break
        schema, grown = more, (root.name, own)
    return schema, grown


def with_rows_asked_for(schema: Schema, options: RunOptions, wanted: Asked) -> tuple[Schema, Root | None, int]:
    """Return a schema in which a record type has enough rows for each case to find one, as far as possible; and the
    number of rows that were searched.
    """
    root = _root_of(schema, wanted.target)
    run = Run(schema, options, wanted.target)
    searched = run.table(wanted.target).count
    if root.count.combinations:
        return schema, None, searched
    own, fewest = run.table(root.name).count, _unmet(wanted, run)
    best: tuple[Schema, Root | None] = schema, None
    while fewest and own < MOST_ROWS:
        own = max(own * 2, 1)
        try:
            more = with_count(schema, root, own)
            run = Run(more, options, wanted.target)
            left = _unmet(wanted, run)
        except YurtError:
            # A unique field has no more values.
            break
        searched = run.table(wanted.target).count
        if left < fewest:
            fewest, best = left, (more, (root.name, own))
    return *best, searched


def _unmet(wanted: Asked, run: Run) -> int:
    """Return the number of cases without a row of their own, as far as a row has room for a limited number of cases."""
    used: NDArray[np.int64] = np.zeros(run.table(wanted.target).count, dtype=np.int64)
    unmet = 0
    for rows in sorted(wanted.rows(run).values(), key=len):
        free = rows[used[rows] < wanted.room] if wanted.room else rows
        used[free[:1]] += 1
        unmet += not len(free)
    return unmet


def _root_of(schema: Schema, name: str) -> Record:
    """Return the topmost record type above one whose rows are counted per parent."""
    root = schema.records[name]
    while root.count.per is not None:
        root = schema.records[root.count.per]
    return root


def with_record(schema: Schema, record: Record) -> Schema:
    """Return a schema with one record type replaced."""
    return replace(schema, records={**schema.records, record.name: record})


def with_count(schema: Schema, record: Record, rows: int) -> Schema:
    """Return a schema in which a record type has a given number of rows."""
    return with_record(schema, replace(record, count=replace(record.count, low=rows, high=rows)))
