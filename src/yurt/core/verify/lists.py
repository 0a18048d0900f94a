"""Lists and the values in them: from one row per value to one row per list, and back."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, decoded, numbers_or
from yurt.core.base.types import Type
from yurt.core.columns.column import Column, Mask, Places


def twice_in(column: Column, places: Places, size: int, fine: Mask) -> Mask:
    """Return the values that repeat an earlier one of their list."""
    codes = numbers_or(pc.dictionary_encode(column.text(size)).indices, np.int32, -1) if size else np.zeros(0, np.int32)
    order = np.lexsort((codes, places))
    same = (places[order][1:] == places[order][:-1]) & (codes[order][1:] == codes[order][:-1])
    found = np.zeros(size, dtype=np.bool_)
    found[order[1:][same]] = True
    return found & fine


def as_lists(flat: Column, lengths: NDArray[np.int64], kind: Type, nulls: Mask) -> Column:
    """Combine values into the lists they belong to."""
    ends = np.concatenate((np.zeros(1, dtype=np.int64), np.cumsum(lengths))).astype(np.int32)
    values = decoded(flat.arrow(int(ends[-1])))
    return Column(kind, pa.ListArray.from_arrays(arrow(ends), values), nulls if nulls.any() else None)
