"""XML 1.0: a `records` element with one element per record, one record per line.

Values have the forms of XML Schema. A missing value has no element, an empty text has an empty one. A carriage return
is written as `&#13;`, because readers turn a bare one into a line feed. Characters that XML 1.0 cannot express (most
control characters, U+FFFE, U+FFFF) are an error that names field and row.

The children of the root are records, and their children are fields. Entities and document types are refused.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import IO, Any
from xml.parsers import expat

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yurt.core.base.arrays import bytes_of, changed_texts, flags, is_text, joined, word
from yurt.core.formats.common.breaks import ANY, DEEP, Break, byte_order_mark
from yurt.core.formats.common.format import Format, Unwritable, finished
from yurt.core.formats.common.raw import NOTHING, Block, Cell, Fault, Reading, Value, Values, as_record
from yurt.core.formats.common.tree import Layout, columns_of, layout_of, with_labels
from yurt.core.model import Record
from yurt.core.text import forms

# The production Char of XML 1.0 (fifth edition), section 2.2, negated.
UNHOLDABLE = "[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]"
# Names that need no further check (section 2.3), without the colon of namespaces.
NAME = re.compile(r"[^\W\d][\w.-]*")
ENTITIES = {"&": "&amp;", "<": "&lt;", ">": "&gt;", "\r": "&#13;"}
PIECE = 1 << 18
ROWS = 1 << 14
MAX_DEPTH = 100
# The maximum number of characters of a record, in names and texts.
LONGEST = 1 << 26


def _escaped(texts: pa.Array) -> pa.Array:
    data = bytes_of(texts)
    for char, entity in ENTITIES.items():
        if (data == ord(char)).any():
            texts = pc.replace_substring(texts, pattern=char, replacement=entity)
    return texts


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


def _content(where: str, column: pa.Array, first_row: int) -> pa.Array:
    """Return the contents of the element of each value."""
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
        return forms.text_of(column)
    _refuse_unholdable(where, column, first_row)
    return changed_texts(column, _escaped)


def _elements(where: str, names: list[str], columns: list[pa.Array], first_row: int) -> pa.Array:
    """Return the elements of some columns, joined; a missing value has none."""
    parts: list[pa.Array | str] = []
    before = ""
    for name, column in zip(names, columns, strict=True):
        if not NAME.fullmatch(name):
            raise Unwritable(f"{where}: XML cannot have an element named `{name}`; CSV and JSON have")
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
            raise Unwritable(f"{record}: XML cannot have an element named `{name}`; CSV and JSON have")
    return '<?xml version="1.0" encoding="UTF-8"?>\n<records>\n'


def _token(value: Value) -> str | None:
    """Return one value as the contents of an element; None for one without an element."""
    if value is None or value is NOTHING:
        return None
    if isinstance(value, dict):
        tokens = {_name(name): _token(each) for name, each in value.items()}
        return "".join(f"<{name}>{inside}</{name}>" for name, inside in tokens.items() if inside is not None)
    if isinstance(value, list):
        inside = (_token(each) for each in value)
        return "".join("<value/>" if each is None else f"<value>{each}</value>" for each in inside)
    if isinstance(value, bool):
        return "true" if value else "false"
    text = str(value)
    for char, entity in ENTITIES.items():
        text = text.replace(char, entity)
    return text


def _name(name: str) -> str:
    if not NAME.fullmatch(name):
        raise Unwritable(f"XML cannot have an element named `{name}`; CSV and JSON have")
    return name


def _cannot(value: Value) -> str:
    if value is NOTHING:
        return "XML has no null: a missing value is an absent element"
    if isinstance(value, str) and (found := re.search(UNHOLDABLE, value)):
        return f"XML cannot express the character U+{ord(found[0]):04X}"
    return "" if isinstance(value, str | None) else "XML has texts only"


class _Refused(Exception):
    pass


class _Builder:
    """Builds the elements below the root: texts, lists of `value` elements, records of named ones."""

    def __init__(self, parser: expat.XMLParserType) -> None:
        self.parser = parser
        self.root: str | None = None
        self.size = 0
        self.open: list[tuple[str, list[tuple[str, Any]], list[str], int]] = []
        self.records: list[Any] = []
        self.lines: list[int] = []

    def start(self, name: str, attributes: dict[str, str]) -> None:
        if len(self.open) > MAX_DEPTH:
            raise _Refused("nested too deeply")
        if self.root is None:
            self.root = name
            return
        self.open.append((name, [], [], self.parser.CurrentLineNumber))
        self._grow(len(name))

    def text(self, data: str) -> None:
        if self.open:
            self.open[-1][2].append(data)
            self._grow(len(data))
        elif data.strip():
            raise _Refused(f"text between records: {data.strip()[:40]!r}")

    def _grow(self, size: int) -> None:
        """Count the contents of one record, which must fit into memory."""
        self.size = self.size + size if len(self.open) > 1 else size
        if self.size > LONGEST:
            raise _Refused(f"a record of more than {LONGEST:,} characters")

    def end(self, name: str) -> None:
        if not self.open:
            return
        _, children, texts, line = self.open.pop()
        value = _value(children, "".join(texts))
        if self.open:
            self.open[-1][1].append((name, value))
        else:
            value = as_record(value)
            self.records.append({} if isinstance(value, str) and not value.strip() else value)
            self.lines.append(line)

    def doctype(self, *_: Any) -> None:
        raise _Refused("a document type with entities is not allowed in a data file")


def _value(children: list[tuple[str, Any]], text: str) -> Any:
    if not children:
        return Cell(text)
    if all(name == "value" for name, _ in children):
        return Values(value for _, value in children)
    found = dict(children)
    if len(found) < len(children):
        names = [name for name, _ in children]
        raise _Refused(f"`{next(each for each in names if names.count(each) > 1)}` is repeated in one record")
    return found


def _blocks(stream: IO[bytes], layout: Layout, source: Reading) -> Iterator[Block]:
    stream.seek(0)
    parser = expat.ParserCreate()
    builder = _Builder(parser)
    parser.buffer_text = True
    parser.StartElementHandler, parser.EndElementHandler = builder.start, builder.end
    parser.CharacterDataHandler, parser.StartDoctypeDeclHandler = builder.text, builder.doctype
    ended = False
    while not ended:
        piece = stream.read(PIECE)
        ended = not piece
        try:
            parser.Parse(piece, ended)
        except expat.ExpatError as error:
            source.faults.append(Fault(error.lineno, f"not well-formed XML: {expat.ErrorString(error.code)}"))
            ended = True
        except (_Refused, ValueError, LookupError) as error:
            source.faults.append(Fault(parser.CurrentLineNumber, str(error)))
            ended = True
        while len(builder.records) >= ROWS or (ended and builder.records):
            records, builder.records = builder.records[:ROWS], builder.records[ROWS:]
            lines, builder.lines = builder.lines[:ROWS], builder.lines[ROWS:]
            good = [isinstance(each, dict) for each in records]
            for line, fine in zip(lines, good, strict=True):
                if not fine:
                    source.faults.append(Fault(line, "a record with a field in each element was expected"))
            kept = [each for each, fine in zip(records, good, strict=True) if fine]
            columns = columns_of(kept, layout, source)
            yield Block(len(kept), columns, np.array([line for line, fine in zip(lines, good, strict=True) if fine]))
    if builder.root is not None and builder.root != "records":
        source.faults.append(Fault(1, f"the root is `{builder.root}`, not `records`"))


def _read(stream: IO[bytes], record: Record, labels: tuple[str, ...]) -> Reading:
    """Return an XML file of a record type."""
    layout = with_labels(layout_of(record), labels)
    source = Reading(lambda: _blocks(stream, layout, source))
    return source


def _crossed(data: bytes, record: str) -> bytes:
    """Close two elements in the wrong order."""
    closing = f"</{record}>".encode()
    found = re.search(rb"(</[\w.-]+>)" + re.escape(closing), data)
    return data[: found.start()] + closing + found[1] + data[found.end() :] if found else data.replace(closing, b"", 1)


def _other_root(data: bytes, record: str) -> bytes:
    return data.replace(b"<records>", b"<data>").replace(b"</records>", b"</data>")


def _two_roots(data: bytes, record: str) -> bytes:
    return data + b"<records/>\n"


def _entities(data: bytes, record: str) -> bytes:
    """Entities that grow tenfold with each level, but only a few levels."""
    levels = "".join(f'<!ENTITY e{at} "{f"&e{at - 1};" * 10}">' for at in range(1, 5))
    doctype = f'<!DOCTYPE records [<!ENTITY e0 "x">{levels}]>\n'.encode()
    at = data.find(b"<records>")
    return data[:at] + doctype + re.sub(rb">[^<]+</", b">&e4;</", data[at:], count=1)


def _outside_entity(data: bytes, record: str) -> bytes:
    at = data.find(b"<records>")
    doctype = b'<!DOCTYPE records [<!ENTITY outside SYSTEM "file:///etc/hostname">]>\n'
    return data[:at] + doctype + re.sub(rb">[^<]+</", b">&outside;</", data[at:], count=1)


def _bare_ampersand(data: bytes, record: str) -> bytes:
    return re.sub(rb">([^<>]+)</", rb">\1 & more</", data, count=1)


def _undeclared(data: bytes, record: str) -> bytes:
    return data.replace(b'encoding="UTF-8"', b'encoding="UTF-16"')


def _deep_elements(data: bytes, record: str) -> bytes:
    return b"<records>" + b"<a>" * DEEP + b"</a>" * DEEP + b"</records>\n"


FORMAT = Format(
    "xml", (".xml",), _opening, _records, "\n", "\n</records>\n", lambda column: _content("", column, 0), _token,
    _cannot, _read,
    (
        *ANY,
        Break("byte-order-mark", "accept", "a byte order mark is allowed in front (XML 1.0, 4.3.3)", byte_order_mark),
        Break("crossed-elements", "reject", "elements are closed in the wrong order", _crossed),
        Break("other-root", "reject", "the root has another name", _other_root),
        Break("two-roots", "reject", "there are two roots", _two_roots),
        Break("entities", "reject", "entities that grow", _entities),
        Break("outside-entity", "reject", "an entity that reads another file", _outside_entity),
        Break("bare-ampersand", "reject", "an ampersand that does not begin an entity", _bare_ampersand),
        Break("wrong-declaration", "reject", "the declaration names another encoding", _undeclared),
        Break("deep", "reject", f"{DEEP:,} nested elements", _deep_elements),
    ),
    nests=True,
)  # fmt: skip
