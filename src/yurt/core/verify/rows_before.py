"""What a row says of those before it in the file: its number, its number among the rows of one parent, their sums.

Blocks come here in the order of the file. Of the rows before a block there is kept, for each parent: how many there
are, the sum of each field that is summed up, and the last value of each field that the next row speaks of.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from yurt.core.base.arrays import Numbers, numbers, numbers_or, strings
from yurt.core.base.types import INTEGER, Type, unify
from yurt.core.columns.column import Column, Mask, cast, merge
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.scope import Scope
from yurt.core.formats.common.raw import Raw
from yurt.core.model import Record, TimeSeries, expressions_in
from yurt.core.model.expressions import Call, Expression, Name, walk
from yurt.core.model.functions import OF_SIBLINGS

Codes = NDArray[np.int64]


def reads_rows_before(expressions: Iterable[Expression]) -> bool:
    """Return whether expressions say something of the rows before, or of the number of the row."""
    nodes = (node for expression in expressions for node in walk(expression))
    return any(
        (isinstance(node, Call) and node.function in OF_SIBLINGS) or (isinstance(node, Name) and node.name == "row")
        for node in nodes
    )


def fields_of_series(record: Record) -> set[str]:
    """Return the fields of a record whose values are so many steps from a start as there are rows before."""
    return {each.name for each in record.fields if any(isinstance(phrase.head, TimeSeries) for phrase in each.phrases)}


def fields_of_rows_before(record: Record) -> set[str]:
    """Return the fields of a record that say something of the rows before, themselves or by what they follow from."""
    found: set[str] = set()
    for _ in record.fields:
        before = len(found)
        for field in record.fields:
            parts = tuple(expressions_in((field.body, field.only_if)))
            through = {node.name for each in parts for node in walk(each) if isinstance(node, Name)} & found
            hidden = any(record.by_name[name].hidden for name in through)
            if hidden or reads_rows_before(parts):
                found.add(field.name)
        if len(found) == before:
            break
    return found


class RowsBefore:
    """What is kept of the rows before a block, and what the rows of the block say of them."""

    def __init__(self, record: Record) -> None:
        parent = record.parent_field
        self.parent = "" if parent is None else parent.name
        self.rows = 0
        self.keys = strings([])
        # How many rows there are of each parent, by the place of its key.
        self.counts = np.zeros(0, dtype=np.int64)
        self.sums: dict[str, Numbers] = {}
        self.lasts: dict[str, Column] = {}
        # Parents of which a value that was summed up, or the last one, is at fault.
        self.faulty: dict[tuple[str, str], Mask] = {}
        calls = [
            node
            for each in expressions_in(tuple((each.body, each.only_if) for each in record.fields) + record.always)
            for node in walk(each)
            if isinstance(node, Call) and node.function in OF_SIBLINGS and node.arguments
        ]
        self.named = {
            function: list(dict.fromkeys(_argument(each) for each in calls if each.function == function))
            for function in ("running", "previous")
        }  # fmt: skip

    # ---- a block -----------------------------------------------------------------------------------------------

    def begin(self, size: int, raw: Raw | None) -> None:
        """Sort the rows of a block by the parent that `raw` names; without a parent they are all of one."""
        self.size = size
        self.codes = self._codes(raw) if raw is not None else np.zeros(size, dtype=np.int64)
        known = len(self.keys) if self.parent else 1
        self.counts = _grown(self.counts, known)
        self.nowhere = np.zeros(size, dtype=np.bool_) if raw is None else raw.missing
        self.order = np.argsort(self.codes, kind="stable")
        ordered = self.codes[self.order]
        self.starts = np.flatnonzero(np.concatenate((np.ones(min(size, 1), bool), ordered[1:] != ordered[:-1])))
        self.lengths = np.diff(np.append(self.starts, size))
        self.places = np.empty(size, dtype=np.int64)
        self.places[self.order] = np.arange(size) - np.repeat(self.starts, self.lengths)
        self.found: dict[tuple[str, str], Column] = {}

    def _codes(self, raw: Raw) -> Codes:
        """Return the place of the key that each row names; keys that are new are put behind the others."""
        texts = pc.fill_null(raw.texts, "")
        places = numbers_or(pc.index_in(texts, value_set=self.keys), np.int32, -1)
        new = places < 0
        if new.any():
            added = pc.unique(texts.filter(pa.array(new)))
            places[new] = numbers(pc.index_in(texts.filter(pa.array(new)), value_set=added), np.int32) + len(self.keys)
            self.keys = pa.concat_arrays([self.keys, added])
        return places

    def end(self, fields: dict[str, Column], faulty: dict[str, Mask]) -> None:
        """Keep what the next block needs of this one."""
        lasts = self.starts + self.lengths - 1
        codes = self.codes[self.order][self.starts]
        for name in self.named["running"]:
            column, bad = fields[name], faulty[name]
            total = np.zeros(self.size, dtype=np.asarray(column.values).dtype)
            total[self.order] = self._sums(name, column)[self.order]
            self.sums[name] = _grown(self.sums.get(name, total[:0]), len(self.counts))
            self.sums[name][codes] = total[self.order][lasts]
            self._mark(name, codes, np.logical_or.reduceat(bad[self.order], self.starts) if self.size else bad)
        for name in self.named["previous"]:
            self.lasts[name] = self._lasts(name, fields[name].type, codes, fields[name].take(self.order[lasts]))
            marks = _grown(self.faulty.get(("previous", name), np.zeros(0, dtype=np.bool_)), len(self.counts))
            marks[codes] = faulty[name][self.order[lasts]]
            self.faulty["previous", name] = marks
        self.counts[codes] += self.lengths
        self.rows += self.size

    def _mark(self, name: str, codes: Codes, bad: Mask) -> None:
        marks = _grown(self.faulty.get(("running", name), np.zeros(0, dtype=np.bool_)), len(self.counts))
        marks[codes] |= bad
        self.faulty["running", name] = marks

    def _lasts(self, name: str, kind: Type, codes: Codes, values: Column) -> Column:
        old = self.lasts.get(name)
        size = len(self.counts)
        if old is None:
            return merge([(codes, values)], size, kind)
        kept = np.setdiff1d(np.arange(_length(old)), codes)
        return merge([(kept, old.take(kept)), (codes, values)], size, kind)

    # ---- what rows say -----------------------------------------------------------------------------------------

    def numbers(self) -> Codes:
        """Return the number of each row in the file, from 1."""
        return np.arange(self.rows + 1, self.rows + self.size + 1)

    def ordinals(self) -> Codes:
        """Return how many rows of the same parent are before each."""
        return self.counts[self.codes] + self.places

    def value(self, call: Call, fields: dict[str, Column]) -> Column:
        """Return `ordinal()`, `running(field)` or `previous(field)` for each row of the block."""
        if call.function == "ordinal":
            return Column(INTEGER, self.ordinals() + 1)
        name = _argument(call)
        key = (call.function, name)
        if key not in self.found:
            column = fields[name].spread(self.size)
            if call.function == "running":
                self.found[key] = Column(column.type, self._sums(name, column))
            else:
                self.found[key] = self._previous(name, column)
        return self.found[key]

    def unknown(self, call: Call, faulty: dict[str, Mask]) -> Mask:
        """Return the rows for which a value at fault, or a missing parent, leaves unknown what is before them."""
        if call.function == "ordinal":
            return self.nowhere
        name = _argument(call)
        before = _grown(self.faulty.get((call.function, name), np.zeros(0, dtype=np.bool_)), len(self.counts))
        bad = faulty.get(name, np.zeros(self.size, dtype=np.bool_))
        found = np.zeros(self.size, dtype=np.bool_)
        if call.function == "running":
            found[self.order] = self._summed(bad[self.order].astype(np.int64)) > 0
            unknown: Mask = found | before[self.codes] | self.nowhere
            return unknown
        found[self.order[1:]] = bad[self.order[:-1]]
        return np.where(self.places == 0, before[self.codes], found) | self.nowhere

    def _sums(self, name: str, column: Column) -> Numbers:
        """Return the sum of a field up to each row; a missing value adds nothing."""
        values = np.where(column.nulls, 0, column.values) if column.nulls is not None else np.asarray(column.values)
        found = np.empty(self.size, dtype=values.dtype)
        found[self.order] = self._summed(values[self.order])
        before = _grown(self.sums.get(name, found[:0]), len(self.counts))
        total: Numbers = found + before[self.codes]
        return total

    def _summed(self, ordered: Numbers) -> Numbers:
        """Sum up values that are sorted by parent, from the first row of each."""
        sums = np.cumsum(ordered)
        before = np.where(self.starts > 0, sums[self.starts - 1], 0) if self.size else sums
        found: Numbers = sums - np.repeat(before, self.lengths)
        return found

    def _previous(self, name: str, column: Column) -> Column:
        """Return a field of the row before, of the same parent; the first one has none."""
        first = np.flatnonzero(self.places == 0)
        rest = self.order[np.flatnonzero(self.places[self.order])]
        back = self.order[np.flatnonzero(self.places[self.order]) - 1]
        parts = [(rest, column.take(back))]
        old = self.lasts.get(name)
        if old is not None:
            known = first[self.codes[first] < _length(old)]
            parts.append((known, old.take(self.codes[known])))
        return merge(parts, self.size, column.type)


def with_second(call: Call, found: Column, ordinals: Codes, scope: Scope) -> Column:
    """Return `previous(field, other)`: in the first row of a parent, what the second argument says."""
    first, rest = np.flatnonzero(ordinals == 0), np.flatnonzero(ordinals)
    other = evaluate(call.arguments[1], scope).spread(len(ordinals))
    kind = unify(found.type, other.type) or found.type
    return merge([(rest, cast(found.take(rest), kind)), (first, cast(other.take(first), kind))], len(ordinals), kind)


def _argument(call: Call) -> str:
    assert isinstance(call.arguments[0], Name)
    return call.arguments[0].name


def _length(column: Column) -> int:
    return len(column.values)


def _grown(values: Numbers, size: int) -> Numbers:
    """Return values with zeros behind them, up to a size."""
    return np.concatenate((values, np.zeros(max(0, size - len(values)), dtype=values.dtype)))
