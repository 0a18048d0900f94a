"""The columns of a block in their order: nested records as structs, or as columns named by their path."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, decoded
from yurt.core.columns.writers import with_zone, written
from yurt.core.engine.lookup import Lookup
from yurt.core.model import DateTime, Field, FromColumn, Nested, Record


class Layout:
    """Arranges the columns of a block."""

    def __init__(self, resolved: Lookup, shown: tuple[Field, ...], rows: int, typed: bool, nests: bool) -> None:
        self.resolved, self.shown, self.rows, self.typed, self.nests = resolved, shown, rows, typed, nests

    def columns(self, parent: str, path: str) -> list[tuple[str, pa.Array]]:
        """Return titles and columns of the fields inside `parent`, a field's name (empty for the record itself)."""
        found: list[tuple[str, pa.Array]] = []
        for field in self.shown:
            if field.parent != parent:
                continue
            if not isinstance(field.head, Nested):
                found.append((("" if field.alone else path) + field.title, self._column(field)))
            elif self.nests:
                found.append((field.title, self._struct(field)))
            else:
                found += self.columns(field.name, f"{path}{field.title}.")
        return found

    def inside(self, name: str) -> pa.StructArray:
        """Return the nested records of a field, and whether they are present."""
        inside = [(title, decoded(column)) for title, column in self.columns(name, "")]
        return pa.StructArray.from_arrays([column for _, column in inside], names=[title for title, _ in inside])

    def _struct(self, field: Field) -> pa.Array:
        struct, nulls = self.inside(field.name), self.resolved.field(field.name).nulls
        if nulls is None or not nulls.any():
            return struct
        return pc.if_else(arrow(np.broadcast_to(nulls, (self.rows,))), pa.nulls(1, struct.type)[0], struct)

    def _column(self, field: Field) -> pa.Array:
        column = self.resolved.field(field.name)
        if field.shown is not None and (field.shown.always or not self.typed):
            return written(column, field.shown.pattern, self.rows)
        if isinstance(field.head, DateTime | FromColumn) and field.head.zone is not None:
            return with_zone(column, field.head.zone, self.rows)
        return column.arrow(self.rows)


def titles(record: Record, *, nests: bool) -> list[str]:
    """Return the names of the columns of a block."""

    def inside(parent: str, path: str) -> Iterator[str]:
        for field in record.shown:
            if field.parent == parent and isinstance(field.head, Nested) and not nests:
                yield from inside(field.name, f"{path}{field.title}.")
            elif field.parent == parent:
                yield ("" if field.alone else path) + field.title

    return list(inside("", ""))
