"""One maker for each head of the language.

A factory takes the field, the phrase and the table, does once what can be done once, and returns the function that
makes a column for a batch.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from yurt.core import model
from yurt.core.columns.column import Column
from yurt.core.engine.heads import choices, identifiers, links, lists, ranges, series, texts

if TYPE_CHECKING:
    from yurt.core.engine.batch import Batch
    from yurt.core.engine.table import Table

FACTORIES: dict[type, Callable[[model.Field, Any, Any], Callable[[Any], Column]]] = {
    model.Integer: ranges.ranged,
    model.DecimalNumber: ranges.ranged,
    model.Date: ranges.ranged,
    model.Time: ranges.ranged,
    model.DateTime: ranges.ranged,
    model.DurationRange: ranges.ranged,
    model.Boolean: choices.boolean,
    model.OneOf: choices.one_of,
    model.FromList: choices.from_list,
    model.Matching: texts.matching,
    model.Bytes: identifiers.random_bytes,
    model.Sequence: identifiers.sequence,
    model.Uuid: identifiers.uuid,
    model.TimeSeries: series.every,
    model.ListOf: lists.list_of,
    model.Nested: lists.nested,
    model.Reference: links.reference,
    model.Derived: links.derived,
    model.KindOf: links.kind,
}


def maker_of_head(field: model.Field, phrase: model.Phrase, table: Table) -> Callable[[Batch], Column]:
    """Return the function that makes a head's values."""
    return FACTORIES[type(phrase.head)](field, phrase, table)
