"""Blocks in which some values are replaced by others of any type, in the form of the file."""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, strings
from yurt.core.engine.lookup import Lookup
from yurt.core.engine.structs import Layout
from yurt.core.formats.common.format import TextFormat
from yurt.core.model import Field, Nested
from yurt.core.text.forms import text_of

# A column of this type holds texts in the form of the file, which formats write unchanged.
FINISHED = pa.large_string()
# By field and row: a value in the form of the file, None for a missing one.
Tokens = dict[str, dict[int, str | None]]


class ReplacedLayout(Layout):
    """The columns of some rows in one format, with some values replaced."""

    def __init__(self, rows: Lookup, shown: tuple[Field, ...], size: int, form: TextFormat) -> None:
        super().__init__(rows, shown, size, form.typed, form.nests)
        self.form = form
        self.tokens: Tokens = {}
        self._plain: dict[str, pa.Array] = {}

    def plain(self, field: Field) -> pa.Array:
        """Return the column of a field as the engine makes it."""
        if field.name not in self._plain:
            nested = isinstance(field.head, Nested)
            self._plain[field.name] = super()._struct(field) if nested else super()._column(field)
        return self._plain[field.name]

    def batch(self, front: dict[str, pa.Array] | None = None) -> pa.RecordBatch:
        """Return all columns, with others in front of them."""
        columns = [*(front or {}).items(), *self.columns("", "")]
        return pa.RecordBatch.from_arrays([column for _, column in columns], names=[title for title, _ in columns])

    def _column(self, field: Field) -> pa.Array:
        return self._replaced(field, self.plain(field))

    def _struct(self, field: Field) -> pa.Array:
        return self._replaced(field, self.plain(field))

    def _replaced(self, field: Field, plain: pa.Array) -> pa.Array:
        tokens = self.tokens.get(field.name)
        if not tokens:
            return plain
        mask = np.zeros(self.rows, dtype=np.bool_)
        at = sorted(tokens)
        mask[at] = True
        finished = pc.cast(text_of(self.form.finish(plain)), FINISHED)
        return pc.replace_with_mask(finished, arrow(mask), pc.cast(strings([tokens[each] for each in at]), FINISHED))
