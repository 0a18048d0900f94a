"""The values of a field inside lists of records, as one list of texts for each record."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow
from yurt.core.base.python_values import PythonValue
from yurt.core.formats.common.raw import NOTHING
from yurt.core.model import Record
from yurt.core.text.forms import text_of

LISTS = pa.list_(pa.string())


def outermost_list(record: Record, name: str) -> str | None:
    """Return the list of records around a field that no other list is around; None for a field in no list."""
    around = record.list_around(name)
    return around if around is None else outermost_list(record, around) or around


def texts_within(lists: pa.Array, path: Sequence[str]) -> pa.ListArray:
    """Return the values at a path of titles in each list: a value or a list of values on the way has many."""
    values, rows = lists, np.arange(len(lists), dtype=np.int64)
    while True:
        if pa.types.is_list(values.type):
            rows = rows[pc.list_parent_indices(values).to_numpy()]
            values = pc.list_flatten(values)
        elif path:
            values, path = pc.struct_field(values, [values.type.get_field_index(path[0])]), path[1:]
        else:
            break
    ends = np.concatenate([[0], np.bincount(rows, minlength=len(lists)).cumsum()])
    return pa.ListArray.from_arrays(arrow(ends.astype(np.int32)), pc.cast(text_of(values), pa.string()))


def values_at(value: PythonValue, path: Sequence[str]) -> Iterator[PythonValue]:
    """Yield the values at a path that are there, also those in each record of a list on the way."""
    if path and isinstance(value, list):
        for each in value:
            yield from values_at(each, path)
    elif path and isinstance(value, dict):
        yield from values_at(value.get(path[0], NOTHING), path[1:])
    elif not path and value is not None and value is not NOTHING:
        yield value
