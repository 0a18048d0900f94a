"""Makes derived values."""

from __future__ import annotations

from collections.abc import Callable

from yurt.core import model
from yurt.core.base.types import of_field
from yurt.core.columns.column import Column, cast
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import within
from yurt.core.engine.scope import BatchScope, TableScope


def derived(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """The value of an expression."""
    head = phrase.head
    assert isinstance(head, model.Derived)

    def make(batch: BatchScope) -> Column:
        column = evaluate(head.expression, batch)
        return within(cast(column, of_field(column.type)), batch.rows)

    return make


MAKES = {model.Derived: derived}
