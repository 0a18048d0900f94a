"""Makes texts that follow a pattern."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from yurt.core import model
from yurt.core.columns.column import Column
from yurt.core.engine.item_lookup import lookup
from yurt.core.engine.matching import different, drawn, numbered
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.model.restriction import left_of_pattern


def matching(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """Texts of the pattern; each at most once if the field is unique."""
    head = phrase.head
    assert isinstance(head, model.Matching)
    left = left_of_pattern(head.pattern, phrase.narrowed) if phrase.narrowed is not None else head.pattern
    assert left is not None
    if isinstance(left, model.OneOf):
        column_of, size = lookup(left.values), len(left.values)

        def listed(batch: BatchScope) -> Column:
            rank = batch.rank(field.name)
            return column_of((batch.unit(field.name, "value") * size).astype(np.int64) if rank is None else rank)

        return listed
    pattern = left

    def make(batch: BatchScope) -> Column:
        if (rank := batch.rank(field.name)) is not None:
            return numbered(pattern, batch, rank)
        if field.unique:
            return different(pattern, batch, field.name)
        return drawn(pattern, batch, field.name, "value")

    return make


MAKES = {model.Matching: matching}
