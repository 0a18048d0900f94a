"""Reads XML 1.0: the children of the root are records, and their children (or attributes) are fields.

Entities and document types are refused.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import IO, Any
from xml.parsers import expat

import numpy as np

from yurt.core.formats.common.raw import Block, Cell, Fault, Reading, Value, Values, as_record
from yurt.core.formats.common.tree import Layout, columns_of, layout_of, with_labels
from yurt.core.model import Record

PIECE = 1 << 18
ROWS = 1 << 14
MAX_DEPTH = 100
# The maximum number of characters of a record, in names and texts.
LONGEST = 1 << 26
# Stands for the text of an element that is nil; no text has it.
NIL = "\x00"


class _Refused(Exception):
    pass


class _Builder:
    """Builds the elements below the root: texts, lists of `value` elements, records of named ones.

    Prefixes of namespaces do not count. `empty` means that an empty element stands for a missing value.
    """

    def __init__(self, parser: expat.XMLParserType, empty: bool) -> None:
        self.parser, self.empty = parser, empty
        self.root: str | None = None
        self.size = 0
        self.open: list[tuple[str, list[tuple[str, Value]], list[str], int]] = []
        self.records: list[Value] = []
        self.lines: list[int] = []

    def start(self, name: str, attributes: dict[str, str]) -> None:
        name = name.rpartition(":")[2]
        if len(self.open) > MAX_DEPTH:
            raise _Refused("nested too deeply")
        if self.root is None:
            self.root = name
            return
        fields = [(each, Cell(text)) for each, text in attributes.items() if ":" not in each and each != "xmlns"]
        nil = [text for each, text in attributes.items() if each.rpartition(":")[2] == "nil" and ":" in each]
        self.open.append((name, fields, [NIL] if nil == ["true"] else [], self.parser.CurrentLineNumber))
        self._grow(len(name) + sum(len(each) + len(text) for each, text in attributes.items()))

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
        missing = not children and (texts == [NIL] or (self.empty and not texts and bool(self.open)))
        value = None if missing else _value(children, "".join(texts))
        if self.open:
            self.open[-1][1].append((name.rpartition(":")[2], value))
        else:
            value = as_record(value)
            self.records.append({} if isinstance(value, str) and not value.strip() else value)
            self.lines.append(line)

    def doctype(self, *_: Any) -> None:
        raise _Refused("a document type with entities is not allowed in a data file")


def _value(children: list[tuple[str, Value]], text: str) -> Value:
    if not children:
        return Cell(text)
    if all(name == "value" for name, _ in children):
        return Values(value for _, value in children)
    found = dict(children)
    if len(found) < len(children):
        names = [name for name, _ in children]
        raise _Refused(f"`{next(each for each in names if names.count(each) > 1)}` is repeated in one record")
    return found


class XmlReader:
    """Reads files with this root."""

    def __init__(self, root: str, empty: bool) -> None:
        self.root, self.empty = root, empty

    def read(self, stream: IO[bytes], record: Record, labels: tuple[str, ...]) -> Reading:
        """Return a file of a record type."""
        layout = with_labels(layout_of(record), labels)
        source = Reading(lambda: self._blocks(stream, layout, source))
        return source

    def _blocks(self, stream: IO[bytes], layout: Layout, source: Reading) -> Iterator[Block]:
        stream.seek(0)
        parser = expat.ParserCreate()
        builder = _Builder(parser, self.empty)
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
                yield Block(
                    len(kept), columns, np.array([line for line, fine in zip(lines, good, strict=True) if fine])
                )
        if builder.root is not None and builder.root != self.root:
            source.faults.append(Fault(1, f"the root is `{builder.root}`, not `{self.root}`"))
