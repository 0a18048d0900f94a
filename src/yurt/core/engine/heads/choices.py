"""Truth values and lists of values."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.arrays import strings
from yurt.core.engine import distributions
from yurt.core.engine.column import Column, cast, coded, constant, units
from yurt.core.engine.evaluate import evaluate
from yurt.core.engine.permutation import Permutation
from yurt.core.types import BOOLEAN, REAL, TEXT, decimal

if TYPE_CHECKING:
    from yurt.core.engine.batch import Batch
    from yurt.core.engine.table import Table


def boolean(field: model.Field, phrase: model.Phrase, table: Table) -> Callable[[Batch], Column]:
    """True in the given share of the rows; unique, it has two rows: false and true."""
    head = phrase.head
    assert isinstance(head, model.Boolean)

    def make(batch: Batch) -> Column:
        if field.unique:
            return Column(BOOLEAN, _unique(field.name, 2, batch) == 1)
        return Column(BOOLEAN, batch.unit(field.name, "value") < head.share)

    return make


def one_of(field: model.Field, phrase: model.Phrase, table: Table) -> Callable[[Batch], Column]:
    """A value of the list, by its weights or by a distribution over the order of the list."""
    head, usually = phrase.head, phrase.usually
    assert isinstance(head, model.OneOf)
    size = len(head.values)
    weighted = distributions.weighted(np.array(head.weights)) if head.weighted else None
    column_of = _lookup(head)

    def make(batch: Batch) -> Column:
        if field.unique:
            return column_of(_unique(field.name, size, batch))
        u = batch.unit(field.name, "value")
        if weighted is not None:
            return column_of(weighted(u))
        if usually is None or usually.name == "uniform":
            return column_of((u * size).astype(np.int64))
        arguments = [cast(evaluate(each, batch), REAL).values for each in usually.arguments]
        return column_of(distributions.draw(usually.name, u, np.array(size), arguments, batch.rows))

    return make


def _lookup(head: model.OneOf) -> Callable[[NDArray[np.int64]], Column]:
    """Return the function from places in the list to values."""
    types = [constant(each).type for each in head.values]
    if TEXT in types:
        words = strings([str(each) for each in head.values])
        return lambda places: coded(places, words)
    kind = types[0]
    places_behind_point = max(each.places for each in types)
    scaled: list[Any] = [units(each) for each in head.values]
    if kind.numeric and places_behind_point:
        kind = decimal(places_behind_point)
        scaled = [number * 10 ** (kind.places - own.places) for number, own in zip(scaled, types, strict=True)]
    values = np.array(scaled)
    return lambda places: Column(kind, values[places])


def _unique(name: str, size: int, batch: Batch) -> NDArray[np.int64]:
    return Permutation(size, batch.stream(name, "unique", fixed=True))(batch.rows)
