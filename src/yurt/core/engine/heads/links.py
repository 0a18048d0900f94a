"""Heads that take their values from elsewhere: references, expressions, and the kinds of the catalogue."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from yurt.core import model
from yurt.core.columns.column import Column
from yurt.core.columns.evaluate import evaluate
from yurt.core.engine.kind_context import BatchContext
from yurt.core.kinds.catalogue import KINDS

if TYPE_CHECKING:
    from yurt.core.engine.batch import Batch
    from yurt.core.engine.table import Table


def reference(field: model.Field, phrase: model.Phrase, table: Table) -> Callable[[Batch], Column]:
    """The key of the row that is referred to."""
    head = phrase.head
    assert isinstance(head, model.Reference)
    key = table.run.schema.records[head.record].key
    assert key is not None

    tree = head.record == table.record.name

    def make(batch: Batch) -> Column:
        # A selection out of a larger batch must point to the same rows as the whole.
        found = batch.parent(field.name).field(key.name)
        # The first row of a tree has no other row to point to.
        return found.with_nulls(batch.rows == 0) if tree else found

    return make


def derived(field: model.Field, phrase: model.Phrase, table: Table) -> Callable[[Batch], Column]:
    """The value of an expression."""
    head = phrase.head
    assert isinstance(head, model.Derived)
    return lambda batch: evaluate(head.expression, batch)


def kind(field: model.Field, phrase: model.Phrase, table: Table) -> Callable[[Batch], Column]:
    """A value of the catalogue, which agrees with the other kinds of the record."""
    head = phrase.head
    assert isinstance(head, model.KindOf)
    make = KINDS[head.name].make
    assert make is not None
    return lambda batch: make(BatchContext(batch, field.name, head, field.unique))
