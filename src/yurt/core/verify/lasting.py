"""Durations of ISO 8601, read by shape: texts with their letters at the same positions are one multiplication."""

from __future__ import annotations

import re

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, bytes_of, distinct, flags, numbers
from yurt.core.columns.column import Mask

# Days, then hours, minutes, and seconds after a `T`.
FORM = (
    r"(?P<sign>-?)P(?:(?P<D>\d{1,6})D)?"
    r"(?:T(?:(?P<H>\d{1,9})H)?(?:(?P<M>\d{1,9})M)?(?:(?P<S>\d{1,9})(?:\.(?P<fraction>\d{1,6}))?S)?)?"
)
UNITS = {"D": 86_400_000_000, "H": 3_600_000_000, "M": 60_000_000, "S": 1_000_000}


def microseconds(texts: pa.Array) -> tuple[NDArray[np.int64], Mask]:
    """Return durations in microseconds, and which texts are durations."""
    values, good = np.zeros(len(texts), dtype=np.int64), np.zeros(len(texts), dtype=np.bool_)
    lengths = numbers(pc.binary_length(texts), np.int32)
    # Only texts that may be durations: the others could have as many shapes as there are texts.
    lengths = np.where(flags(pc.match_substring_regex(texts, rf"\A{FORM}\z")), lengths, 0)
    for length in distinct(lengths[lengths > 0]).tolist():
        places = np.flatnonzero(lengths == length)
        chosen = texts if len(places) == len(texts) else pc.take(texts, arrow(places))
        cells = bytes_of(chosen).reshape(-1, length)
        for rows in _alike(cells):
            weights = _weights(bytes(cells[rows[0]]))
            if weights is not None:
                digits = cells[rows].astype(np.int64) - ord("0")
                values[places[rows]] = digits @ weights
                good[places[rows]] = True
    return values, good


def _alike(cells: NDArray[np.uint8]) -> list[NDArray[np.intp]]:
    """Return the rows of each shape: the same characters except for digits."""
    shapes = np.where((cells >= ord("0")) & (cells <= ord("9")), np.uint8(ord("0")), cells)
    if (shapes == shapes[0]).all():
        return [np.arange(len(cells))]
    whole = np.ascontiguousarray(shapes).view(f"V{cells.shape[1]}").ravel()
    _, code = np.unique(whole, return_inverse=True)
    order = np.argsort(code, kind="stable")
    return np.split(order, np.flatnonzero(np.diff(code[order])) + 1)


def _weights(text: bytes) -> NDArray[np.int64] | None:
    """Return the weight of a digit at each position of a shape; None if the shape is not a duration."""
    found = re.fullmatch(FORM, text.decode("ascii"))
    # Neither `P` nor `T` occurs alone.
    if found is None or text.endswith((b"P", b"T")):
        return None
    weights = np.zeros(len(text), dtype=np.int64)
    for name, unit in UNITS.items():
        start, stop = found.span(name)
        if start >= 0:
            weights[start:stop] = unit * 10 ** np.arange(stop - start - 1, -1, -1, dtype=np.int64)
    start, stop = found.span("fraction")
    if start >= 0:
        weights[start:stop] = 10 ** np.arange(5, 5 - (stop - start), -1, dtype=np.int64)
    return -weights if found["sign"] else weights
