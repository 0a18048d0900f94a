"""Records with their children inside: a list for each record type that is counted per this one, to any depth.

The children of consecutive parents are consecutive, so a block of parents needs one block of each kind of children.
"""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from yurt.core.base.arrays import arrow
from yurt.core.base.errors import UsageFault
from yurt.core.engine.blocks import block
from yurt.core.engine.run import Run
from yurt.core.model import Schema
from yurt.core.text.forms import text_of


def children_of(schema: Schema, name: str) -> list[str]:
    """Return the record types that are counted per a record type."""
    return [each.name for each in schema.records.values() if each.count.per == name]


def below(schema: Schema, names: list[str]) -> set[str]:
    """Return the record types inside others, to any depth."""
    found: set[str] = set()
    waiting = list(names)
    while waiting:
        inner = children_of(schema, waiting.pop())
        found |= set(inner)
        waiting += inner
    return found


def nested_width(run: Run, name: str) -> int:
    """Return how many bytes a row takes at most, with the children inside it."""
    width = run.widths[name]
    for child in children_of(run.schema, name):
        family = run.table(child).family
        assert family is not None
        width += nested_width(run, child) * family.largest()
    return width


def nested_block(run: Run, name: str, start: int, stop: int, *, typed: bool) -> pa.RecordBatch:
    """Return rows of a record type (stop exclusive, counted from 0) with their children in lists.

    Raises UsageFault if a child has the name of a field.
    """
    own = block(run, name, start, stop, typed=typed, nests=True)
    columns = dict(zip(own.schema.names, own.columns, strict=True))
    for child in children_of(run.schema, name):
        if child in columns:
            raise UsageFault(f"`{name}` has a field `{child}`, so its children of that name cannot stand inside it")
        family = run.table(child).family
        assert family is not None
        first, last = family.of_first(start), family.of_first(stop)
        inner = nested_block(run, child, first, last, typed=typed)
        parents, _ = family.places(np.arange(first, last, dtype=np.uint64))
        offsets = np.searchsorted(parents, np.arange(start, stop + 1, dtype=np.uint64))
        plain = [text_of(each) if pa.types.is_dictionary(each.type) else each for each in inner.columns]
        records = pa.StructArray.from_arrays(plain, names=inner.schema.names)
        columns[child] = pa.ListArray.from_arrays(arrow(offsets.astype(np.int32)), records)
    return pa.RecordBatch.from_arrays(list(columns.values()), names=list(columns))
