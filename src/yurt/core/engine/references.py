"""References: which row of another record type a row points to, and that row's values."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.errors import YurtError
from yurt.core.base.types import REAL
from yurt.core.columns.column import cast
from yurt.core.columns.evaluate import evaluate
from yurt.core.engine.family import Family
from yurt.core.engine.lookup import Lookup, Picked
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.model import Field, NamedDistribution, Reference
from yurt.core.sampling import grids
from yurt.core.sampling.permutation import Permutation
from yurt.core.sampling.streams import Rows

# A record type with at most this many rows and bytes is made once and kept.
SMALL = 1 << 17
SMALL_BYTES = 1 << 26


class References:
    """One field with the head `ref`."""

    def __init__(self, table: TableScope, field: Field, family: Family | None, ranked: bool = True) -> None:
        """If not `ranked`, rows are drawn even if their numbers would keep them distinct."""
        assert isinstance(field.head, Reference)
        self.table = table
        self.field = field
        self.family, self.ranked = family, ranked
        self.target = field.head.record
        self.order: NDArray[np.int64] | None = None

    def rows(self, batch: BatchScope) -> Rows:
        """Return the target's row number for each row of the batch."""
        if self.family is not None:
            return self.family.places(batch.rows)[0]
        count = self.table.run.table(self.target).count
        if not count:
            raise YurtError(f"`{self.field.name}` refers to `{self.target}`, which has no rows")
        name = self.field.name
        if self.ranked and (rank := batch.rank(name)) is not None:
            return rank.astype(np.uint64)
        u = batch.unit(name, "ref")
        usually, weighted_by = self.field.phrases[0].usually, self.field.phrases[0].weighted_by
        if self.target == self.table.record.name:
            # A row of a tree points to an earlier one, so that no cycles occur.
            return (u * batch.rows).astype(np.uint64)
        if weighted_by is not None:
            return self.table.run.weighted(self.target, weighted_by)(u).astype(np.uint64)
        if usually is None or usually.name == "uniform":
            return (u * count).astype(np.uint64)
        assert isinstance(usually, NamedDistribution)
        arguments = [cast(evaluate(each, batch), REAL).values for each in usually.arguments]
        ranks = grids.draw(usually.name, u, np.array(count), arguments, batch.rows)
        return self._favourites(count, batch)(ranks.astype(np.uint64)).astype(np.uint64)

    def _favourites(self, count: int, batch: BatchScope) -> Callable[[Rows], NDArray[np.int64]]:
        """Return the rows in order of preference: they are spread over all rows, not taken from the start."""
        place = Permutation(count, batch.stream(self.field.name, "favourites", fixed=True))
        if count > SMALL:
            return place
        if self.order is None:
            self.order = place(np.arange(count, dtype=np.uint64))
        order = self.order
        return lambda ranks: order[ranks]

    def resolve(self, batch: BatchScope) -> Lookup:
        """Return the rows that the batch's rows point to."""
        rows = self.rows(batch)
        target = self.table.run.table(self.target)
        if (
            not target.changing
            and target.count <= SMALL
            and target.count * self.table.run.widths[self.target] <= SMALL_BYTES
        ):
            return Picked(self.table.run.whole(self.target), rows.astype(np.int64))
        starts = np.flatnonzero(np.concatenate(([True], rows[1:] != rows[:-1])))
        if len(starts) < len(rows) and self.family is not None:
            # The children of one parent are consecutive rows: the parent's values are made once for all of them.
            lengths = np.diff(np.append(starts, len(rows)))
            return Picked(target.resolved(rows[starts]), np.repeat(np.arange(len(starts)), lengths))
        return target.resolved(rows)
