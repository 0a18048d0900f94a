"""Texts that follow a pattern."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from yurt.core import model
from yurt.core.engine.column import Column
from yurt.core.engine.matching import different, drawn

if TYPE_CHECKING:
    from yurt.core.engine.batch import Batch
    from yurt.core.engine.table import Table


def matching(field: model.Field, phrase: model.Phrase, table: Table) -> Callable[[Batch], Column]:
    """Texts of the pattern, each at most once when the field is unique."""
    head = phrase.head
    assert isinstance(head, model.Matching)
    if field.unique:
        return lambda batch: different(head.pattern, batch, field.name)
    return lambda batch: drawn(head.pattern, batch, field.name, "value")
