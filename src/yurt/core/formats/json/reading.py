"""Reads JSON as in RFC 8259.

Readable forms are an array of records, one record, consecutive records, or one object with an array for each record
type. The file is read in pieces: only the records of one block are in memory at a time. Numbers keep their written
form.
"""

from __future__ import annotations

import codecs
import json
import re
from collections import deque
from collections.abc import Iterator
from typing import IO

from yurt.core.base.json_object import JsonObject
from yurt.core.formats.common.raw import NOTHING, Fault, Number, Reading, Value, meant, written
from yurt.core.formats.common.tree import blocks, layout_of, with_labels
from yurt.core.model import Record

PIECE = 1 << 20
ROWS = 1 << 14
# The maximum length of a record.
LONGEST = 1 << 26
BLANK = " \t\r\n"
# Where the first name of a document is looked for.
HEAD = 1 << 16


class _Doubled(ValueError):
    pass


def _pairs(pairs: list[tuple[str, Value]]) -> JsonObject:
    found = dict(pairs)
    if len(found) < len(pairs):
        names = [name for name, _ in pairs]
        raise _Doubled(f"the key `{next(each for each in names if names.count(each) > 1)}` is repeated in one record")
    return found


class _Decoder(json.JSONDecoder):
    """Decodes values that everything after it can hold: texts of whole characters, and no deep nesting."""

    def raw_decode(self, s: str, idx: int = 0) -> tuple[Value, int]:
        """Return the value at a place, and its end. Raises JSONDecodeError."""
        found, end = super().raw_decode(s, idx)
        if s.count("[", idx, end) + s.count("{", idx, end) > DEEPEST and _depth(found) > DEEPEST:
            raise json.JSONDecodeError(f"Nested more than {DEEPEST} levels deep", s, idx)
        if HALF.search(s, idx, end):
            try:
                written(found).encode()
            except UnicodeEncodeError:
                raise json.JSONDecodeError("Half a surrogate pair, which is no character", s, idx) from None
        return found, end


def _depth(value: Value) -> int:
    """Return how many lists and records are inside each other."""
    depth, level = 0, [value]
    while level := [each for each in level if isinstance(each, dict | list)]:
        depth += 1
        level = [one for each in level for one in (each.values() if isinstance(each, dict) else each)]
    return depth


# The levels of lists and records inside each other, and how half of a character begins.
DEEPEST = 100
HALF = re.compile(r"\\u[dD][89a-fA-F]")
DECODER = _Decoder(parse_int=Number, parse_float=Number, parse_constant=Number, object_pairs_hook=_pairs)


def token(value: Value) -> str:
    """Return one value in JSON; empty for an absent name."""
    return "" if value is NOTHING else written(value)


def read(
    stream: IO[bytes], record: Record, labels: tuple[str, ...], types: frozenset[str] = frozenset()
) -> Reading:  # fmt: skip
    """Return a JSON file of a record type; `types` are the record types that one document may have together."""
    layout = with_labels(layout_of(record), labels)
    source = Reading(lambda: blocks(_records(stream, source, record.name, types), layout, source, ROWS))
    return source


class _Text:
    """The text of a stream as far as it is needed; everything before `at` is discarded."""

    def __init__(self, stream: IO[bytes]) -> None:
        stream.seek(0)
        self.stream = stream
        self.decoder = codecs.getincrementaldecoder("utf-8-sig")()
        self.text, self.at, self.line, self.ended = "", 0, 1, False

    def more(self) -> bool:
        """Read on; return whether there was more."""
        if self.ended:
            return False
        piece = self.stream.read(PIECE)
        self.ended = not piece
        self.text = self.text[self.at :] + self.decoder.decode(piece, final=self.ended)
        self.at = 0
        return True

    def go(self, end: int) -> None:
        self.line += self.text.count("\n", self.at, end)
        self.at = end

    def char(self) -> str:
        """Return the next character that is not a space, without taking it; empty at the end."""
        while True:
            end = self.at
            while end < len(self.text) and self.text[end] in BLANK:
                end += 1
            self.go(end)
            if end < len(self.text):
                return self.text[end]
            if not self.more():
                return ""


