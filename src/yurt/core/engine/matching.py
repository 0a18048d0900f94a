"""Columns of texts that follow a pattern: drawn, or all different."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column
from yurt.core.engine.scope import BatchScope
from yurt.core.patterns.sample import rows_at_once, sample
from yurt.core.patterns.tree import Pattern
from yurt.core.patterns.unrank import numbers, unrank
from yurt.core.sampling.permutation import Permutation


def drawn(pattern: Pattern, batch: BatchScope, *purpose: str) -> Column:
    """Return texts of a pattern for each row, from the streams of a purpose."""
    return _in_parts(
        pattern, batch, lambda part: sample(pattern, len(part.rows), lambda choice: part.unit(*purpose, choice))
    )


def different(pattern: Pattern, batch: BatchScope, field: str) -> Column:
    """Return a different text of a pattern for each row number: the texts are numbered and taken in permuted order."""
    place = Permutation(numbers(pattern), batch.stream(field, "unique", fixed=True))

    def texts(part: BatchScope) -> pa.Array:
        def draw(position: int, lines: NDArray[np.intp]) -> NDArray[np.float64]:
            return part.stream(field, "free", position, fixed=True).unit(part.rows[lines])

        return unrank(pattern, place(part.rows), draw)

    return _in_parts(pattern, batch, texts)


def numbered(pattern: Pattern, batch: BatchScope, rank: NDArray[np.int64]) -> Column:
    """Return the text of each number; every text of the pattern has one."""
    size = rows_at_once(pattern)
    nothing_free = np.zeros(0)
    starts = range(0, max(len(rank), 1), size)
    parts = [unrank(pattern, rank[start : start + size], lambda _at, _lines: nothing_free) for start in starts]
    return Column(TEXT, parts[0] if len(parts) == 1 else pa.concat_arrays(parts))


def _in_parts(pattern: Pattern, batch: BatchScope, make: Callable[[BatchScope], pa.Array]) -> Column:
    """Make the texts of a wide pattern for some rows at a time, to limit the memory."""
    size, rows = rows_at_once(pattern), len(batch.rows)
    starts = range(0, max(rows, 1), size)
    parts = [make(batch.select(np.arange(start, min(start + size, rows)))) for start in starts]
    return Column(TEXT, parts[0] if len(parts) == 1 else pa.concat_arrays(parts))
