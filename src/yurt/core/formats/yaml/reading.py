"""Reads YAML as a stream: a sequence of mappings, or one mapping per document.

Plain values have the types of the core schema (YAML 1.2.2, section 10.3.2), so `no` and `2026-06-15` are texts. Tags
and aliases are not read: a file of records has no need of them, and they could make a small file a large one.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from decimal import Decimal
from typing import IO, Any, cast

import yaml

from yurt.core.base.json_object import JsonObject
from yurt.core.formats.common.raw import Fault, Number, Reading, Value
from yurt.core.formats.common.tree import blocks, layout_of, with_labels
from yurt.core.model import Record

ROWS = 1 << 12
# The maximum length of a record, and how deep it may be.
LONGEST, DEEPEST = 1 << 26, 100
NULL = re.compile(r"~|null|Null|NULL|")
BOOLEAN = re.compile(r"true|True|TRUE|false|False|FALSE")
NUMBER = re.compile(r"-?(0|[1-9][0-9]*)(\.[0-9]+)?([eE][-+]?[0-9]+)?")
OTHER_NUMBER = re.compile(r"[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]{1,9})?")
BASED = re.compile(r"0o[0-7]{1,21}|0x[0-9a-fA-F]{1,16}")
NOT_FINITE = re.compile(r"[-+]?\.(inf|Inf|INF)|\.(nan|NaN|NAN)")


class _Wrong(Exception):
    def __init__(self, mark: Any, message: str) -> None:
        super().__init__(message)
        self.line = mark.line + 1 if mark is not None else None


def read(stream: IO[bytes], record: Record, labels: tuple[str, ...]) -> Reading:
    """Return a YAML file of a record type."""
    layout = with_labels(layout_of(record), labels)
    source = Reading(lambda: blocks(_records(stream, source), layout, source, ROWS))
    return source


class _Bounded:
    """A stream of UTF-8 that ends with a fault when a record is too long."""

    def __init__(self, stream: IO[bytes]) -> None:
        stream.seek(0)
        self.stream, self.since = stream, 0

    def read(self, size: int) -> bytes:
        """Return the next bytes."""
        data = self.stream.read(size)
        self.since += len(data)
        if self.since > LONGEST:
            raise _Wrong(None, f"a record is longer than {LONGEST:,} bytes")
        return data


def _records(stream: IO[bytes], source: Reading) -> Iterator[tuple[int, Value]]:
    """Yield each record with the line on which it begins; a fault ends the file."""
    bounded = _Bounded(stream)
    some = False
    try:
        if stream.read(4).startswith((b"\xff\xfe", b"\xfe\xff")):
            raise _Wrong(None, "bytes that are not UTF-8")
        stream.seek(0)
        events: Any = yaml.parse(cast("Any", bounded), Loader=getattr(yaml, "CSafeLoader", yaml.SafeLoader))
        for event in events:
            if isinstance(event, yaml.SequenceStartEvent):
                _plain(event)
                some = True
                while not isinstance(item := next(events), yaml.SequenceEndEvent):
                    yield _line(item), _value(item, events, 0)
                    bounded.since = 0
            elif isinstance(event, yaml.NodeEvent):
                some = True
                yield _line(event), _value(event, events, 0)
                bounded.since = 0
        if not some:
            source.faults.append(Fault(1, "the file is empty"))
    except _Wrong as fault:
        source.faults.append(Fault(fault.line, str(fault)))
    except yaml.reader.ReaderError as fault:
        source.faults.append(Fault(None, f"bytes or characters that YAML does not have: {fault.reason}"))
    except yaml.MarkedYAMLError as fault:
        mark = fault.problem_mark or fault.context_mark
        source.faults.append(Fault(mark.line + 1 if mark else None, f"not YAML: {fault.problem or fault.context}"))


def _line(event: Any) -> int:
    return int(event.start_mark.line) + 1


def _plain(event: Any) -> None:
    """Raise _Wrong for what is not read."""
    if isinstance(event, yaml.AliasEvent):
        raise _Wrong(event.start_mark, f"the alias `*{event.anchor}` is not read; write the value itself")
    if event.tag is not None:
        raise _Wrong(event.start_mark, f"the tag `{event.tag}` is not read; write the value without it")


def _value(event: Any, events: Iterator[Any], depth: int) -> Value:
    """Return the value that begins with an event."""
    if depth > DEEPEST:
        raise _Wrong(event.start_mark, "nested too deeply")
    _plain(event)
    if isinstance(event, yaml.SequenceStartEvent):
        items = []
        while not isinstance(event := next(events), yaml.SequenceEndEvent):
            items.append(_value(event, events, depth + 1))
        return items
    if isinstance(event, yaml.MappingStartEvent):
        found: JsonObject = {}
        while not isinstance(event := next(events), yaml.MappingEndEvent):
            mark = event.start_mark
            _plain(event)
            if not isinstance(event, yaml.ScalarEvent):
                raise _Wrong(mark, "a key is a list or a mapping; it must be a name")
            if event.value in found:
                raise _Wrong(mark, f"the key `{event.value}` is repeated in one record")
            found[event.value] = _value(next(events), events, depth + 1)
        return found
    return _scalar(event.value) if event.implicit[0] and not event.style else str(event.value)


def _scalar(text: str) -> Value:
    """Return what a plain value is in the core schema; numbers keep their digits."""
    if NULL.fullmatch(text):
        return None
    if BOOLEAN.fullmatch(text):
        return text[0] in "tT"
    if NUMBER.fullmatch(text):
        return Number(text)
    if BASED.fullmatch(text):
        return Number(str(int(text, 0)))
    if OTHER_NUMBER.fullmatch(text):
        return Number(str(Decimal(text)))
    if NOT_FINITE.fullmatch(text):
        return Number("NaN" if "n" in text[1:2].lower() else ("-" if text[0] == "-" else "") + "Infinity")
    return text
