"""Makes running numbers."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from yurt.core import model
from yurt.core.base.types import INTEGER
from yurt.core.columns.column import Column
from yurt.core.engine.scope import BatchScope, TableScope

# Values in lists get numbers of their own: the row's number times this, plus their position in the list.
APART = np.uint64(1024)


def sequence(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """`start`, `start + step`, … by row number."""
    head = phrase.head
    assert isinstance(head, model.Sequence)

    def make(batch: BatchScope) -> Column:
        # In a list of records, it numbers the records of one list.
        rows = batch.rows % APART if batch.inside else batch.rows
        return Column(INTEGER, rows.astype(np.int64) * head.step + head.start)

    return make


MAKES = {model.Sequence: sequence}
