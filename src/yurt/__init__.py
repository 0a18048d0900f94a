"""Yurt: realistic synthetic records from a schema, for software tests.

    import yurt
    schema = yurt.read("huts.yaml")
    table = yurt.table(schema, "stay", rows=(1, 100))    # a pyarrow.Table

Everything heavy is imported when it is needed.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Sequence
    from datetime import date
    from pathlib import Path

    import pyarrow

    from yurt.core.model import Schema

__version__ = "0.1.0"


def read(path: str | Path, variants: Sequence[str] = ()) -> Schema:
    """Return the schema of a file; raise `yurt.core.errors.YurtError` with every mistake in it.

    `variants` are names of those that the file describes.
    """
    from pathlib import Path

    from yurt.core.language.reader import read_file

    return read_file(Path(path), None, variants)[0]


def table(
    schema: Schema,
    record: str,
    rows: tuple[int, int] | None = None,
    *,
    seed: int | None = None,
    today: date | None = None,
    count: int | None = None,
) -> pyarrow.Table:
    """Return rows of a record type; `rows` are the first and the last, counted from 1, else all of them."""
    import pyarrow

    from yurt.core.engine.blocks import block
    from yurt.core.engine.run import Run, RunOptions
    from yurt.core.text.forms import text_of

    run = Run(schema, RunOptions(seed, today, count), only=record)
    first, last = rows or (1, run.table(record).count)
    batch = block(run, record, first - 1, min(last, run.table(record).count))
    # How texts are encoded depends on the rows at hand; here every text column is a plain one.
    columns = [text_of(each) if pyarrow.types.is_dictionary(each.type) else each for each in batch.columns]
    return pyarrow.Table.from_arrays(columns, names=batch.schema.names)
