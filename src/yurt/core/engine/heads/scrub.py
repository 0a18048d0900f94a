"""Replaces what stands in the treated columns of a row inside a text of the row."""

from __future__ import annotations

from collections.abc import Callable

import pyarrow as pa

from yurt.core import model
from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, word
from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column
from yurt.core.columns.evaluate import evaluate
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.heads.scrub import Scrub
from yurt.core.model.expressions import Expression
from yurt.core.text.scrubbing import Wanted, scrubbed


def scrub(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """The texts, with the results of the other treatments in place of the originals."""
    head = phrase.head
    assert isinstance(head, Scrub)
    assert head.original is not None
    own, pairs = head.original, head.pairs

    def text(expression: Expression, batch: BatchScope) -> pa.Array:
        column = evaluate(expression, batch).spread(len(batch.rows))
        texts = Column(column.type, column.values).text(len(batch.rows))
        return texts if column.nulls is None else pc.if_else(arrow(column.nulls), word(""), texts)

    def make(batch: BatchScope) -> Column:
        nulls = evaluate(own, batch).spread(len(batch.rows)).nulls
        wanted = [Wanted(text(before, batch), text(after, batch)) for before, after in pairs]
        return Column(TEXT, scrubbed(text(own, batch), wanted), nulls)

    return make


MAKES = {Scrub: scrub}
