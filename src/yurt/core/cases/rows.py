"""The records of cases in one format: the rows from the engine, with replaced values."""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, nothing
from yurt.core.cases.case import Raw
from yurt.core.engine.lookup import Lookup, Picked
from yurt.core.formats.common.format import TextFormat, Unwritable
from yurt.core.formats.common.raw import Number, Value, written
from yurt.core.formats.common.tree import leaf_names
from yurt.core.formats.json.reading import DECODER
from yurt.core.model import Record
from yurt.core.text.forms import text_of
from yurt.core.text.json_text import tokens
from yurt.core.writing.replaced import ReplacedLayout


class CaseRows:
    """Rows of a record type in one format; a row may be changed in any way that the format can express."""

    def __init__(self, rows: Lookup, record: Record, size: int, form: TextFormat) -> None:
        self.rows, self.record, self.size, self.form = rows, record, size, form
        self.values: dict[str, dict[int, Value]] = {}
        self._layout = ReplacedLayout(rows, record.shown, size, form)
        self._texts: dict[str, list[str | None]] = {}

    def select(self, at: list[int]) -> CaseRows:
        """Return some of the rows, with their replaced values."""
        found = CaseRows(Picked(self.rows, np.array(at, dtype=np.int64)), self.record, len(at), self.form)
        place = {old: new for new, old in enumerate(at)}
        for name, values in self.values.items():
            found.values[name] = {place[old]: value for old, value in values.items() if old in place}
        return found

    def written_as(self, form: TextFormat) -> CaseRows:
        """Return the same rows in another format."""
        found = CaseRows(self.rows, self.record, self.size, form)
        found.values = self.values
        return found

    def value(self, name: str, at: int) -> Value:
        """Return the value of a field in one row: a text, None for a missing value, or its replacement."""
        replaced = self.values.get(name, {})
        return replaced[at] if at in replaced else self._text(name)[at]

    def _text(self, name: str) -> list[str | None]:
        if name not in self._texts:
            column = self._layout.plain(self.record.by_name[name])
            whole = tokens(column) if pa.types.is_struct(column.type) else text_of(column)
            self._texts[name] = pc.if_else(pc.is_valid(column), whole, nothing(whole.type)).to_pylist()
        return self._texts[name]

    def there(self, name: str, at: int) -> bool:
        """Return whether all records around a field are present in one row."""
        parent = self.record.by_name[name].parent
        if not parent:
            return True
        nulls = self.rows.field(parent).nulls
        return not (nulls is not None and bool(np.broadcast_to(nulls, (self.size,))[at])) and self.there(parent, at)

    def changed(self, change: Raw, at: int) -> Value:
        """Return the changed value of one row; None if the change does not apply to it.

        Numbers stay numbers, and lists stay lists.
        """
        assert change.made is not None
        before = self.value(change.field, at)
        after = change.made(before if isinstance(before, str) else written(before))
        kind = self._layout.plain(self.record.by_name[change.field]).type
        if after is None or pa.types.is_string(kind) or pa.types.is_dictionary(kind):
            return after
        if pa.types.is_list(kind):
            return DECODER.decode(after)
        return Number(after) if pa.types.is_integer(kind) or pa.types.is_decimal(kind) else after

    def replace(self, name: str, at: int, value: Value) -> None:
        """Replace the value of a field in one row."""
        self.values.setdefault(name, {})[at] = value

    def leaves(self, at: int) -> list[tuple[str, Value]]:
        """Return the present fields of one row, by their titles, with their values."""
        whole = {name for name, values in self.values.items() if at in values and name not in leaf_names(self.record)}
        return [
            (self.record.column(each.name), self.value(each.name, at))
            for each in self.record.shown
            if each.name in whole
            or (each.name in leaf_names(self.record) and each.parent not in whole and self.there(each.name, at))
        ]

    def unwritable(self) -> dict[int, str]:
        """Return the rows that the format cannot write, with the reasons. Raises Unwritable if no row is to blame."""
        batch = self._batch()
        try:
            self.form.file(self.record.name, batch)
            return {}
        except Unwritable:
            found = {}
            for at in range(self.size):
                try:
                    self.form.block(self.record.name, pc.take(batch, arrow(np.array([at]))), at)
                except Unwritable as fault:
                    found[at] = fault.reason
            # The first row follows the schema.
            if not found or 0 in found:
                raise
            return found

    def file(self, labels: dict[str, pa.Array] | None = None) -> bytes:
        """Return the rows as a file, with label columns in front if there are any."""
        return self.form.file(self.record.name, self._batch(labels))

    def _batch(self, labels: dict[str, pa.Array] | None = None) -> pa.RecordBatch:
        self._layout.tokens = {
            name: {at: self.form.token(value) for at, value in values.items()} for name, values in self.values.items()
        }
        return self._layout.batch(labels)
