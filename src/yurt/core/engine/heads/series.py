"""Makes time series."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from yurt.core import model
from yurt.core.columns.column import Column, cast, constant
from yurt.core.columns.evaluate import arithmetic_of, evaluate
from yurt.core.columns.faults import OUT_OF_YEARS, refuse
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.model.expressions import Duration

SECOND = 1_000_000
# Days, months, and microseconds beyond the years 1 to 9999.
FARTHEST = {"days": 4_000_000, "period": 120_000, "duration": 4 * 10**17}


def every(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """The start plus one step for each earlier row of the same parent, plus or minus the jitter."""
    head = phrase.head
    assert isinstance(head, model.TimeSeries)
    kind = table.run.plan.types[table.record.name, field.name]
    step = constant(head.step)

    def make(batch: BatchScope) -> Column:
        past = batch.rows if table.family is None else table.family.places(batch.rows)[1]
        far = past > np.uint64(FARTHEST[step.type.name] // max(abs(int(step.values)), 1))
        refuse(batch.rows, far, OUT_OF_YEARS)
        so_far = Column(step.type, past.astype(np.int64) * step.values)
        found = cast(arithmetic_of("+", evaluate(head.start, batch), so_far, batch), kind)
        if not head.jitter:
            return found
        # A jitter of whole seconds moves by whole seconds.
        unit = SECOND if head.jitter % SECOND == 0 else 1
        width = 2 * (head.jitter // unit) + 1
        moved = (batch.unit(field.name, "jitter") * width).astype(np.int64) * unit - head.jitter
        return cast(arithmetic_of("+", found, Column(constant(Duration(microseconds=1)).type, moved), batch), kind)

    return make


MAKES = {model.TimeSeries: every}
