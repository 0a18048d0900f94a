"""The rows of a record type in parts that travel: functions that any engine for many machines can call."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from uuid import uuid4

import pyarrow

from yurt.api.arguments import check_record_type, check_schema, check_whole, run_options
from yurt.api.tables import plain
from yurt.core.base.data_classes import dataclass, replace
from yurt.core.engine.blocks import block, ranges
from yurt.core.engine.family import Ends
from yurt.core.engine.run import Run, RunOptions
from yurt.core.model import Schema
from yurt.core.writing.parts import MOST_PARTS
from yurt.core.writing.runs import rows_a_block

# The runs that a process keeps for parts of the same call.
KEPT = 4
_RUNS: dict[str, Run] = {}


@dataclass(frozen=True)
class Shared:
    """What the parts of one call have in common: schema, options, and the sums over parents, which are made once."""

    key: str
    schema: Schema
    options: RunOptions
    record: str
    sums: Mapping[str, Ends]

    @property
    def run(self) -> Run:
        """The run, prepared once in each process."""
        if self.key not in _RUNS:
            while len(_RUNS) >= KEPT:
                _RUNS.pop(next(iter(_RUNS)))
            _RUNS[self.key] = Run(self.schema, self.options, only=self.record, sums=self.sums)
        return _RUNS[self.key]


@dataclass(frozen=True)
class Part:
    """A function without arguments that returns its rows as a pyarrow.Table. It can be pickled, and is pure: any
    process that has the same version of Yurt makes the same rows, as often as it is called.

    `rows` are the first and the last one, counted from 1; the last is 0 if there are none.
    """

    shared: Shared
    number: int
    rows: tuple[int, int]

    def __call__(self) -> pyarrow.Table:
        """Return the rows."""
        run, name = self.shared.run, self.shared.record
        spans = ranges(self.rows[0] - 1, self.rows[1], rows_a_block(run.widths[name]))
        return pyarrow.Table.from_batches([plain(block(run, name, *span)) for span in spans] or [self._empty(run)])

    def _empty(self, run: Run) -> pyarrow.RecordBatch:
        return plain(block(run, self.shared.record, 0, 0))


def parts(
    schema: Schema, record_type: str, number: int, *, seed: int | None = None, today: date | None = None,
    count: int | None = None, scale: float = 1.0,
) -> list[Part]:  # fmt: skip
    """Return `number` functions, each of which returns an equal share of the rows of a record type as a table.

    They can be sent to other processes and machines, and called in any order; their tables in the order of the list are
    `yurt.table` of all rows. Seed and day are fixed here. Raises YurtError with the message of the command line.

    >>> schema = read_text("{yurt: 1, seed: 1, records: {hut: {count: 9, fields: {beds: 'integer 8..140'}}}}")
    >>> [part()["beds"].to_pylist() for part in parts(schema, "hut", 4)]
    [[37, 104], [26, 95], [37, 19], [45, 12, 127]]
    """
    check_schema(schema)
    check_record_type(schema, record_type)
    check_whole("number", number or 0, 1, MOST_PARTS)
    run = Run(schema, run_options(seed, today, count, scale), only=record_type)
    options = replace(run.options, seed=run.seed, today=run.today)
    shared = Shared(uuid4().hex, schema, options, record_type, run.sums)
    total = run.table(record_type).count
    ends = [total * at // number for at in range(number + 1)]
    return [Part(shared, at + 1, (ends[at] + 1, ends[at + 1])) for at in range(number)]
