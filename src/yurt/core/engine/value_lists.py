"""The row of a value list for each record: all its fields that name the list take the same one."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.base.types import REAL
from yurt.core.columns.column import cast
from yurt.core.columns.evaluate import evaluate
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.model.restriction import fits
from yurt.core.sampling import grids
from yurt.core.sampling.weights import weighted


def list_rows(table: TableScope, name: str, phrase: model.Phrase) -> ListRows:
    """Return a function that draws the rows of a value list; a phrase inside another one draws for itself."""
    if ("list rows", name, id(phrase)) not in table.once:
        fields = [
            (each.name, part)
            for each in table.record.fields
            for part in each.phrases
            if isinstance(part.head, model.FromList) and part.head.name == name
        ]
        together = [part for _, part in fields]
        if not any(part is phrase for part in together):
            fields, together = [("", phrase)], [phrase]
        rows = ListRows(table, name, fields)
        table.once |= {("list rows", name, id(part)): rows for part in together}
    found: ListRows = table.once["list rows", name, id(phrase)]
    return found


class ListRows:
    """Draws rows of one value list for the records of a table.

    A clause of one field (`unique`, `in turn`, a distribution, a restriction) applies to all fields that name the list.
    """

    def __init__(self, table: TableScope, name: str, phrases: list[tuple[str, model.Phrase]]) -> None:
        listed = table.run.schema.lists[name]
        self.name = name
        left = np.ones(listed.size, dtype=np.bool_)
        for _, phrase in phrases:
            assert isinstance(phrase.head, model.FromList)
            if phrase.narrowed is not None:
                left &= [fits(phrase.narrowed, each) for each in listed.column(phrase.head.column)]
                left[list(listed.gaps(phrase.head.column))] = False
        self.left = np.flatnonzero(left)
        self.ranked = next((field for field, _ in phrases if field in table.rankers), None)
        self.usually = next((phrase.usually for _, phrase in phrases if phrase.usually is not None), None)
        weights = None if listed.weights is None else np.array(listed.weights)[self.left]
        self.weighted = weighted(weights) if weights is not None else None

    def __call__(self, batch: BatchScope) -> NDArray[np.int64]:
        """Return the row of the list for each row of the batch."""
        key = ("value list", self.name)
        if key not in batch.shared:
            batch.shared[key] = self.left[self._place(batch)]
        found: NDArray[np.int64] = batch.shared[key]
        return found

    def _place(self, batch: BatchScope) -> NDArray[np.int64]:
        rank = batch.ranks if batch.inside else batch.rank(self.ranked) if self.ranked is not None else None
        if rank is not None:
            return rank
        u = batch.unit("value list", self.name)
        if self.weighted is not None:
            return self.weighted(u)
        size = len(self.left)
        if isinstance(self.usually, model.NamedDistribution) and self.usually.name != "uniform":
            arguments = [cast(evaluate(each, batch), REAL).values for each in self.usually.arguments]
            return grids.draw(self.usually.name, u, np.array(size), arguments, batch.rows)
        return (u * size).astype(np.int64)
