"""Plain tables of texts and numbers in any format: labels, answers, expectations."""

from __future__ import annotations

import pyarrow as pa


def table_of(rows: list[dict[str, str | int]], names: list[str], blank: str | None = None) -> pa.RecordBatch:
    """Return rows as a batch; `blank` is what an empty text becomes, by default a missing value."""
    columns = [[blank if each[name] == "" else each[name] for each in rows] for name in names]
    arrays = [pa.array(each, pa.int64() if each and isinstance(each[0], int) else pa.string()) for each in columns]
    return pa.RecordBatch.from_arrays(arrays, names=names)
