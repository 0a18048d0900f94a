"""Rows that were there before: those with the same values in some columns are left out."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow
from yurt.core.base.tuples import together
from yurt.core.keyed.blocks import BlockCipher, keyed_hash
from yurt.core.text.forms import text_of

# Two hashes of 64 bits: among a billion rows, the chance that two different ones look the same is below 1e-20.
KEYS = (b"yurt distinct  1", b"yurt distinct  2")


class Distinct:
    """Remembers the rows so far: 16 bytes for each different one."""

    def __init__(self, titles: tuple[str, ...]) -> None:
        """`titles` are the columns that are compared; all if there are none."""
        self.titles = titles
        self.left_out = 0
        self._ciphers = [BlockCipher(each) for each in KEYS]
        # Sorted by the first hash; the parts are merged when they have become as long as the whole.
        self._known: list[NDArray[np.uint64]] = []

    def first_ones(self, batch: pa.RecordBatch) -> pa.RecordBatch:
        """Return the rows of a batch that were not there before, in it or in an earlier one."""
        titles = self.titles or tuple(batch.schema.names)
        columns = [batch.column(batch.schema.names.index(each)) for each in titles]
        whole = together([plain_text(each) for each in columns])
        rows = np.stack([keyed_hash(each, whole) for each in self._ciphers], axis=1)
        order = np.lexsort((rows[:, 1], rows[:, 0]))
        ordered = rows[order]
        again = np.zeros(len(rows), dtype=np.bool_)
        again[order[1:]] = (ordered[1:] == ordered[:-1]).all(axis=1)
        for known in self._known:
            again |= _among(rows, known)
        fresh = rows[~again]
        self._remember(fresh)
        self.left_out += int(again.sum())
        return pc.filter(batch, arrow(~again)) if again.any() else batch

    def _remember(self, rows: NDArray[np.uint64]) -> None:
        self._known.append(_sorted(rows))
        while len(self._known) > 1 and len(self._known[-1]) * 2 > len(self._known[-2]):
            last = self._known.pop()
            self._known[-1] = _sorted(np.concatenate([self._known[-1], last]))


def plain_text(column: pa.Array) -> pa.Array:
    """Return a column of a new file as Arrow strings of the usual size."""
    return pc.cast(column, pa.string()) if pa.types.is_large_string(column.type) else text_of(column)


def _sorted(rows: NDArray[np.uint64]) -> NDArray[np.uint64]:
    return rows[np.lexsort((rows[:, 1], rows[:, 0]))]


def _among(rows: NDArray[np.uint64], known: NDArray[np.uint64]) -> NDArray[np.bool_]:
    """Return which rows are among sorted ones; equal first hashes of different rows stand side by side."""
    found = np.zeros(len(rows), dtype=np.bool_)
    at = np.searchsorted(known[:, 0], rows[:, 0])
    while True:
        inside = at < len(known)
        place = np.minimum(at, max(len(known) - 1, 0))
        near = inside & (known[place, 0] == rows[:, 0]) if len(known) else np.zeros(len(rows), dtype=np.bool_)
        found |= near & (known[place, 1] == rows[:, 1]) if len(known) else False
        more = near & ~found
        if not more.any():
            return found
        at = np.where(more, at + 1, len(known))
