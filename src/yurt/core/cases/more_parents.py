"""Record types with more rows than a run gives them: so many that each case finds the row that it refers to."""

from __future__ import annotations

from dataclasses import replace

from yurt.core.base.errors import YurtError
from yurt.core.cases.asked_of_parents import Asked
from yurt.core.engine.run import Run, RunOptions
from yurt.core.model import Record, Schema

# How often the rows of the topmost parent are doubled, so that there are enough parents for all cases.
MOST_DOUBLINGS = 12
# Rows that a record type is given at most so that one meets what a case asks for.
MOST_ROWS = 4096
# The topmost parent of some record type, and how many rows it has.
Root = tuple[str, int]


def with_parents(schema: Schema, options: RunOptions, per: str, wanted: int) -> tuple[Schema, Root | None]:
    """Return a schema with so many rows of a parent at least: those of the run, and others behind them."""
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
            # There are no more different ones.
            break
        schema, grown = more, (root.name, own)
    return schema, grown


def with_rows_asked_for(schema: Schema, options: RunOptions, wanted: Asked) -> tuple[Schema, Root | None]:
    """Return a schema in which a record type has so many rows that each case finds one, as far as that can be."""
    root = _root_of(schema, wanted.target)
    if root.count.combinations:
        return schema, None
    run = Run(schema, options, wanted.target)
    own, fewest = run.table(root.name).count, _unmet(wanted, run)
    best: tuple[Schema, Root | None] = schema, None
    while fewest and own < MOST_ROWS:
        own = max(own * 2, 1)
        try:
            more = with_count(schema, root, own)
            left = _unmet(wanted, Run(more, options, wanted.target))
        except YurtError:
            # There are no more different ones.
            break
        if left < fewest:
            fewest, best = left, (more, (root.name, own))
    return best


def _unmet(wanted: Asked, run: Run) -> int:
    return sum(not len(rows) for rows in wanted.rows(run).values())


def _root_of(schema: Schema, name: str) -> Record:
    """Return the topmost of the record types of which rows of another one are children."""
    root = schema.records[name]
    while root.count.per is not None:
        root = schema.records[root.count.per]
    return root


def with_record(schema: Schema, record: Record) -> Schema:
    """Return a schema with another record type in the place of one of that name."""
    return replace(schema, records={**schema.records, record.name: record})


def with_count(schema: Schema, record: Record, rows: int) -> Schema:
    """Return a schema in which a record type has so many rows."""
    return with_record(schema, replace(record, count=replace(record.count, low=rows, high=rows)))
