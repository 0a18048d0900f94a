"""Two files with the same rows, side by side in one file for queries: all values as texts."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, nothing, word
from yurt.core.base.errors import YurtError
from yurt.core.base.threads import in_order
from yurt.core.existing.columns import Existing, refused
from yurt.core.formats.common.raw import Raw

WORKERS = 2


def side_by_side(path: Path, before: tuple[Existing, list[str]], after: tuple[Existing, list[str]]) -> int:
    """Write columns of two files into a Parquet file, as `o0`, `o1`, … and `n0`, `n1`, …, with the numbers of the rows.

    Return the number of rows. Raises YurtError for a file that cannot be read, and for files of different lengths.
    """
    import pyarrow.parquet as pq

    names = ["row", *(f"o{at}" for at in range(len(before[1]))), *(f"n{at}" for at in range(len(after[1])))]
    schema = pa.schema([(names[0], pa.int64()), *((each, pa.string()) for each in names[1:])])
    rows = 0
    left, right = _Rows(*before), _Rows(*after)
    with pq.ParquetWriter(path, schema, compression="lz4", write_statistics=False) as out:
        while size := min(left.ready(), right.ready()):
            numbers = arrow(np.arange(rows, rows + size, dtype=np.int64))
            columns = [numbers, *left.take(size), *right.take(size)]
            out.write_batch(pa.RecordBatch.from_arrays(columns, schema=schema))
            rows += size
    if left.ready() or right.ready():
        raise YurtError(f"{after[0].name} has not as many rows as {before[0].name}: they cannot be compared")
    return rows


class _Rows:
    """Columns of a file, as many rows at a time as are asked for."""

    def __init__(self, file: Existing, titles: list[str]) -> None:
        self.titles = titles
        self.blocks = self._read(file)
        self.waiting: list[pa.Array] = []
        self.size, self.at = 0, 0

    def _read(self, file: Existing) -> Iterator[tuple[int, list[pa.Array]]]:
        with file.open() as stream:
            asked = self.titles or list(file.titles[:1])
            reading = file.reading(stream, asked)
            for _, block in in_order(reading.block, reading.pieces(), WORKERS):
                raws = file.raws(block, asked)
                yield block.size, [_texts(raws[title]) for title in self.titles]
            if reading.faults:
                raise refused(file.name, reading.faults, file.open)

    def ready(self) -> int:
        """Return how many rows can be taken at once; 0 at the end."""
        while self.at == self.size:
            found = next(self.blocks, None)
            if found is None:
                return 0
            self.size, self.waiting = found
            self.at = 0
        return self.size - self.at

    def take(self, size: int) -> list[pa.Array]:
        """Return the next rows."""
        found = [each[self.at : self.at + size] for each in self.waiting]
        self.at += size
        return found


def _texts(raw: Raw) -> pa.Array:
    """Return the values as texts; an empty one is as good as none."""
    return pc.if_else(pc.equal(raw.texts, word("")), nothing(pa.string()), raw.texts)
