"""Writes XML 1.0: a root with one element per record, one record per line.

Values have the forms of XML Schema. A carriage return is written as `&#13;`, because readers turn a bare one into a
line feed. Characters that XML 1.0 cannot express (most control characters, U+FFFE, U+FFFF) are an error that names
field and row.
"""

from __future__ import annotations

import re

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import bytes_of, changed_texts, flags, is_text, joined, word
from yurt.core.base.data_classes import dataclass
from yurt.core.formats.common.format import Unwritable, finished
from yurt.core.formats.common.raw import NOTHING, Value
from yurt.core.text import forms

# The production Char of XML 1.0 (fifth edition), section 2.2, negated.
UNHOLDABLE = "[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]"
# Names that need no further check (section 2.3), without the colon of namespaces.
NAME = re.compile(r"[^\W\d][\w.-]*")
ENTITIES = {"&": "&amp;", "<": "&lt;", ">": "&gt;", "\r": "&#13;"}
# In attributes, readers turn line feeds and tabs into spaces as well (section 3.3.3).
OF_ATTRIBUTES = {**ENTITIES, '"': "&quot;", "\n": "&#10;", "\t": "&#9;"}
INSTANCE = "http://www.w3.org/2001/XMLSchema-instance"


@dataclass(frozen=True)
class Dress:
    """The names of the root and of a record (empty: of the record type), and how values are written."""

    root: str = "records"
    record: str = ""
    missing: str = "absent"
    attributes: bool = False
    namespace: str = ""
    prefix: str = ""


class XmlWriter:
    """Writes records as elements."""

    def __init__(self, dress: Dress) -> None:
        self.dress = dress
        self.prefix = f"{dress.prefix}:" if dress.prefix else ""

    @property
    def closing(self) -> str:
        """The end of the file."""
        return f"\n</{self.prefix}{self.dress.root}>\n"

    def opening(self, record: str, names: list[str]) -> str:
        """Return the start of the file, with the namespaces."""
        for name in names:
            checked(name, f"{record}: ")
        dress, found = self.dress, '<?xml version="1.0" encoding="UTF-8"?>\n'
        prefix = f":{dress.prefix}" if dress.prefix else ""
        name = _with(dress.namespace, OF_ATTRIBUTES)
        spaces = f' xmlns{prefix}="{name}"' if name else ""
        spaces += f' xmlns:xsi="{INSTANCE}"' if dress.missing == "nil" else ""
        return f"{found}<{self.prefix}{dress.root}{spaces}>\n"

    def records(self, record: str, batch: pa.RecordBatch, first_row: int) -> pa.Array:
        """Return one element per record."""
        name = self.prefix + (self.dress.record or record)
        pairs = list(zip(batch.schema.names, batch.columns, strict=True))
        if not self.dress.attributes:
            return joined(f"  <{name}>", self._elements(record, pairs, first_row), f"</{name}>")
        deep = [each for each in pairs if pa.types.is_nested(each[1].type)]
        flat = [each for each in pairs if not pa.types.is_nested(each[1].type)]
        inside = [f"  <{name}", self._attributes(record, flat, first_row)] if flat else [f"  <{name}"]
        if not deep:
            return joined(*inside, "/>")
        return joined(*inside, ">", self._elements(record, deep, first_row), f"</{name}>")

    def content(self, where: str, column: pa.Array, first_row: int) -> pa.Array:
        """Return the contents of the element of each value."""
        if finished(column):
            return pc.cast(column, pa.string())
        if pa.types.is_struct(column.type):
            pairs = [(each.name, inner) for each, inner in zip(column.type, column.flatten(), strict=True)]
            return self._elements(where, pairs, first_row)
        if pa.types.is_list(column.type):
            value = f"{self.prefix}value"
            tokens = joined(f"<{value}>", self.content(where, pc.list_flatten(column), first_row), f"</{value}>")
            tokens = pc.fill_null(tokens, word(self._missing("value") or f"<{value}/>"))
            offsets = pc.subtract(column.offsets, column.offsets[0])
            return pc.binary_join(pa.ListArray.from_arrays(offsets, tokens), word(""))
        if not is_text(column):
            return forms.text_of(column)
        _refuse_unholdable(where, column, first_row)
        return changed_texts(column, lambda texts: escaped(texts, ENTITIES))

    def finish(self, column: pa.Array) -> pa.Array:
        """Return a column as it is in the file, whether it becomes elements or attributes."""
        if self.dress.attributes and is_text(column) and not finished(column):
            return changed_texts(column, lambda texts: escaped(texts, OF_ATTRIBUTES))
        return self.content("", column, 0)

    def token(self, value: Value) -> str | None:
        """Return one value as the contents of an element; None for one without an element."""
        if value is None or value is NOTHING:
            return None
        if isinstance(value, dict):
            tokens = {self.prefix + checked(name): self.token(each) for name, each in value.items()}
            return "".join(f"<{name}>{inside}</{name}>" for name, inside in tokens.items() if inside is not None)
        if isinstance(value, list):
            name = f"{self.prefix}value"
            inside = (self.token(each) for each in value)
            return "".join(f"<{name}/>" if each is None else f"<{name}>{each}</{name}>" for each in inside)
        if isinstance(value, bool):
            return "true" if value else "false"
        return _with(str(value), OF_ATTRIBUTES if self.dress.attributes else ENTITIES)

    def _elements(self, where: str, pairs: list[tuple[str, pa.Array]], first_row: int) -> pa.Array:
        """Return the elements of some columns, joined."""
        parts: list[pa.Array | str] = []
        before = ""
        for plain, column in pairs:
            name = self.prefix + checked(plain, f"{where}: ")
            texts = self.content(f"{where}.{plain}", column, first_row)
            if column.null_count:
                element = joined(f"<{name}>", texts, f"</{name}>")
                missing = word(self._missing(plain))
                parts += [before, pc.fill_null(pc.if_else(pc.is_valid(column), element, missing), missing)]
                before = ""
            else:
                parts += [f"{before}<{name}>", texts]
                before = f"</{name}>"
        parts.append(before)
        return joined(*parts)

    def _missing(self, name: str) -> str:
        """Return what stands for a missing value."""
        if self.dress.missing == "absent":
            return ""
        nil = ' xsi:nil="true"' if self.dress.missing == "nil" else ""
        return f"<{self.prefix}{name}{nil}/>"

    def _attributes(self, where: str, pairs: list[tuple[str, pa.Array]], first_row: int) -> pa.Array:
        """Return the attributes of some columns, joined; a missing value has none."""
        parts: list[pa.Array | str] = []
        for name, column in pairs:
            checked(name, f"{where}: ")
            texts = forms.text_of(column)
            if finished(column):
                texts = pc.cast(column, pa.string())
            elif is_text(column):
                _refuse_unholdable(f"{where}.{name}", column, first_row)
                texts = escaped(texts, OF_ATTRIBUTES)
            parts.append(pc.fill_null(joined(f' {name}="', texts, '"'), word("")))
        return joined(*parts, "") if len(parts) == 1 else joined(*parts)


