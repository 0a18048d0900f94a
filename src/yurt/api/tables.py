"""Records as Arrow tables."""

from __future__ import annotations

import os
from datetime import date

import pyarrow

from yurt.core.base.threads import in_order
from yurt.core.engine.blocks import block, ranges
from yurt.core.engine.run import Run, RunOptions
from yurt.core.model import Schema
from yurt.core.text.forms import text_of
from yurt.core.writing.runs import rows_a_block


def table(
    schema: Schema,
    record: str,
    rows: tuple[int, int] | None = None,
    *,
    seed: int | None = None,
    today: date | None = None,
    count: int | None = None,
) -> pyarrow.Table:
    """Return rows of a record type; `rows` are the first and the last, counted from 1, else all of them.

    The rows are made in blocks, which are the chunks of the table. Tables of one schema refer to each other, also where
    neither the schema nor `seed` says the seed: it is drawn once for each schema.
    """
    run = Run(schema, RunOptions(seed, today, count), only=record)
    total = run.table(record).count
    first, last = rows or (1, total)
    size = rows_a_block(run.widths[record])
    spans = ranges(first - 1, min(last, total), size)
    made = [data for _, data in in_order(lambda span: _plain(block(run, record, *span)), spans, os.cpu_count() or 1)]
    return pyarrow.Table.from_batches(made or [_plain(block(run, record, 0, 0))])


def _plain(batch: pyarrow.RecordBatch) -> pyarrow.RecordBatch:
    """Return texts as plain columns: how they are encoded depends on the rows at hand."""
    columns = [text_of(each) if pyarrow.types.is_dictionary(each.type) else each for each in batch.columns]
    return pyarrow.RecordBatch.from_arrays(columns, names=batch.schema.names)
