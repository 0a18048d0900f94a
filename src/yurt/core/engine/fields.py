"""The maker of a field: its head, with the table, the conditions, and the missing share around it."""

from __future__ import annotations

import numpy as np

from yurt.core.base.errors import YurtError
from yurt.core.base.types import Type
from yurt.core.columns.column import Column, cast, merge
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import GenerationFault, RowFault, within
from yurt.core.distributions.distribution import OutOfReach
from yurt.core.engine.makers import maker_of_head
from yurt.core.engine.scope import BatchScope, Maker, TableScope
from yurt.core.model import Field, Phrase, Table


def maker_of(field: Field, table: TableScope) -> Maker:
    """Return the maker of a field."""
    kind = table.run.plan.types[table.record.name, field.name]
    inside = (
        _table(field, field.body, table, kind)
        if isinstance(field.body, Table)
        else phrase_maker(field, field.body, table)
    )

    def make(batch: BatchScope) -> Column:
        try:
            if field.present_if is None:
                return within(cast(inside(batch), kind), batch.rows)
            active = np.broadcast_to(evaluate(field.present_if, batch).true(), (len(batch.rows),))
            places = np.flatnonzero(active)
            parts = [(places, inside(batch.select(places)))] if len(places) or kind.name == "list" else []
            return within(merge(parts, len(batch.rows), kind), batch.rows)
        except RowFault as fault:
            source = table.run.schema.source
            raise GenerationFault(table.record.name, field.name, fault, source, field.span) from None
        except OutOfReach:
            place = f"{table.record.name}.{field.name}"
            raise YurtError(f"{place}: its distribution has practically no values within its range") from None

    return make


def phrase_maker(field: Field, phrase: Phrase, table: TableScope) -> Maker:
    """Return the maker of a phrase with its missing share."""
    make_head = maker_of_head(field, phrase, table)
    if not phrase.missing:
        return make_head

    def make(batch: BatchScope) -> Column:
        column = make_head(batch).spread(len(batch.rows))
        nulls = batch.unit(field.name, "missing") < phrase.missing
        if phrase.missing_if is not None:
            nulls &= evaluate(phrase.missing_if, batch).true()
        return column.with_nulls(nulls)

    return make


def _table(field: Field, rows: Table, table: TableScope, kind: Type) -> Maker:
    """The first condition that holds decides; a phrase is made only for the rows that take it."""
    branches = [(condition, phrase_maker(field, phrase, table)) for condition, phrase in rows.rows]

    def make(batch: BatchScope) -> Column:
        size = len(batch.rows)
        waiting = np.ones(size, dtype=np.bool_)
        parts = []
        for condition, make_phrase in branches:
            chosen = waiting if condition is None else waiting & evaluate(condition, batch).true()
            waiting = waiting & ~chosen
            places = np.flatnonzero(chosen)
            if len(places) or kind.name == "list":
                parts.append((places, make_phrase(batch.select(places))))
        return merge(parts, size, kind)

    return make
