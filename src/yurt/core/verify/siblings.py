"""The rows of a block, sorted by their parent."""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import Numbers, arrow, flags, numbers, word
from yurt.core.columns.column import Column, Mask, Places, merge
from yurt.core.formats.common.raw import Raw
from yurt.core.verify.keys import Keys


class Siblings:
    """Groups of rows: the n-th one has the n-th of `parents`; without parents, all rows are one group."""

    def __init__(self, size: int, raw: Raw | None) -> None:
        self.size = size
        self.parents: Keys | None = None
        # The number of the group of each row.
        self.groups = np.zeros(size, dtype=np.int64)
        self.nowhere: Mask = np.zeros(size, dtype=np.bool_)
        if raw is not None:
            self.nowhere = raw.missing
            self._group(pc.fill_null(raw.texts, word("")))
        rising = bool((self.groups[1:] >= self.groups[:-1]).all())
        self.order: Places = np.arange(size) if rising else np.argsort(self.groups, kind="stable")
        ordered = self.groups[self.order]
        # The start and the end of each group among the sorted rows.
        self.starts = np.flatnonzero(np.concatenate((np.ones(min(size, 1), bool), ordered[1:] != ordered[:-1])))
        self.lengths = np.diff(np.append(self.starts, size))
        self.lasts = self.order[self.starts + self.lengths - 1]
        # The number of earlier rows in the group, for each row.
        self.places = np.empty(size, dtype=np.int64)
        self.places[self.order] = np.arange(size) - np.repeat(self.starts, self.lengths)

    def _group(self, texts: pa.Array) -> None:
        changes = np.ones(self.size, dtype=np.bool_)
        if self.size:
            changes[1:] = flags(pc.not_equal(texts[1:], texts[:-1]))
        # Rows of one parent are mostly adjacent.
        heads = pc.dictionary_encode(pc.filter(texts, arrow(changes)))
        self.groups = numbers(heads.indices, np.int32).astype(np.int64)[np.cumsum(changes) - 1]
        self.parents = Keys(heads.dictionary)

    def near_nowhere(self) -> Places:
        """Return for each group the first adjacent row without a parent; the size for none.

        Such a row probably belongs to that parent, so its later rows are uncertain.
        """
        found = np.full(len(self.starts), self.size, dtype=np.int64)
        rows, sound = np.flatnonzero(self.nowhere), np.flatnonzero(~self.nowhere)
        if len(rows) and len(sound):
            at = np.searchsorted(sound, rows)
            for beside in (sound[np.maximum(at - 1, 0)], sound[np.minimum(at, len(sound) - 1)]):
                np.minimum.at(found, self.groups[beside], rows)
        return found

    def sums(self, values: Numbers) -> Numbers:
        """Return the sum of some values up to each row, in its group."""
        sums = np.cumsum(values[self.order])
        before = np.where(self.starts > 0, sums[self.starts - 1], 0) if self.size else sums
        found = np.empty(self.size, dtype=values.dtype)
        found[self.order] = sums - np.repeat(before, self.lengths)
        return found

    def shifted(self, column: Column, first: list[tuple[Places, Column]]) -> Column:
        """Return the value of the previous row in the same group; `first` is put into the first rows."""
        later = np.flatnonzero(self.places[self.order])
        return merge([(self.order[later], column.take(self.order[later - 1])), *first], self.size, column.type)
