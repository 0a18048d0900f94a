"""Passwords by a policy: a length, sets of characters that must each occur, and forbidden characters."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from yurt.core.base.errors import YurtError
from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column
from yurt.core.kinds.character_sets import LONGEST, SETS

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext


def passwords(context: KindContext, shortest: int, longest: int, names: list[str], without: str) -> Column:
    """Return a password for each row: one character from each set first, then all are shuffled."""
    sets = ["".join(each for each in SETS[name] if each not in without) for name in names or SETS]
    if not len(sets) <= shortest <= longest <= LONGEST or not all(sets):
        raise YurtError(
            f"{context.field}: a password of {shortest} to {longest} characters out of {len(sets)} sets is not possible"
        )
    whole = "".join(sets)
    lengths = shortest + (context.unit("password length") * (longest - shortest + 1)).astype(np.int64)
    cells = np.empty((context.rows, longest), dtype=np.uint8)
    for place in range(longest):
        chars = np.frombuffer((sets[place] if place < len(sets) else whole).encode(), dtype=np.uint8)
        cells[:, place] = chars[(context.unit("password", place) * len(chars)).astype(np.int64)]
    # The positions after the end of a password stay there, and those before it are shuffled.
    keys = np.stack([context.unit("password order", place) for place in range(longest)], axis=1)
    keys[np.arange(longest) >= lengths[:, None]] = 2.0
    cells = np.take_along_axis(cells, np.argsort(keys, axis=1, kind="stable"), axis=1)
    ends = np.zeros(context.rows + 1, dtype=np.int32)
    np.cumsum(lengths, out=ends[1:])
    data = cells[np.arange(longest) < lengths[:, None]]
    found = pa.StringArray.from_buffers(context.rows, pa.py_buffer(ends), pa.py_buffer(np.ascontiguousarray(data)))
    return Column(TEXT, found)
