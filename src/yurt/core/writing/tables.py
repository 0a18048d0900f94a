"""Plain tables of texts and numbers in any format: labels, answers, expected results."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import pyarrow as pa

from yurt.core.base.arrays import arrow, strings


def table_of(
    rows: Sequence[Mapping[str, str | int | None]], names: list[str], blank: str | None = None
) -> pa.RecordBatch:
    """Return rows as a batch; `blank` replaces an empty text, by default with a missing value."""
    columns = [[blank if each[name] == "" else each[name] for each in rows] for name in names]
    arrays = [_array(each) for each in columns]
    return pa.RecordBatch.from_arrays(arrays, names=names)


def _array(values: list[str | int | None]) -> pa.Array:
    if values and isinstance(values[0], int):
        return arrow(np.array(values, dtype=np.int64))
    return strings([None if each is None else str(each) for each in values])
