"""Quick conversion from texts to values, for columns in which every text is in its usual form.

Each function returns None as soon as one text is not; `typed` then tries one form after another.
"""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import bytes_of, fixed_strings, numbers
from yurt.core.base.types import Type

Numbers = NDArray[np.int64]
DAY = 86_400_000_000
# The largest number of digits that int64 always holds.
DIGITS = 17
# The day before year 1 begins, in days since 1970.
YEAR_0 = -719_163
# The minutes of the offset `Z`.
ZULU = 100_000


def numbers_of(texts: pa.Array, places: int) -> Numbers | None:
    """Return decimals with exactly this many places (whole numbers: 0), none of them negative, in units of the last."""
    data, ends = bytes_of(texts), _ends(texts)
    starts, lengths = ends[:-1], np.diff(ends)
    least = places + 2 if places else 1
    if not len(lengths) or lengths.min() < least or lengths.max() > DIGITS:
        return None
    first = data[starts]
    # No leading zeros and no sign: the rest of the form is Arrow's own.
    if ((first == ord("0")) & (lengths > least)).any() or (first < ord("0")).any():
        return None
    if places:
        points = data == ord(".")
        if np.count_nonzero(points) != len(lengths) or not points[ends[1:] - places - 1].all():
            return None
        if (data[ends[1:] - places] > ord("9")).any():
            # Without its decimal point, `0.x1` would be hexadecimal to Arrow.
            return None
        data, shorter = data[~points], ends - np.arange(len(ends), dtype=np.int32)
        texts = pa.StringArray.from_buffers(len(lengths), pa.py_buffer(shorter), pa.py_buffer(data))
    try:
        return numbers(pc.cast(texts, pa.int64()), np.int64)
    except pa.ArrowInvalid:
        return None


def days(texts: pa.Array) -> Numbers | None:
    """Return dates in days since 1970."""
    if not (np.diff(_ends(texts)) == 10).all():
        return None
    try:
        found = numbers(pc.cast(texts, pa.date32()), np.int32).astype(np.int64)
    except pa.ArrowInvalid:
        return None
    return found if not len(found) or found.min() > YEAR_0 else None


def date_times(texts: pa.Array, zoned: bool) -> tuple[Numbers, NDArray[np.int32] | None] | None:
    """Return date-times to the second, in microseconds since 1970; with a zone, also their offsets in minutes."""
    width = 25 if zoned else 19
    if not len(texts) or not (np.diff(_ends(texts)) == width).all():
        return None
    cells = bytes_of(texts).reshape(-1, width)
    if (cells[:, 10] != ord("T")).any():
        return None
    offsets = None
    if zoned:
        signs, digits = cells[:, 19], cells[:, [20, 21, 23, 24]] - np.uint8(ord("0"))
        wrong = (digits > 9).any(axis=1) | (digits[:, 2] > 5) | (cells[:, 22] != ord(":")) | ~np.isin(signs, (43, 45))
        if (wrong | (digits[:, 0] * 10 + digits[:, 1] > 23)).any():
            return None
        offsets = digits.astype(np.int32) @ np.array([600, 60, 10, 1], dtype=np.int32)
        offsets[signs == ord("-")] *= -1
        texts = fixed_strings(np.ascontiguousarray(cells[:, :19]))
    try:
        found = numbers(pc.cast(texts, pa.timestamp("us")), np.int64)
    except pa.ArrowInvalid:
        return None
    return (found, offsets) if found.min() >= (YEAR_0 + 1) * DAY else None


def _ends(texts: pa.Array) -> NDArray[np.int32]:
    """Return the start and the end of each text's bytes, counted from those of the first."""
    every = np.frombuffer(texts.buffers()[1], dtype=np.int32)
    found: NDArray[np.int32] = every[texts.offset : texts.offset + len(texts) + 1]
    first: NDArray[np.int32] = found - found[0]
    return first


def plain(texts: pa.Array, kind: Type, zoned: bool) -> tuple[Numbers, NDArray[np.int32] | None] | None:
    """Return the values of a type, and the offsets of date-times; None if one is not in its usual form."""
    if kind.name in ("integer", "decimal"):
        found = numbers_of(texts, kind.places)
    elif kind.name == "date":
        found = days(texts)
    elif kind.name == "datetime":
        return date_times(texts, zoned)
    else:
        return None
    return None if found is None else (found, None)
