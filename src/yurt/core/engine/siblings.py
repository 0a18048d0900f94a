"""Functions of a row's siblings, the rows of the same parent: its ordinal, the previous row, running totals.

A row costs its siblings at most: the values of those before it are made again from their row numbers.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.types import INTEGER, unify
from yurt.core.columns.column import Column, cast, merge
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import refuse
from yurt.core.engine.scope import BatchScope
from yurt.core.model.expressions import Call, Name
from yurt.core.sampling.streams import Rows

LIMIT = 2**62


def of_siblings(call: Call, batch: BatchScope) -> Column:
    """Return the value of `ordinal()`, `previous(field)` or `running(field)` for each row."""
    assert batch.table.family is not None
    if batch.origin is not None:
        # Inside a list, or for some of the rows, the result comes from the whole.
        origin, places = batch.origin
        return origin.siblings(call).take(places)
    if batch.table.ordinal_override is not None:
        return _alone(call, batch, batch.table.ordinal_override(batch.rows))
    ordinals = batch.table.family.places(batch.rows)[1]
    if call.function == "ordinal":
        return Column(INTEGER, ordinals.astype(np.int64) + 1)
    assert isinstance(call.arguments[0], Name)
    name = call.arguments[0].name
    if call.function == "running":
        return _running(name, batch, batch.rows - ordinals)
    found = _previous(name, batch, ordinals)
    if len(call.arguments) == 1:
        return found
    first = np.flatnonzero(ordinals == 0)
    rest = np.flatnonzero(ordinals)
    other = evaluate(call.arguments[1], batch).spread(len(batch.rows))
    kind = unify(found.type, other.type) or found.type
    return merge([(rest, found.take(rest)), (first, other.take(first))], len(batch.rows), kind)


def _alone(call: Call, batch: BatchScope, ordinals: NDArray[np.int64]) -> Column:
    """Return the result for a single child: nothing comes before it, and it has only its own values."""
    if call.function == "ordinal":
        return Column(INTEGER, ordinals + 1)
    assert isinstance(call.arguments[0], Name)
    found = batch.field(call.arguments[0].name).spread(len(batch.rows))
    if call.function == "running":
        values = found.values if found.nulls is None else np.where(found.nulls, 0, found.values)
        return Column(found.type, values)
    if len(call.arguments) == 1:
        return found.with_nulls(np.ones(len(batch.rows), dtype=np.bool_))
    other = evaluate(call.arguments[1], batch).spread(len(batch.rows))
    return cast(other, unify(found.type, other.type) or found.type)


def _values(name: str, batch: BatchScope, rows: Rows) -> Column:
    """Return a field in rows of some parents."""

    def made(rows: Rows) -> Column:
        return batch.table.resolved(rows).field(name).spread(len(rows))

    existing = batch.table.run.existing.get(batch.table.record.name)
    return made(rows) if existing is None else existing.earlier(name, rows, made)


def _previous(name: str, batch: BatchScope, ordinals: Rows) -> Column:
    """Return a field of the previous row; the first child has none."""
    first = ordinals == 0
    wanted, back = np.unique(np.where(first, batch.rows, batch.rows - np.uint64(1)), return_inverse=True)
    found = _values(name, batch, wanted)
    return found.take(back).with_nulls(first)


def _running(name: str, batch: BatchScope, first: Rows) -> Column:
    """Sum a field from each parent's first row; a missing value adds nothing."""
    starts, parent = np.unique(first, return_inverse=True)
    last = np.zeros(len(starts), dtype=np.uint64)
    np.maximum.at(last, parent, batch.rows)
    lengths = (last - starts + np.uint64(1)).astype(np.int64)
    begins = np.cumsum(lengths) - lengths
    rows = np.repeat(starts - begins.astype(np.uint64), lengths) + np.arange(lengths.sum(), dtype=np.uint64)
    found = _values(name, batch, rows)
    values = found.values if found.nulls is None else np.where(found.nulls, 0, found.values)
    if len(rows):
        largest = np.add.reduceat(np.abs(values.astype(np.float64)), begins)
        refuse(batch.rows, largest[parent] > LIMIT, "a total of more than 18 digits")
    # The sum over all parents may overflow: the difference is correct all the same.
    sums = np.cumsum(values)
    before = np.where(begins > 0, sums[begins - 1], 0) if len(rows) else begins
    at = begins[parent] + (batch.rows - first).astype(np.int64)
    return Column(found.type, sums[at] - before[parent])
