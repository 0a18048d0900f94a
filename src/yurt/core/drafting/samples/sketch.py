"""Which values a column has and how often, over all rows of a file: those with the smallest hashes if there are many.

Values are chosen by their hash, the same ones in every column, so that two columns can be compared: of the values of
one that are below the limit of the other, all must be there if the first refers to the second. (This is the bottom-k
sketch of E. Cohen, H. Kaplan: "Summarizing data using bottom-k sketches", 2007.)
"""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow
from yurt.core.formats.common.raw import Raw
from yurt.core.keyed.blocks import BlockCipher, keyed_hash

Hashes = NDArray[np.uint64]
KEY = b"yurt drafts one."
# The different values that are kept, and the rows up to which all hashes of a column without repeats are kept.
KEPT, EXACT = 1 << 16, 5_000_000
WHOLE = 2**64


class Sketch:
    """The values of a column by their hashes, with the number of rows of each."""

    def __init__(self) -> None:
        self.cipher = BlockCipher(KEY)
        self.hashes: Hashes = np.empty(0, dtype=np.uint64)
        self.counts: NDArray[np.int64] = np.empty(0, dtype=np.int64)
        # Hashes below the limit are kept.
        self.limit = WHOLE
        self.rows = self.present = self.runs = 0
        self._last: int | None = None
        # All hashes, as long as none was there twice.
        self._all: list[Hashes] | None = []

    def add(self, raw: Raw) -> None:
        """Count the values of further rows."""
        missing = raw.missing
        texts = pc.filter(raw.texts, arrow(~missing)) if missing.any() else raw.texts
        self.rows += len(missing)
        self.add_hashes(self.hashes_of(texts))

    def hashes_of(self, texts: pa.Array) -> Hashes:
        """Return the hash of each text."""
        return keyed_hash(self.cipher, texts)

    def add_hashes(self, hashes: Hashes) -> None:
        """Count further values by their hashes."""
        if not len(hashes):
            return
        self.present += len(hashes)
        self.runs += int((hashes[1:] != hashes[:-1]).sum()) + (self._last is None or int(hashes[0]) != self._last)
        self._last = int(hashes[-1])
        below = hashes[hashes < np.uint64(self.limit)] if self.limit < WHOLE else hashes
        found, counts = np.unique(below, return_counts=True)
        whole = np.concatenate([self.hashes, found])
        sums = np.concatenate([self.counts, counts])
        self.hashes, at = np.unique(whole, return_inverse=True)
        self.counts = np.bincount(at, weights=sums, minlength=len(self.hashes)).astype(np.int64)
        while len(self.hashes) > KEPT:
            self.limit //= 2
            inside = self.hashes < np.uint64(self.limit)
            self.hashes, self.counts = self.hashes[inside], self.counts[inside]
        if self._all is not None:
            self._all.append(hashes)
            if self.present > EXACT or (len(self.counts) and self.counts.max() > 1):
                self._all = None

    @property
    def share(self) -> float:
        """The share of different values that are kept."""
        return self.limit / WHOLE

    @property
    def different(self) -> int:
        """The number of different values; an estimate if not all are kept."""
        return round(len(self.hashes) / self.share)

    @property
    def unique(self) -> bool:
        """Whether no value was there twice, as far as all of them were compared."""
        if self.present < 2 or self.counts.max() > 1:
            return False
        return self._all is None or len(np.unique(np.concatenate(self._all))) == self.present

    @property
    def grouped(self) -> bool:
        """Whether all rows with the same value stand together."""
        exact = self.share == 1.0
        return bool(self.runs == len(self.hashes)) if exact else self.runs <= 1.1 * self.different

    def inside(self, other: Sketch) -> float:
        """Return the share of different values that are also values of the other column."""
        limit = min(self.limit, other.limit)
        own = self.hashes[self.hashes < np.uint64(limit)] if limit < WHOLE else self.hashes
        return float(np.isin(own, other.hashes, assume_unique=True).mean()) if len(own) else 0.0
