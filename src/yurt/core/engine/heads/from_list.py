"""Makes values from the rows of a value list."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from yurt.core import model
from yurt.core.columns.column import Column
from yurt.core.engine.item_lookup import lookup
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.engine.value_lists import list_rows


def from_list(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """A column of the record's row in a value list."""
    head = phrase.head
    assert isinstance(head, model.FromList)
    listed = table.run.schema.lists[head.name]
    column_of = lookup(listed.column(head.column))
    gaps = listed.gaps(head.column)
    if not gaps:
        return lambda batch: column_of(list_rows(table, head.name, phrase)(batch))
    empty = np.zeros(listed.size, dtype=np.bool_)
    empty[list(gaps)] = True

    def with_gaps(batch: BatchScope) -> Column:
        rows = list_rows(table, head.name, phrase)(batch)
        return column_of(rows).with_nulls(empty[rows])

    return with_gaps


MAKES = {model.FromList: from_list}
