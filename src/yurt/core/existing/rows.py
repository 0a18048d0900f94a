"""The rows of an existing file while they are written again: blocks of them, by the number of their first row."""

from __future__ import annotations

from collections.abc import Callable
from threading import Lock

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, nothing, strings, word
from yurt.core.base.types import Type
from yurt.core.columns.column import Column
from yurt.core.existing.values import Seen, column_of
from yurt.core.formats.common.format import Format, TextFormat, Unwritable
from yurt.core.formats.common.raw import ABSENT, BOOLEAN, NOTHING, NUMBER, Raw, Value, absent
from yurt.core.sampling.streams import Rows

AS_WRITTEN = (NUMBER, BOOLEAN)


class FileBlock:
    """Some rows of a file: their columns by title."""

    def __init__(self, start: int, size: int, raws: dict[str, Raw]) -> None:
        self.start, self.size, self.raws = start, size, raws
        self._typed: dict[tuple[str, Type], Column] = {}

    def column(self, title: str, kind: Type) -> Column:
        """Return a column as values of a type."""
        if (title, kind) not in self._typed:
            self._typed[title, kind] = column_of(self.raws[title], kind)
        return self._typed[title, kind]


class FileRows:
    """The blocks of a file that are being written."""

    def __init__(self) -> None:
        self.blocks: dict[int, FileBlock] = {}
        self._lock = Lock()

    def enter(self, block: FileBlock) -> None:
        """Make the rows of a block known."""
        with self._lock:
            self.blocks[block.start] = block

    def leave(self, block: FileBlock) -> None:
        """Forget the rows of a block."""
        with self._lock:
            del self.blocks[block.start]

    def column(self, title: str, kind: Type, rows: Rows) -> Column:
        """Return the values of a column in some rows, all of which are in one block."""
        if not len(rows):
            return column_of(absent(0), kind)
        first = int(rows[0])
        with self._lock:
            block = next(each for each in self.blocks.values() if each.start <= first < each.start + each.size)
        whole = block.column(title, kind)
        places = rows.astype(np.int64) - block.start
        if len(rows) == int(places[-1]) - int(places[0]) + 1:
            return _part(whole, int(places[0]), len(rows))
        return whole.take(places)

    def earlier(self, field: str, rows: Rows, made: Callable[[Rows], Column]) -> Column:
        """Return the values of a field in rows that others read: they are made as all rows are."""
        return made(rows)


def _part(column: Column, start: int, size: int) -> Column:
    nulls = None if column.nulls is None else column.nulls[start : start + size]
    return Column(column.type, column.values[start : start + size], nulls)


def passed_on(raw: Raw, form: Format, found: Seen | None) -> pa.Array:
    """Return values as they are in the file, in the form that the format writes.

    A format with numbers of its own gets numbers from a file that has texts only, if every one of them can be written
    again as it was.
    """
    # What is a number in the file may have other places in the new one; a text may not.
    numbers = bool(np.isin(raw.sorts[~raw.missing], AS_WRITTEN).all())
    kind = found.type if found is not None and form.typed and (found.exact or numbers) else None
    if not isinstance(form, TextFormat):
        if raw.array is not None:
            return raw.array
        return raw.texts if kind is None else column_of(raw, kind).arrow(len(raw.texts))
    gone = raw.sorts == ABSENT
    column = _of_texts(raw, form, kind) if raw.objects is None else _of_objects(raw.objects, raw, form)
    if not gone.any() or form.token(NOTHING) != "":
        return column
    # An absent value has no name in the file; an empty finished text stands for that.
    whole = column if pa.types.is_large_string(column.type) else pc.cast(form.finish(column), pa.large_string())
    return pc.if_else(arrow(gone), pc.cast(word(""), pa.large_string()), whole)


def _of_texts(raw: Raw, form: TextFormat, kind: Type | None) -> pa.Array:
    """Return numbers and Booleans as they are written, and texts for the format to write."""
    as_written = np.isin(raw.sorts, AS_WRITTEN)
    if kind is not None and (kind.numeric or kind.name == "boolean"):
        as_written |= ~raw.missing
    if not as_written.any():
        return raw.texts
    texts = pc.cast(raw.texts, pa.large_string())
    if (as_written | raw.missing).all():
        return texts
    finished = pc.cast(form.finish(raw.texts), pa.large_string())
    found = pc.if_else(arrow(as_written), texts, finished)
    return pc.if_else(arrow(raw.missing), nothing(pa.large_string()), found) if raw.missing.any() else found


def _of_objects(values: list[Value], raw: Raw, form: TextFormat) -> pa.Array:
    """Return a column with lists and records, one value at a time."""
    missing = raw.missing.tolist()
    if form.nests and any(isinstance(each, list | dict) and form.cannot(each) for each in values):
        # The format has no text for a list, but it writes columns of lists.
        try:
            return pa.array([None if gone else _plain(each) for each, gone in zip(values, missing, strict=True)])
        except pa.ArrowException:
            raise Unwritable(f"a list of values of several kinds cannot be passed on to {form.name}") from None
    found = [None if gone else form.token(each) for each, gone in zip(values, missing, strict=True)]
    return pc.cast(strings(found), pa.large_string())


def _plain(value: Value) -> Value:
    """Return a value as Arrow takes it, with texts in place of everything else."""
    if isinstance(value, dict):
        return {name: _plain(each) for name, each in value.items() if each is not NOTHING}
    if isinstance(value, list):
        return [_plain(each) for each in value]
    if value is None or value is NOTHING:
        return None
    return ("true" if value else "false") if isinstance(value, bool) else str(value)


def part_of(raw: Raw, start: int, size: int) -> Raw:
    """Return some neighbouring values."""
    stop = start + size
    objects = None if raw.objects is None else raw.objects[start:stop]
    array = None if raw.array is None else raw.array[start:stop]
    return Raw(raw.texts[start:stop], raw.sorts[start:stop], objects, array)
