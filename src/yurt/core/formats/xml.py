"""XML 1.0: a `records` element with one element a record, one record a line.

Values are in the forms of XML Schema. A missing value has no element, an empty text has an empty one. A carriage return
is written as `&#13;`, since readers turn a bare one into a line feed. Characters that XML 1.0 cannot hold (most control
characters, U+FFFE, U+FFFF) are an error that names field and row: there is no way to write them.
"""

from __future__ import annotations

import re

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yurt.core.base.arrays import bytes_of, changed_texts, is_text, joined, word
from yurt.core.formats.format import Format, Unwritable, finished
from yurt.core.text import lexical

# The production Char of XML 1.0 (fifth edition), section 2.2, turned around.
UNHOLDABLE = "[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]"
# The names that need no second look (section 2.3), without the colon of namespaces.
NAME = re.compile(r"[^\W\d][\w.-]*")
ENTITIES = {"&": "&amp;", "<": "&lt;", ">": "&gt;", "\r": "&#13;"}


def _escaped(texts: pa.Array) -> pa.Array:
    data = bytes_of(texts)
    for char, entity in ENTITIES.items():
        if (data == ord(char)).any():
            texts = pc.replace_substring(texts, pattern=char, replacement=entity)
    return texts


def _refuse_unholdable(where: str, column: pa.Array, first_row: int) -> None:
    """Raise Unwritable for the first text with a character that XML cannot hold."""
    texts = column.dictionary if pa.types.is_dictionary(column.type) else column
    data = bytes_of(texts)
    # 0xEF begins the UTF-8 form of U+FFFE and U+FFFF.
    if not ((data < 0x20) & ~np.isin(data, (9, 10, 13))).any() and not (data == 0xEF).any():
        return
    wrong = pc.fill_null(pc.match_substring_regex(lexical.text_of(column), UNHOLDABLE), False)
    if (row := pc.index(wrong, True).as_py()) >= 0:
        found = re.search(UNHOLDABLE, lexical.text_of(column)[row].as_py())
        code = f"U+{ord(found.group()):04X}" if found else "a control character"
        raise Unwritable(f"{where}, row {first_row + row + 1}: XML cannot hold the character {code}; CSV and JSON can")


def _content(where: str, column: pa.Array, first_row: int) -> pa.Array:
    """Return what stands inside the element of each value."""
    if finished(column):
        return pc.cast(column, pa.string())
    if pa.types.is_struct(column.type):
        return _elements(where, [each.name for each in column.type], column.flatten(), first_row)
    if pa.types.is_list(column.type):
        tokens = joined("<value>", _content(where, column.flatten(), first_row), "</value>")
        tokens = pc.fill_null(tokens, word("<value/>"))
        offsets = pc.subtract(column.offsets, column.offsets[0])
        return pc.binary_join(pa.ListArray.from_arrays(offsets, tokens), word(""))
    if not is_text(column):
        return lexical.text_of(column)
    _refuse_unholdable(where, column, first_row)
    return changed_texts(column, _escaped)


def _elements(where: str, names: list[str], columns: list[pa.Array], first_row: int) -> pa.Array:
    """Return the elements of some columns, one after the other; a missing value has none."""
    parts: list[pa.Array | str] = []
    before = ""
    for name, column in zip(names, columns, strict=True):
        if not NAME.fullmatch(name):
            raise Unwritable(f"{where}: XML has no element of the name `{name}`; CSV and JSON have")
        texts = _content(f"{where}.{name}", column, first_row)
        if column.null_count:
            element = joined(f"<{name}>", texts, f"</{name}>")
            present = pc.if_else(pc.is_valid(column), element, word(""))
            parts += [before, pc.fill_null(present, word(""))]
            before = ""
        else:
            parts += [f"{before}<{name}>", texts]
            before = f"</{name}>"
    parts.append(before)
    return joined(*parts)


def _records(record: str, batch: pa.RecordBatch, first_row: int) -> pa.Array:
    return joined(f"  <{record}>", _elements(record, batch.schema.names, batch.columns, first_row), f"</{record}>")


def _opening(record: str, names: list[str]) -> str:
    for name in names:
        if not NAME.fullmatch(name):
            raise Unwritable(f"{record}: XML has no element of the name `{name}`; CSV and JSON have")
    return '<?xml version="1.0" encoding="UTF-8"?>\n<records>\n'


XML = Format(
    "xml", ".xml", _opening, _records, "\n", "\n</records>\n", nests=True, finish=lambda column: _content("", column, 0)
)
