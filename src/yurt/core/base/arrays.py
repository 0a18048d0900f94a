"""Conversions from NumPy and Python to Arrow without copying.

`pyarrow.array` and `pyarrow.scalar` would also work, but their first call imports pandas if it is installed, which
takes longer than generating a hundred thousand records. So does a Python value among the arguments of a kernel, such as
`fill_null(…, False)`.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc

# Numbers of any width, integer or floating-point.
Numbers = NDArray[Any]
# The values of a column: numbers, Booleans, and days as NumPy arrays, texts as Arrow arrays; or one value for all rows.
Values = Numbers | pa.Array

TYPES = {
    np.dtype(np.int64): pa.int64(), np.dtype(np.int32): pa.int32(), np.dtype(np.uint64): pa.uint64(),
    np.dtype(np.float64): pa.float64(),
}  # fmt: skip


def bitmap(flags: NDArray[np.bool_]) -> pa.Buffer:
    """Return Booleans as Arrow packs them, eight per byte."""
    return pa.py_buffer(np.packbits(flags, bitorder="little"))


def arrow(values: Numbers, missing: NDArray[np.bool_] | None = None, kind: pa.DataType | None = None) -> pa.Array:
    """Return an Arrow array of numbers or Booleans; `kind` may be any type of the same width, such as date32."""
    valid = None if missing is None or not missing.any() else bitmap(~missing)
    if values.dtype == np.bool_:
        return pa.Array.from_buffers(pa.bool_(), len(values), [valid, bitmap(values)])
    data = pa.py_buffer(np.ascontiguousarray(values))
    return pa.Array.from_buffers(kind or TYPES[values.dtype], len(values), [valid, data])


def strings(texts: Sequence[str | None]) -> pa.Array:
    """Return an Arrow array of texts, with null for None; meant for lists of words, not for whole columns."""
    present = [each or "" for each in texts]
    valid = bitmap(np.array([each is not None for each in texts])) if None in list(texts) else None
    whole = "".join(present)
    # A list of ASCII words, the usual one, is encoded in one piece.
    pieces: Sequence[str | bytes] = present if whole.isascii() else [each.encode() for each in present]
    ends = np.zeros(len(present) + 1, dtype=np.int32)
    np.cumsum(np.fromiter(map(len, pieces), dtype=np.int64, count=len(present)), out=ends[1:])
    return pa.StringArray.from_buffers(len(present), pa.py_buffer(ends), pa.py_buffer(whole.encode()), valid)


def fixed_strings(cells: NDArray[np.uint8], missing: NDArray[np.bool_] | None = None) -> pa.Array:
    """Return the rows of a byte matrix as Arrow texts of equal length."""
    rows, width = cells.shape
    ends = np.arange(rows + 1, dtype=np.int32) * np.int32(width)
    valid = None if missing is None or not missing.any() else bitmap(~missing)
    data = pa.py_buffer(np.ascontiguousarray(cells))
    return pa.Array.from_buffers(pa.string(), rows, [valid, pa.py_buffer(ends), data])


@lru_cache(maxsize=1024)
def word(text: str) -> pa.StringScalar:
    """Return one text as an Arrow scalar."""
    return strings([text])[0]


@lru_cache(maxsize=8)
def nothing(kind: pa.DataType) -> pa.Scalar:
    """Return the null value of a type."""
    return pa.nulls(1, kind)[0]


def joined(*parts: pa.Array | pa.Scalar | str, between: str = "", missing: str | None = None) -> pa.Array:
    """Return the parts of each row joined together.

    A row with a missing part is missing as a whole, unless `missing` gives a replacement.
    """
    texts = [word(part) if isinstance(part, str) else part for part in parts]
    handling = "emit_null" if missing is None else "replace"
    return pc.binary_join_element_wise(*texts, word(between), null_handling=handling, null_replacement=missing or "")


def flags(array: pa.BooleanArray) -> NDArray[np.bool_]:
    """Return Arrow Booleans as a NumPy array; null becomes false."""
    packed = [None if each is None else np.frombuffer(each, dtype=np.uint8) for each in array.buffers()]
    start, stop = array.offset, array.offset + len(array)
    unpacked = [
        None if each is None else np.unpackbits(each, bitorder="little", count=stop)[start:].astype(np.bool_)
        for each in packed
    ]
    valid, values = unpacked
    found: NDArray[np.bool_] = np.zeros(len(array), dtype=np.bool_) if values is None else values
    return found if valid is None else found & valid


def numbers(array: pa.Array, kind: type) -> Numbers:
    """Return the numbers of an Arrow array without missing values; `kind` is their NumPy type."""
    data: Numbers = np.frombuffer(array.buffers()[1], dtype=kind) if len(array) else np.empty(0, dtype=kind)
    return data[array.offset : array.offset + len(array)]


def distinct(values: Numbers) -> Numbers:
    """Return the different values in their order, as `np.unique`, which imports masked arrays for it."""
    ordered = np.sort(values, axis=None)
    return ordered[np.append(True, ordered[1:] != ordered[:-1])] if ordered.size else ordered


def numbers_or(array: pa.Array, kind: type, otherwise: int) -> NDArray[np.int64]:
    """Return the numbers of an Arrow array, with a replacement for nulls."""
    found = numbers(array, kind).astype(np.int64)
    return np.where(flags(pc.is_null(array)), otherwise, found) if array.null_count else found


def bytes_of(texts: pa.Array) -> NDArray[np.uint8]:
    """Return the bytes of all texts, joined, without copying."""
    data = texts.buffers()[2]
    if data is None or not len(texts):
        return np.empty(0, dtype=np.uint8)
    offsets = np.frombuffer(texts.buffers()[1], dtype=np.int32)[texts.offset : texts.offset + len(texts) + 1]
    return np.frombuffer(data, dtype=np.uint8)[offsets[0] : offsets[-1]]


def decoded(column: pa.Array) -> pa.Array:
    """Return a column as it is without a dictionary; two blocks never share a dictionary."""
    return pc.take(column.dictionary, column.indices) if pa.types.is_dictionary(column.type) else column


def changed_texts(column: pa.Array, change: Callable[[pa.Array], pa.Array]) -> pa.Array:
    """Return a text column with every text changed; in a dictionary-encoded column, each word is changed only once."""
    if pa.types.is_dictionary(column.type):
        return pc.take(change(column.dictionary), column.indices)
    return change(column)


def is_text(column: pa.Array) -> bool:
    """Return whether a column holds texts; values of other types need no escaping."""
    return bool(pa.types.is_dictionary(column.type) or pa.types.is_string(column.type))
