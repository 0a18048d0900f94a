"""Writes cells and lines in a dialect.

A text is quoted if it contains the delimiter, a quote, CR, or LF, or is empty: `""` is an empty text, an empty cell is
a missing value. All other values are in the standard forms of `yurt.core.text.lexical`.
"""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import bytes_of, changed_texts, is_text, joined, nothing, strings, word
from yurt.core.formats.common.format import finished
from yurt.core.formats.common.raw import NOTHING, Number, Value, written
from yurt.core.formats.csv.dialect import FORMULA, Dialect
from yurt.core.text import forms


class CellWriter:
    """Writes values as cells and records as lines."""

    def __init__(self, dialect: Dialect) -> None:
        self.dialect = dialect
        self._special = np.frombuffer(dialect.special.encode(), dtype=np.uint8)
        self._needs = dialect.needs_quotes
        self._always = dialect.quoting != "minimal"

    def records(self, _record: str, batch: pa.RecordBatch, _first_row: int) -> pa.Array:
        """Return one line per record."""
        cells = [self.cell(column) for column in batch.columns]
        missing = word(self.dialect.null)
        if len(cells) == 1:
            return pc.fill_null(cells[0], missing)
        return joined(*cells, between=self.dialect.delimiter, missing=self.dialect.null)

    def opening(self, _record: str, names: list[str]) -> str:
        """Return the header line."""
        if not self.dialect.header:
            return ""
        return self.dialect.delimiter.join(self._quoted(strings(names)).to_pylist()) + self.dialect.end

    def cell(self, column: pa.Array) -> pa.Array:
        """Return the values of a column as cells; missing ones stay missing."""
        if finished(column):
            return pc.cast(column, pa.string())
        if pa.types.is_list(column.type):
            texts = forms.text_of(column)
            quoted = self._quoted(pc.fill_null(texts, word("")))
            return pc.if_else(pc.is_valid(texts), quoted, nothing(pa.string())) if texts.null_count else quoted
        if is_text(column):
            return changed_texts(column, self._quoted)
        plain = forms.text_of(column)
        quote = self.dialect.quote
        return joined(quote, plain, quote) if self.dialect.quoting == "all" else plain

    def token(self, value: Value) -> str | None:
        """Return one value as a cell."""
        if value is None or value is NOTHING:
            return None
        if isinstance(value, bool):
            return "true" if value else "false"
        text = str(value) if isinstance(value, str) else written(value)
        if isinstance(value, Number) and text:
            return text
        return str(self._quoted(strings([text]))[0].as_py())

    def _quoted(self, texts: pa.Array) -> pa.Array:
        """Return the texts, in quotes where needed."""
        if self.dialect.defused:
            formula = pc.match_substring_regex(texts, FORMULA)
            texts = pc.if_else(formula, joined("'", texts), texts)
        if not self._always and not self.dialect.null:
            data = bytes_of(texts)
            if not any((data == special).any() for special in self._special) and not _any_empty(texts):
                return texts
        quote = self.dialect.quote
        if self.dialect.doubled:
            inside = pc.replace_substring(texts, pattern=quote, replacement=quote * 2)
        else:
            inside = pc.replace_substring(texts, pattern="\\", replacement="\\\\")
            inside = pc.replace_substring(inside, pattern=quote, replacement="\\" + quote)
        whole = joined(quote, inside, quote)
        return whole if self._always else pc.if_else(pc.match_substring_regex(texts, self._needs), whole, texts)


def cannot(value: Value) -> str:
    """Return why a cell cannot hold a value; empty if it can."""
    if value is NOTHING:
        return "CSV has no absent cell: it is a missing value"
    return "" if isinstance(value, str | None) else "CSV has texts only"


def _any_empty(texts: pa.Array) -> bool:
    return bool(len(texts)) and pc.min(pc.binary_length(texts)).as_py() == 0
