"""Makes Booleans."""

from __future__ import annotations

from collections.abc import Callable

from yurt.core import model
from yurt.core.base.types import BOOLEAN
from yurt.core.columns.column import Column
from yurt.core.engine.scope import BatchScope, TableScope


def boolean(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """True in the given share of the rows; if unique, there are two rows: false and true."""
    head = phrase.head
    assert isinstance(head, model.Boolean)

    def make(batch: BatchScope) -> Column:
        if (rank := batch.rank(field.name)) is not None:
            return Column(BOOLEAN, rank == 1)
        return Column(BOOLEAN, batch.unit(field.name, "value") < head.share)

    return make


MAKES = {model.Boolean: boolean}