def _records(stream: IO[bytes], source: Reading, name: str, types: frozenset[str]) -> Iterator[tuple[int, Value]]:
    """Yield each record of a type with the line on which it begins; a fault ends the file."""
    text = _Text(stream)
    try:
        if not text.char():
            source.faults.append(Fault(1, "the file is empty"))
            return
        if types and _document(text, types):
            yield from _member(text, name, types, source)
            return
        array = text.char() == "["
        if array:
            text.go(text.at + 1)
        yield from _values(text, array, source)
    except UnicodeDecodeError as error:
        source.faults.append(Fault(text.line, f"byte 0x{error.object[error.start]:02x} is not UTF-8"))
    except RecursionError:
        source.faults.append(Fault(text.line, "nested too deeply"))
    except _Doubled as error:
        source.faults.append(Fault(text.line, str(error)))


def _document(text: _Text, types: frozenset[str]) -> bool:
    """Return whether the file is one object with a list for each record type; nothing of it is taken."""
    while text.more():
        # The first name is in the first piece, unless spaces fill that.
        if len(text.text) - text.at > HEAD:
            break
    found = re.match(r'\s*\{\s*"((?:[^"\\]|\\.)*)"\s*:\s*\[', text.text[text.at :])
    return found is not None and json.loads(f'"{found[1]}"') in types


def _member(text: _Text, name: str, types: frozenset[str], source: Reading) -> Iterator[tuple[int, Value]]:
    """Yield the records of one type in a document of several; those of the others are passed over."""
    seen: set[str] = set()
    while text.char() in ("{", ","):
        text.go(text.at + 1)
        text.char()
        try:
            own, end = _decoded(text)
        except json.JSONDecodeError:
            break
        text.go(end)
        if text.char() != ":":
            break
        text.go(text.at + 1)
        if own in seen:
            source.faults.append(Fault(text.line, f"the key `{own}` is repeated"))
            return
        if text.char() != "[":
            source.faults.append(Fault(text.line, f"`{own}` is not a list of records"))
            return
        text.go(text.at + 1)
        seen.add(own)
        source.strangers |= {} if own in types else {own: meant(own, types)}
        before = len(source.faults)
        values = _values(text, True, source, last=False)
        if own == name:
            yield from values
        else:
            deque(values, maxlen=0)
        if len(source.faults) > before:
            return
    if text.char() != "}":
        source.faults.append(Fault(text.line, "not JSON: a name, a colon, and a list were expected"))
        return
    text.go(text.at + 1)
    if text.char():
        source.faults.append(Fault(text.line, "there is text after the end of the document"))
    elif name not in seen:
        source.faults.append(Fault(text.line, f"the document has no `{name}`"))


def _values(text: _Text, array: bool, source: Reading, last: bool = True) -> Iterator[tuple[int, Value]]:
    first = True
    while True:
        char = text.char()
        if array and char == "]":
            text.go(text.at + 1)
            if last and text.char():
                source.faults.append(Fault(text.line, "there is text after the end of the array"))
            return
        if not char:
            if array:
                source.faults.append(Fault(text.line, "the array is never closed: the file is cut off"))
            return
        if array and not first:
            if char != ",":
                source.faults.append(Fault(text.line, "a comma between two records is missing"))
                return
            text.go(text.at + 1)
            text.char()
        first = False
        try:
            record, end = _decoded(text)
        except json.JSONDecodeError as error:
            line = text.line + error.doc.count("\n", text.at, error.pos)
            source.faults.append(Fault(line, f"not JSON: {error.msg[:1].lower()}{error.msg[1:]}"))
            return
        line = text.line
        text.go(end)
        yield line, record


def _decoded(text: _Text) -> tuple[Value, int]:
    """Return the next value and its end; a value that is cut by the end of a piece is read again with more."""
    while True:
        try:
            found, end = DECODER.raw_decode(text.text, text.at)
        except json.JSONDecodeError as error:
            near_end = error.pos >= len(text.text) - 32 or error.msg.startswith("Unterminated string")
            if near_end and len(text.text) - text.at < LONGEST and text.more():
                continue
            raise
        # A number at the end may continue in the next piece.
        if end == len(text.text) and text.more():
            continue
        return found, end
