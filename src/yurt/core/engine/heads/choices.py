"""Truth values and lists of values."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.base.arrays import strings
from yurt.core.base.types import BOOLEAN, REAL, TEXT, decimal
from yurt.core.columns.column import Column, cast, coded, constant, units
from yurt.core.columns.evaluate import evaluate
from yurt.core.planning.restrictions import left_of_list
from yurt.core.sampling import distributions

if TYPE_CHECKING:
    from yurt.core.engine.batch import Batch
    from yurt.core.engine.table import Table


def boolean(field: model.Field, phrase: model.Phrase, table: Table) -> Callable[[Batch], Column]:
    """True in the given share of the rows; unique, it has two rows: false and true."""
    head = phrase.head
    assert isinstance(head, model.Boolean)

    def make(batch: Batch) -> Column:
        if (rank := batch.rank(field.name)) is not None:
            return Column(BOOLEAN, rank == 1)
        return Column(BOOLEAN, batch.unit(field.name, "value") < head.share)

    return make


def one_of(field: model.Field, phrase: model.Phrase, table: Table) -> Callable[[Batch], Column]:
    """A value of the list, by its weights or by a distribution over the order of the list."""
    head, usually = phrase.head, phrase.usually
    assert isinstance(head, model.OneOf)
    left = left_of_list(head, phrase.narrowed)
    assert left is not None
    head, size = left, len(left.values)
    weighted = distributions.weighted(np.array(head.weights)) if head.weighted else None
    column_of = lookup(head.values)

    def make(batch: Batch) -> Column:
        if (rank := batch.rank(field.name)) is not None:
            return column_of(rank)
        u = batch.unit(field.name, "value")
        if weighted is not None:
            return column_of(weighted(u))
        if usually is None or usually.name == "uniform":
            return column_of((u * size).astype(np.int64))
        assert isinstance(usually, model.NamedDistribution)
        arguments = [cast(evaluate(each, batch), REAL).values for each in usually.arguments]
        return column_of(distributions.draw(usually.name, u, np.array(size), arguments, batch.rows))

    return make


def from_list(field: model.Field, phrase: model.Phrase, table: Table) -> Callable[[Batch], Column]:
    """A column of the row of a value list that the record has."""
    head = phrase.head
    assert isinstance(head, model.FromList)
    column_of = lookup(table.run.schema.lists[head.name].column(head.column))
    return lambda batch: column_of(table.list_rows(head.name, phrase)(batch))


def lookup(listed: tuple[model.ItemValue, ...]) -> Callable[[NDArray[np.int64]], Column]:
    """Return the function from places in a list to values."""
    types = [constant(each).type for each in listed]
    if TEXT in types:
        words = strings([str(each) for each in listed])
        return lambda places: coded(places, words)
    kind = types[0]
    places_behind_point = max(each.places for each in types)
    scaled: list[Any] = [units(each) for each in listed]
    if kind.numeric and places_behind_point:
        kind = decimal(places_behind_point)
        scaled = [number * 10 ** (kind.places - own.places) for number, own in zip(scaled, types, strict=True)]
    values = np.array(scaled)
    return lambda places: Column(kind, values[places])
