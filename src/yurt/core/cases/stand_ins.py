"""The values that changes put in place of drawn values, for whole columns."""

from __future__ import annotations

from datetime import date
from typing import Any

import numpy as np

from yurt.core import model
from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, joined, strings, word
from yurt.core.base.data_classes import replace
from yurt.core.base.types import BOOLEAN, TEXT, Type
from yurt.core.cases.case import Const, Edge, Gone, Lost, Same
from yurt.core.cases.days import nearest_allowed
from yurt.core.columns.column import Column, Mask, coded
from yurt.core.engine.heads.ranged import ends_of
from yurt.core.engine.scope import BatchScope, Maker
from yurt.core.heads.head import NotUnique
from yurt.core.heads.registry import cardinality
from yurt.core.model import Field, Reference
from yurt.core.planning.bounds import steps


def stand_in(change: Any, field: Field, kind: Type, batch: BatchScope, make: Maker, first: int) -> Column:
    """Return the values of a change for a batch; `make` draws the field, `first` is the row of the first case."""
    size = len(batch.rows)
    match change:
        case Const(_, value):
            return _constant(value, kind, size)
        case Gone():
            return make(batch).spread(size).with_nulls(np.ones(size, dtype=np.bool_))
        case Edge():
            return _edge(change, kind, batch)
        case Same():
            there = batch.table.batch(np.array([first], dtype=np.uint64)).field(field.name)
            return there.spread(1).take(np.zeros(size, dtype=np.int64))
        case Lost():
            return _lost(field, batch)
        case _:
            raise AssertionError(change)


def _constant(value: str | int | bool, kind: Type, size: int) -> Column:
    if isinstance(value, str):
        return coded(np.zeros(size, dtype=np.int64), strings([value]))
    if kind == BOOLEAN:
        return Column(kind, np.full(size, bool(value)))
    return Column(kind, np.full(size, value, dtype=np.float64 if kind.name == "real" else np.int64))


def _edge(change: Edge, kind: Type, batch: BatchScope) -> Column:
    """Return a value a number of steps inside an end of a range, on an allowed day if days are chosen."""
    head = change.phrase.head
    assert isinstance(head, model.Ranged)
    low, high, _ = ends_of(head, kind, batch)
    step = steps(head)
    low, high = (np.broadcast_to(each, (len(batch.rows),)) for each in (low, high))
    # The last step of a range may be below its maximum.
    found = low + (high - low) // step * step - change.inside * step if change.upper else low + change.inside * step
    if change.phrase.days is not None:
        # Inwards for a value inside the range, else outwards.
        later = change.upper == (change.inside < 0)
        found = nearest_allowed(found, change.phrase.days, head, later)
    return Column(kind, found.astype(np.int64))


def _lost(field: Field, batch: BatchScope) -> Column:
    """Return keys that no row has: those of row numbers behind the last one, if there are any left."""
    assert isinstance(field.head, Reference)
    run, size = batch.table.run, len(batch.rows)
    target = run.table(field.head.record)
    key = run.schema.records[field.head.record].key
    assert key is not None
    if _room(key, run.today, run.schema) >= target.count + size:
        rows = np.arange(target.count, target.count + size, dtype=np.uint64)
        return target.batch(rows).field(key.name).spread(size)
    # If all possible keys may be taken, the result is an impossible key.
    taken = target.batch(np.arange(target.count, dtype=np.uint64)).field(key.name).spread(target.count)
    if taken.type == TEXT:
        return moved(taken.take(np.zeros(size, dtype=np.int64)), np.ones(size, dtype=np.bool_))
    return Column(taken.type, np.full(size, int(np.max(taken.values)) + 1))


def _room(key: Field, today: date, schema: model.Schema) -> int:
    try:
        return cardinality(key, today, schema)
    except NotUnique:
        return 0


def moved(found: Column, where: Mask) -> Column:
    """Return a column with some values replaced: one more, the opposite, or a text with one more letter."""
    if not where.any():
        return found
    size = len(where)
    if found.type == TEXT:
        longer = joined(found.text(size), pc.if_else(arrow(where), word("x"), word("")))
        return Column(TEXT, longer, found.nulls)
    if found.type == BOOLEAN:
        return replace(found, values=found.values ^ where)
    return replace(found, values=found.values + where)
