"""Records as Arrow tables and as data frames."""

from __future__ import annotations

import os
from datetime import date
from typing import TYPE_CHECKING

import pyarrow

from yurt.api.arguments import check_record_type, run_options
from yurt.core.base.errors import SurroundingsFault
from yurt.core.base.threads import in_order
from yurt.core.engine.blocks import block, ranges, slice_of
from yurt.core.engine.run import Run
from yurt.core.model import Schema
from yurt.core.text.forms import text_of
from yurt.core.writing.runs import rows_a_block

if TYPE_CHECKING:
    import pandas


def table(
    schema: Schema,
    record_type: str,
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

    >>> schema = read_text("{yurt: 1, seed: 1, records: {hut: {count: 9, fields: {beds: 'integer 8..140'}}}}")
    >>> table(schema, "hut", rows=(1, 3))["beds"].to_pylist()
    [37, 104, 26]
    """
    check_record_type(schema, record_type)
    run = Run(schema, run_options(seed, today, count), only=record_type)
    total = run.table(record_type).count
    spans = ranges(*slice_of(rows, total, record_type), rows_a_block(run.widths[record_type]))
    made = [
        data for _, data in in_order(lambda span: plain(block(run, record_type, *span)), spans, os.cpu_count() or 1)
    ]
    return pyarrow.Table.from_batches(made or [plain(block(run, record_type, 0, 0))])


def frame(
    schema: Schema,
    record_type: str,
    rows: tuple[int, int] | None = None,
    *,
    seed: int | None = None,
    today: date | None = None,
    count: int | None = None,
) -> pandas.DataFrame:
    """Return rows of a record type as a pandas data frame, with the arguments of `table`.

    Columns keep their types: whole numbers stay whole where values are missing, decimals are exact. Raises
    SurroundingsFault if pandas is not installed.

    >>> schema = read_text("{yurt: 1, seed: 1, records: {hut: {count: 9, fields: {beds: 'integer 8..140'}}}}")
    >>> frame(schema, "hut", rows=(1, 3))["beds"].sum()
    167
    """
    try:
        import pandas
    except ImportError:
        raise SurroundingsFault("`yurt.frame` needs pandas; install it, or use `yurt.table`") from None
    found = table(schema, record_type, rows, seed=seed, today=today, count=count)
    return found.to_pandas(types_mapper=pandas.ArrowDtype)


def plain(batch: pyarrow.RecordBatch) -> pyarrow.RecordBatch:
    """Return texts as plain columns: whether a column is dictionary-encoded depends on its rows."""
    columns = [text_of(each) if pyarrow.types.is_dictionary(each.type) else each for each in batch.columns]
    return pyarrow.RecordBatch.from_arrays(columns, names=batch.schema.names)
