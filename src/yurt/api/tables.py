"""Records as Arrow tables."""

from __future__ import annotations

import os
from datetime import date

import pyarrow

from yurt.core.base.errors import UsageFault
from yurt.core.base.nearest import no_record_type
from yurt.core.base.threads import in_order
from yurt.core.engine.blocks import block, ranges, slice_of
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
    """Return rows of a record type; `rows` are the first and the last, counted from 1. The default is all rows.

    The rows are generated in blocks, which are the chunks of the table. Tables of one schema refer to each other, even
    if neither the schema nor `seed` sets the seed: it is drawn once for each schema. Raises YurtError with the message
    of the command line, and its subclass UsageFault for wrong arguments.
    """
    _check(schema, record, seed, count)
    run = Run(schema, RunOptions(seed, today, count), only=record)
    total = run.table(record).count
    spans = ranges(*slice_of(rows, total, record), rows_a_block(run.widths[record]))
    made = [data for _, data in in_order(lambda span: _plain(block(run, record, *span)), spans, os.cpu_count() or 1)]
    return pyarrow.Table.from_batches(made or [_plain(block(run, record, 0, 0))])


def _check(schema: Schema, record: str, seed: int | None, count: int | None) -> None:
    if not isinstance(schema, Schema):
        raise UsageFault(f"the schema is what `yurt.read` returns, not {type(schema).__name__}")
    if record not in schema.records:
        raise UsageFault(no_record_type(str(record), schema.records))
    for name, value, most in (("seed", seed, 10**18 - 1), ("count", count, 10**15)):
        if value is not None and (not isinstance(value, int) or not 0 <= value <= most):
            raise UsageFault(f"`{name}` is {value!r}, not a whole number from 0 to {most:,}")


def _plain(batch: pyarrow.RecordBatch) -> pyarrow.RecordBatch:
    """Return texts as plain columns: whether a column is dictionary-encoded depends on its rows."""
    columns = [text_of(each) if pyarrow.types.is_dictionary(each.type) else each for each in batch.columns]
    return pyarrow.RecordBatch.from_arrays(columns, names=batch.schema.names)
