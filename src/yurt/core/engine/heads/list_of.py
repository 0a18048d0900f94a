"""Makes lists of values and of records."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, decoded, numbers
from yurt.core.base.types import NESTED, TEXT, list_of_type
from yurt.core.columns.column import Column, Places, merge
from yurt.core.columns.faults import RowFault
from yurt.core.engine.heads.sequence import APART
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.engine.structs import Layout
from yurt.core.heads.head import NotUnique
from yurt.core.heads.registry import cardinality
from yurt.core.model import Field
from yurt.core.model.restriction import left_of_list
from yurt.core.sampling.permutation import Shuffles

ATTEMPTS = 1000
# The maximum number of values that are ordered for every row.
SHORT = 32


def list_of(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """Lists of values of a phrase. The length is drawn first, with equal chances; the values are a batch of their
    own.
    """
    head = phrase.head
    assert isinstance(head, model.ListOf)
    if head.of_records:
        return _records(field, head, table)
    make_value = table.phrase_maker(field, head.phrase)
    size = _countable(field, head, table) if head.distinct else None
    weights = _weights(head.phrase, size) if head.distinct else None

    def make(batch: BatchScope) -> Column:
        values, ends, ordinals = _values(field, head, batch)
        places = np.repeat(np.arange(len(batch.rows)), np.diff(ends))
        if weights is not None:
            values.ranks = _raced(weights, field.name, batch)[places, ordinals]
        elif size is not None:
            keys = batch.stream(field.name, "distinct").bits(batch.rows)[places]
            values.ranks = Shuffles(size, keys)(ordinals.astype(np.uint64))
        column = make_value(values).spread(len(places))
        if head.distinct and values.ranks is None:
            column = _made_distinct(column, values, places, make_value)
        array = decoded(column.arrow(len(places)))
        found = pa.ListArray.from_arrays(arrow(ends.astype(np.int32)), array)
        return Column(list_of_type(column.type), found)

    return make


def _values(field: Field, head: model.ListOf, batch: BatchScope) -> tuple[BatchScope, Places, Places]:
    """Draw the length of each list with equal chances; return the batch of all values, the start of each list (and the
    end of the last one), and the position of each value in its list.
    """
    lengths = head.low + (batch.unit(field.name, "length") * (head.high - head.low + 1)).astype(np.int64)
    places = np.repeat(np.arange(len(lengths)), lengths)
    ends = np.concatenate((np.zeros(1, dtype=np.int64), np.cumsum(lengths)))
    ordinals = np.arange(len(places)) - ends[places]
    return (
        batch.inner(batch.rows[places] * APART + ordinals.astype(np.uint64), places, "list", field.name),
        ends,
        ordinals,
    )


def _records(field: Field, head: model.ListOf, table: TableScope) -> Callable[[BatchScope], Column]:
    """Lists of records: their fields are made for the values of the list and combined into structs."""

    def make(batch: BatchScope) -> Column:
        values, ends, _ = _values(field, head, batch)
        values.prefix = f"{field.name}."
        struct = Layout(values, table.record.shown, len(values.rows), typed=True, nests=True).inside(field.name)
        found = pa.ListArray.from_arrays(arrow(ends.astype(np.int32)), struct)
        return Column(list_of_type(NESTED), found)

    return make


def _weights(phrase: model.Phrase, size: int | None) -> NDArray[np.float64] | None:
    """Return the weight of each value of a short list or range; None for a long or unlimited one."""
    head = phrase.head
    if isinstance(head, model.OneOf) and phrase.usually is None and not phrase.missing:
        left = left_of_list(head, phrase.narrowed)
        if left is not None and len(left.values) <= SHORT:
            return np.array(left.weights)
    return np.ones(size) if size is not None and size <= SHORT else None


def _raced(weights: NDArray[np.float64], name: str, batch: BatchScope) -> Places:
    """Return, for each row, all positions in an order that the weights favour: the first ones make the list.

    Every value runs for an exponential time with its weight as the rate, and the values are taken as they arrive, which
    is weighted drawing without replacement (P. Efraimidis, P. Spirakis, 2006).
    """
    times = [-np.log(batch.unit(name, "race", place)) / max(weight, 1e-300) for place, weight in enumerate(weights)]
    found: Places = np.argsort(np.stack(times, axis=1), axis=1)
    return found


def _countable(field: Field, head: model.ListOf, table: TableScope) -> int | None:
    """Return the number of values if they can be numbered, so that a permutation keeps them distinct."""
    inner = Field(field.name, head.phrase)
    if (
        not isinstance(head.phrase.head, model.Ranged | model.OneOf | model.Boolean | model.FromList)
        or head.phrase.missing
    ):
        return None
    try:
        return cardinality(inner, table.run.today, table.run.schema)
    except NotUnique:
        return None


def _made_distinct(
    column: Column, values: BatchScope, places: NDArray[np.int64], make_value: Callable[[BatchScope], Column]
) -> Column:
    """Draw again, one by one, values that repeat another one of their list. Finished lists are not examined again."""
    kind, at = column.type, np.arange(len(places))
    done: list[tuple[Places, Column]] = []
    for attempt in range(ATTEMPTS):
        again = _repeated(column, places[at])
        waiting = np.isin(places[at], places[at[again]])
        done.append((at[~waiting], column.take(np.flatnonzero(~waiting))))
        if not len(again):
            return merge(done, len(places), kind)
        # From here on, only lists with repeated values.
        inside = np.flatnonzero(waiting)
        again, at, column = np.searchsorted(inside, again), at[inside], column.take(inside)
        some = values.select(at[again])
        fresh = some.inner(some.rows, np.arange(len(again)), "again", attempt)
        kept = np.setdiff1d(np.arange(len(at)), again)
        column = merge([(kept, column.take(kept)), (again, make_value(fresh))], len(at), kind)
    raise RowFault("too few different values for a list of distinct ones", int(values.rows[at[0]] // APART))


def _repeated(column: Column, places: NDArray[np.int64]) -> Places:
    """Return where a value repeats an earlier one of its list."""
    if column.type == TEXT:
        codes = numbers(pc.dictionary_encode(column.text(len(places))).indices, np.int32).astype(np.int64)
    else:
        codes = np.unique(column.values, return_inverse=True)[1]
    if column.nulls is not None:
        codes = np.where(column.nulls, -1, codes)
    order = np.lexsort((codes, places))
    same = (places[order][1:] == places[order][:-1]) & (codes[order][1:] == codes[order][:-1])
    return np.sort(order[1:][same])


MAKES = {model.ListOf: list_of}
