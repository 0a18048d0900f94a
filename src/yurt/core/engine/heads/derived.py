"""Makes derived values."""

from __future__ import annotations

from collections.abc import Callable

from yurt.core import model
from yurt.core.columns.column import Column
from yurt.core.columns.evaluate import evaluate
from yurt.core.engine.scope import BatchScope, TableScope


def derived(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """The value of an expression."""
    head = phrase.head
    assert isinstance(head, model.Derived)
    return lambda batch: evaluate(head.expression, batch)


MAKES = {model.Derived: derived}
