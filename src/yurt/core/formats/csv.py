"""CSV as in RFC 4180: comma, CRLF, a header line.

A text is quoted when it holds a comma, a quote, CR or LF, or is empty: `""` is an empty text, an empty cell is a
missing value. All other values are in the standard forms of `yurt.core.lexical`.
"""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yurt.core.base.arrays import bytes_of, changed_texts, is_text, joined, nothing, strings, word
from yurt.core.formats.format import Format, finished
from yurt.core.text import lexical

SPECIAL = np.frombuffer(b'",\r\n', dtype=np.uint8)
NEEDS_QUOTES = '^$|[",\r\n]'


def _quoted(texts: pa.Array) -> pa.Array:
    """Return the texts, those that need it in quotes."""
    data = bytes_of(texts)
    if not any((data == special).any() for special in SPECIAL) and not _any_empty(texts):
        return texts
    doubled = pc.replace_substring(texts, pattern='"', replacement='""')
    return pc.if_else(pc.match_substring_regex(texts, NEEDS_QUOTES), joined('"', doubled, '"'), texts)


def _any_empty(texts: pa.Array) -> bool:
    return bool(len(texts)) and pc.min(pc.binary_length(texts)).as_py() == 0


def _cell(column: pa.Array) -> pa.Array:
    if finished(column):
        return pc.cast(column, pa.string())
    if pa.types.is_list(column.type):
        texts = lexical.text_of(column)
        quoted = _quoted(pc.fill_null(texts, word("")))
        return pc.if_else(pc.is_valid(texts), quoted, nothing(pa.string())) if texts.null_count else quoted
    return changed_texts(column, _quoted) if is_text(column) else lexical.text_of(column)


def _records(_record: str, batch: pa.RecordBatch, _first_row: int) -> pa.Array:
    cells = [_cell(column) for column in batch.columns]
    if len(cells) == 1:
        return pc.fill_null(cells[0], word(""))
    return joined(*cells, between=",", missing="")


def _opening(_record: str, names: list[str]) -> str:
    return ",".join(_quoted(strings(names)).to_pylist()) + "\r\n"


CSV = Format("csv", ".csv", _opening, _records, "\r\n", "\r\n", finish=_cell)
