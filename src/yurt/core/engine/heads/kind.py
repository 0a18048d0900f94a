"""Makes the values of kinds of the catalogue."""

from __future__ import annotations

from collections.abc import Callable

from yurt.core import model
from yurt.core.columns.column import Column
from yurt.core.engine.kind_context import BatchContext
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.kinds.catalogue import KINDS


def kind(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """A value of the catalogue, consistent with the other kinds of the record."""
    head = phrase.head
    assert isinstance(head, model.KindOf)
    make = KINDS[head.name].make
    assert make is not None
    return lambda batch: make(BatchContext(batch, field.name, head, field.unique))


MAKES = {model.KindOf: kind}
