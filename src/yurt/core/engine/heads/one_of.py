"""Makes values of a list."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from yurt.core import model
from yurt.core.base.types import REAL
from yurt.core.columns.column import Column, cast
from yurt.core.columns.evaluate import evaluate
from yurt.core.engine.item_lookup import lookup
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.model.restriction import left_of_list
from yurt.core.sampling import grids
from yurt.core.sampling.weights import weighted


def one_of(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """A value of the list, by its weights or by a distribution over the order of the list."""
    head, usually = phrase.head, phrase.usually
    assert isinstance(head, model.OneOf)
    left = left_of_list(head, phrase.narrowed)
    assert left is not None
    head, size = left, len(left.values)
    by_weight = weighted(np.array(head.weights)) if head.weighted else None
    column_of = lookup(head.values)

    def make(batch: BatchScope) -> Column:
        if (rank := batch.rank(field.name)) is not None:
            return column_of(rank)
        u = batch.unit(field.name, "value")
        if by_weight is not None:
            return column_of(by_weight(u))
        if usually is None or usually.name == "uniform":
            return column_of((u * size).astype(np.int64))
        assert isinstance(usually, model.NamedDistribution)
        arguments = [cast(evaluate(each, batch), REAL).values for each in usually.arguments]
        return column_of(grids.draw(usually.name, u, np.array(size), arguments, batch.rows))

    return make


MAKES = {model.OneOf: one_of}