def _with(text: str, entities: dict[str, str]) -> str:
    for char, entity in entities.items():
        text = text.replace(char, entity)
    return text


def escaped(texts: pa.Array, entities: dict[str, str]) -> pa.Array:
    """Return texts with entities in place of some characters."""
    data = bytes_of(texts)
    for char, entity in entities.items():
        if (data == ord(char)).any():
            texts = pc.replace_substring(texts, pattern=char, replacement=entity)
    return texts


def checked(name: str, where: str = "") -> str:
    """Return the name of an element. Raises Unwritable for one that XML does not allow."""
    if not NAME.fullmatch(name):
        raise Unwritable(f"{where}XML cannot have an element named `{name}`; CSV and JSON have")
    return name


def cannot(value: Value) -> str:
    """Return why an element cannot hold a value; empty if it can."""
    if value is NOTHING:
        return "XML has no null: a missing value is an absent element"
    if isinstance(value, str) and (found := re.search(UNHOLDABLE, value)):
        return f"XML cannot express the character U+{ord(found[0]):04X}"
    return "" if isinstance(value, str | None) else "XML has texts only"


def _refuse_unholdable(where: str, column: pa.Array, first_row: int) -> None:
    """Raise Unwritable for the first text with a character that XML cannot express."""
    texts = column.dictionary if pa.types.is_dictionary(column.type) else column
    data = bytes_of(texts)
    # 0xEF begins the UTF-8 form of U+FFFE and U+FFFF.
    if not ((data < 0x20) & ~np.isin(data, (9, 10, 13))).any() and not (data == 0xEF).any():
        return
    wrong = pc.match_substring_regex(forms.text_of(column), UNHOLDABLE)
    if len(rows := np.flatnonzero(flags(wrong))):
        row = int(rows[0])
        found = re.search(UNHOLDABLE, forms.text_of(column)[row].as_py())
        code = f"U+{ord(found.group()):04X}" if found else "a control character"
        raise Unwritable(
            f"{where}, row {first_row + row + 1}: XML cannot express the character {code}; CSV and JSON can"
        )
