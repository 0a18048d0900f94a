"""Given values of value lists: the other fields of the same list take a row that has them."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.data_classes import dataclass
from yurt.core.base.python_values import PythonValue
from yurt.core.columns.column import Column
from yurt.core.engine.item_lookup import lookup
from yurt.core.given.values import plain
from yurt.core.model import Field, FromList, Phrase, Record, Schema, ValueList
from yurt.core.sampling.streams import Rows, stream


@dataclass(frozen=True)
class ListedValues:
    """The values of a column of a value list, in rows of the list that fit what is given; drawn by weight."""

    listed: ValueList
    column: str
    fitting: NDArray[np.int64]
    seed: int
    purpose: tuple[str, str]

    def of(self, rows: Rows) -> Column:
        """Return the values for some rows of the record type; all fields of a list take the same row of it."""
        weights = np.array([self.listed.weights[at] for at in self.fitting]) if self.listed.weights else None
        shares = np.cumsum(np.ones(len(self.fitting)) if weights is None else weights)
        u = stream(self.seed, *self.purpose, "given").unit(rows) * shares[-1]
        chosen = self.fitting[np.minimum(np.searchsorted(shares, u, side="right"), len(self.fitting) - 1)]
        found = lookup(self.listed.column(self.column))(chosen)
        gaps = self.listed.gaps(self.column)
        return found.with_nulls(np.isin(chosen, sorted(gaps))) if gaps else found


def listed_values(
    schema: Schema, record: Record, given: Mapping[str, PythonValue], seed: int
) -> dict[str, ListedValues]:  # fmt: skip
    """Return the fields that follow from given values of the value lists that they share."""
    by_list: dict[str, list[tuple[Field, FromList]]] = {}
    for field in record.fields:
        if isinstance(field.body, Phrase) and isinstance(field.head, FromList) and not field.body.in_turn:
            by_list.setdefault(field.head.name, []).append((field, field.head))
    found: dict[str, ListedValues] = {}
    for name, fields in by_list.items():
        listed = schema.lists[name]
        told = [(head.column, plain(given[field.name])) for field, head in fields if field.name in given]
        others = [(field, head) for field, head in fields if field.name not in given and field.present_if is None]
        if not told or not others:
            continue
        fitting = [at for at in range(listed.size) if all(_same(listed, column, at, value) for column, value in told)]
        for field, head in others if fitting else ():
            rows = np.array(fitting, dtype=np.int64)
            found[field.name] = ListedValues(listed, head.column, rows, seed, (record.name, name))
    return found


def _same(listed: ValueList, column: str, at: int, value: PythonValue) -> bool:
    if value is None:
        return at in listed.gaps(column)
    return at not in listed.gaps(column) and listed.column(column)[at] == value
