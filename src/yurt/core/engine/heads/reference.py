"""Makes the keys of references."""

from __future__ import annotations

from collections.abc import Callable

from yurt.core import model
from yurt.core.columns.column import Column
from yurt.core.engine.scope import BatchScope, TableScope


def reference(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """The key of the referenced row."""
    head = phrase.head
    assert isinstance(head, model.Reference)
    key = table.run.schema.records[head.record].key
    assert key is not None

    tree = head.record == table.record.name

    def make(batch: BatchScope) -> Column:
        # A selection from a larger batch must point to the same rows as the whole.
        found = batch.parent(field.name).field(key.name)
        # The first row of a tree has no other row to point to.
        return found.with_nulls(batch.rows == 0) if tree else found

    return make


MAKES = {model.Reference: reference}
