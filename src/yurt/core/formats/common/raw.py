"""Values as they are in a file, before their types are known."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Iterator
from typing import IO, Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, flags, nothing, strings
from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.nearest import nearest

# What a value is in the file. A CELL is a text in a format without types (CSV, XML).
ABSENT, NULL, BOOLEAN, NUMBER, STRING, ARRAY, OBJECT, CELL = range(8)
WORDS = ("absent", "null", "a Boolean", "a number", "a text", "a list", "a record", "a text")


class Number(str):
    """A JSON number with the digits of the file."""

    __slots__ = ()


class Values(list[Any]):
    """The elements named `value` inside an XML element: a list, or a record with a field of that name."""


class Cell(str):
    """A text of a format without types."""

    __slots__ = ()


class Nothing:
    """Stands for an absent field; it is a single object."""

    def __repr__(self) -> str:
        return "NOTHING"


NOTHING = Nothing()
# A value in a tree; numbers are `Number`, with the digits of the file.
Value = Any
SORTS: dict[type, int] = {
    Nothing: ABSENT, type(None): NULL, bool: BOOLEAN, Number: NUMBER, str: STRING, list: ARRAY, dict: OBJECT,
    Cell: CELL, Values: ARRAY,
}  # fmt: skip


@dataclass(frozen=True)
class Raw:
    """A field of some rows: the text of each value, what it is, and the contents of lists and records.

    `array` has the values as a typed file has them.
    """

    texts: pa.Array
    sorts: NDArray[np.uint8]
    objects: list[Any] | None = None
    array: pa.Array | None = None

    @property
    def missing(self) -> NDArray[np.bool_]:
        """Where there is no value."""
        return self.sorts <= NULL

    def take(self, places: NDArray[np.int64]) -> Raw:
        objects = None if self.objects is None else [self.objects[at] for at in places.tolist()]
        array = None if self.array is None else pc.take(self.array, arrow(places))
        return Raw(pc.take(self.texts, arrow(places)), self.sorts[places], objects, array)

    def shown(self, at: int) -> str:
        """Return a value as a message shows it."""
        sort = int(self.sorts[at])
        if sort <= NULL:
            return "nothing" if sort == ABSENT else "null"
        text = str(self.texts[at].as_py())
        return f'"{text}"' if sort in (STRING, CELL) else text


@dataclass(frozen=True)
class Block:
    """Some rows of a file: their columns by path, and the line of each if known."""

    size: int
    columns: dict[str, Raw]
    lines: NDArray[np.int64] | None = None


@dataclass
class Fault:
    """A fault of a file itself, not of a value in it."""

    line: int | None
    message: str
    # The offset in the file, if the line is not known yet.
    at: int | None = None


@dataclass
class Reading:
    """A file that is read in pieces, each of which may be made into a block on its own thread."""

    pieces: Callable[[], Iterator[Any]]
    block: Callable[[Any], Block] = lambda piece: piece
    # Faults of the file itself.
    faults: list[Fault] = field(default_factory=list)
    # Names in the file that the record type does not know, with the field that is probably meant.
    strangers: dict[str, str] = field(default_factory=dict)
    # The line on which some rows begin, found by reading the file again; None if blocks have lines.
    lines_of: Callable[[IO[bytes], list[int]], dict[int, int]] | None = None


def absent(size: int) -> Raw:
    """Return a field that no row has."""
    return Raw(pa.nulls(size, pa.string()), np.zeros(size, dtype=np.uint8))


def of_cells(texts: pa.Array) -> Raw:
    """Return a field of a format without types; a null is a missing value."""
    sorts = np.full(len(texts), CELL, dtype=np.uint8)
    if texts.null_count:
        sorts[flags(pc.is_null(texts))] = NULL
    return Raw(texts, sorts)


def as_record(value: Value) -> Value:
    """Return the record that an XML element with one element named `value` is, where a record is expected."""
    return {"value": value[0]} if isinstance(value, Values) and len(value) == 1 else value


def of_values(values: list[Any]) -> Raw:
    """Return a field of JSON or XML values."""
    sorts = np.fromiter((SORTS[type(each)] for each in values), dtype=np.uint8, count=len(values))
    odd = (sorts <= BOOLEAN) | (sorts == ARRAY) | (sorts == OBJECT)
    if not odd.any():
        return Raw(strings(values), sorts)
    missing = sorts <= NULL
    objects = values if bool(((sorts == ARRAY) | (sorts == OBJECT)).any()) else None
    texts = strings([_text(each) for each in values])
    if missing.any():
        texts = pc.if_else(arrow(missing), nothing(pa.string()), texts)
    return Raw(texts, sorts, objects)


def _text(value: Value) -> str:
    """Return a JSON value as text."""
    if isinstance(value, str):
        return value
    if value is None or value is NOTHING:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    return written(value)


def written(value: Value) -> str:
    """Return a value as JSON, with its numbers as they were in the file."""
    if isinstance(value, Number):
        return str(value)
    if isinstance(value, list):
        return "[" + ", ".join(written(each) for each in value) + "]"
    if isinstance(value, dict):
        there = {name: each for name, each in value.items() if each is not NOTHING}
        members = (f"{json.dumps(name, ensure_ascii=False)}: {written(each)}" for name, each in there.items())
        return "{" + ", ".join(members) + "}"
    if isinstance(value, str):
        return json.dumps(str(value), ensure_ascii=False)
    return json.dumps(value)


def lines_at(stream: IO[bytes], places: list[int]) -> dict[int, int]:
    """Return the line number of each offset in a file."""
    stream.seek(0)
    found, line, at = {}, 1, 0
    for place in sorted(places):
        line += stream.read(place - at).count(b"\n")
        found[place], at = line, place
    return found


def meant(name: str, known: Iterable[str]) -> str:
    """Return the name that is probably meant by an unknown one: the same in other case, or the nearest; empty for
    none.
    """
    names = [each for each in known if not each.startswith("@")]
    return next((each for each in names if each.casefold() == name.strip().casefold()), nearest(name, names) or "")
