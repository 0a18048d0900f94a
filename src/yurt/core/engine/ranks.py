"""Fields whose values are numbered and taken in an order: unique ones, combinations, and lists taken in turn.

The number of a row's value depends only on the row number, so nothing has to be remembered.
"""

from __future__ import annotations

from math import prod

import numpy as np
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.engine.allowed_numbers import MOST, AllowedNumbers
from yurt.core.engine.scope import BatchScope, Ranker, TableScope
from yurt.core.engine.value_lists import list_rows
from yurt.core.heads.registry import cardinality
from yurt.core.model import Field
from yurt.core.model.restriction import left_of_list, left_of_pattern
from yurt.core.sampling.permutation import Permutation, Shuffles

Ranks = NDArray[np.int64]
BY_NUMBER = model.Ranged | model.Boolean | model.OneOf | model.FromList


def rankers(table: TableScope) -> dict[str, Ranker]:
    """Return, by field, the function that gives each row the number of its value."""
    record = table.record
    found: dict[str, Ranker] = {}
    for field in record.fields:
        if field.unique and (isinstance(field.head, BY_NUMBER) or _listed_texts(field)):
            found[field.name] = _permuted(field, room(field, table))
        elif field.unique and isinstance(field.head, model.Reference):
            found[field.name] = _permuted(field, table.run.table(field.head.record).count)
        elif field.phrases[0].distinct and isinstance(field.head, model.Reference):
            _together(
                (*([table.record.parent_field.name] if table.record.parent_field else []), field.name), table, found
            )
        elif field.phrases[0].in_turn and isinstance(field.head, model.OneOf | model.FromList):
            found[field.name] = _in_turn(field, table)
    if record.count.combinations:
        _combined(record.count.combinations, lambda batch: batch.rows.astype(np.int64), table, found)
    for group in record.unique:
        _together(group, table, found)
    return found


def _listed_texts(field: Field) -> bool:
    narrowed = field.phrases[0].narrowed
    if not isinstance(field.head, model.Matching) or narrowed is None:
        return False
    return isinstance(left_of_pattern(field.head.pattern, narrowed), model.OneOf)


def room(field: Field, table: TableScope) -> int:
    """Return the number of values of a field in a run."""
    if isinstance(field.head, model.Reference):
        return table.run.table(field.head.record).count
    return cardinality(field, table.run.today, table.run.schema)


def _permuted(field: Field, size: int) -> Ranker:
    return lambda batch: Permutation(size, batch.stream(field.name, "unique", fixed=True))(batch.rows)


def _in_turn(field: Field, table: TableScope) -> Ranker:
    phrase = field.phrases[0]
    if isinstance(phrase.head, model.OneOf):
        left = left_of_list(phrase.head, phrase.narrowed)
        size = len(left.values) if left is not None else 1
        return lambda batch: (batch.rows % np.uint64(size)).astype(np.int64)
    assert isinstance(phrase.head, model.FromList)
    name = phrase.head.name
    return lambda batch: (batch.rows % np.uint64(len(list_rows(table, name, phrase).left))).astype(np.int64)


def _combined(names: tuple[str, ...], joint: Ranker, table: TableScope, into: dict[str, Ranker]) -> None:
    """Split a joint number into the numbers of several fields; the last field changes fastest."""
    sizes = [max(room(table.record.by_name[name], table), 1) for name in names]
    for place, name in enumerate(names):
        behind = prod(sizes[place + 1 :])
        into[name] = lambda batch, behind=behind, size=sizes[place]: joint(batch) // behind % size  # type: ignore[misc]


def _together(group: tuple[str, ...], table: TableScope, into: dict[str, Ranker]) -> None:
    """Make the combined values of several fields unique: among all rows, or, beside the parent, among its children."""
    parent = table.record.parent_field
    names = tuple(name for name in group if parent is None or name != parent.name)
    sizes = [max(room(table.record.by_name[name], table), 1) for name in names]
    size = prod(sizes)
    allowed = AllowedNumbers(names, sizes, table)
    purpose = "+".join(group)
    if len(names) == len(group):

        def among_all(batch: BatchScope) -> Ranks:
            source = batch.stream(purpose, "unique", fixed=True)
            return allowed.permuted(batch.rows, source) if allowed else Permutation(size, source)(batch.rows)

        _combined(names, among_all, table, into)
        return
    assert table.family is not None
    family = table.family

    def among_siblings(batch: BatchScope) -> Ranks:
        parents, ordinals = family.places(batch.rows)
        keys = batch.stream(purpose, "unique", fixed=True).bits(parents)
        if not allowed or size > MOST:
            return Shuffles(size, keys)(ordinals)
        known = allowed.every()
        if len(ordinals) and int(ordinals.max()) >= len(known):
            raise allowed.too_few(len(known))
        return known[Shuffles(len(known), keys)(ordinals)]

    _combined(names, among_siblings, table, into)
