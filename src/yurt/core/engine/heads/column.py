"""Takes values from the columns of an existing file."""

from __future__ import annotations

from collections.abc import Callable

from yurt.core import model
from yurt.core.columns.column import Column
from yurt.core.engine.scope import BatchScope, TableScope


def column(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """The values of a column in the rows of the batch."""
    head = phrase.head
    assert isinstance(head, model.FromColumn)
    assert head.type is not None
    kind, file = head.type, table.run.existing[table.record.name]
    return lambda batch: file.column(head.title, kind, batch.rows)


MAKES = {model.FromColumn: column}
