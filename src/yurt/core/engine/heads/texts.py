"""Texts that follow a pattern."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.engine.column import Column
from yurt.core.engine.permutation import Permutation
from yurt.core.patterns.sample import rows_at_once, sample
from yurt.core.types import TEXT

if TYPE_CHECKING:
    from yurt.core.engine.batch import Batch
    from yurt.core.engine.table import Table


def matching(field: model.Field, phrase: model.Phrase, table: Table) -> Callable[[Batch], Column]:
    """Texts of the pattern; a unique one numbers its texts and takes them in a permuted order."""
    head = phrase.head
    assert isinstance(head, model.Matching)
    pattern = head.pattern
    size = rows_at_once(pattern)

    def make(batch: Batch) -> Column:
        parts = []
        for start in range(0, max(len(batch.rows), 1), size):
            piece = batch.select(np.arange(start, min(start + size, len(batch.rows))))
            parts.append(_unique(piece) if field.unique else _drawn(piece))
        return Column(TEXT, parts[0] if len(parts) == 1 else pa.concat_arrays(parts))

    def _drawn(batch: Batch) -> pa.Array:
        return sample(pattern, len(batch.rows), lambda choice: batch.unit(field.name, "value", choice))

    def _unique(batch: Batch) -> pa.Array:
        from yurt.core.patterns.unrank import numbers, unrank

        ranks = Permutation(numbers(pattern), batch.stream(field.name, "unique", fixed=True))(batch.rows)

        def draw(position: int, lines: NDArray[np.intp]) -> NDArray[np.float64]:
            return batch.stream(field.name, "free", position, fixed=True).unit(batch.rows[lines])

        return unrank(pattern, ranks, draw)

    return make
