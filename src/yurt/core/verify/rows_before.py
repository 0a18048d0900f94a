"""Functions of earlier rows: the number of a row, its number among the rows of one parent, and running sums.

Blocks come here in the order of the file. For the rows before a block, the following is kept per parent: their number,
the sum of each summed field, and the last value of each field that the next row reads.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from yurt.core.base import exact
from yurt.core.base.arrays import Numbers
from yurt.core.base.types import INTEGER, unify
from yurt.core.columns.column import Column, Mask, Places, cast, merge
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.scope import Scope
from yurt.core.model import Record, TimeSeries, expressions_in
from yurt.core.model.expressions import Call, Expression, Name, walk
from yurt.core.model.functions import OF_SIBLINGS
from yurt.core.verify.keys import NumberedKeys
from yurt.core.verify.per_parent import LastRows, PerParent
from yurt.core.verify.siblings import Siblings


def reads_rows_before(expressions: Iterable[Expression]) -> bool:
    """Return whether expressions depend on earlier rows, or on the number of the row."""
    nodes = (node for expression in expressions for node in walk(expression))
    return any(
        (isinstance(node, Call) and node.function in OF_SIBLINGS) or (isinstance(node, Name) and node.name == "row")
        for node in nodes
    )


def fields_of_series(record: Record) -> set[str]:
    """Return the fields of a record whose values are one step from the start for each earlier row."""
    return {each.name for each in record.fields if any(isinstance(phrase.head, TimeSeries) for phrase in each.phrases)}


def fields_of_rows_before(record: Record) -> set[str]:
    """Return the fields of a record that depend on earlier rows, directly or through derived fields."""
    found: set[str] = set()
    for _ in record.fields:
        before = len(found)
        for field in record.fields:
            parts = tuple(expressions_in((field.body, field.present_if)))
            through = {node.name for each in parts for node in walk(each) if isinstance(node, Name)} & found
            helper = any(record.by_name[name].helper for name in through)
            if helper or reads_rows_before(parts):
                found.add(field.name)
        if len(found) == before:
            break
    return found


class RowsBefore:
    """What is kept of the rows before a block, and the results for the rows of the block."""

    def __init__(self, record: Record) -> None:
        self.rows = 0
        self.keys = NumberedKeys()
        # The number of rows of each parent, by the number of its key.
        self.counts = PerParent(np.int64)
        self.sums: dict[str, PerParent] = {}
        # Parents with a row without a parent beside theirs.
        self.loose = PerParent(np.bool_)
        calls = [
            node
            for each in expressions_in(tuple((each.body, each.present_if) for each in record.fields) + record.always)
            for node in walk(each)
            if isinstance(node, Call) and node.function in OF_SIBLINGS and node.arguments
        ]
        self.named = {
            function: list(dict.fromkeys(_argument(each) for each in calls if each.function == function))
            for function in ("running", "previous")
        }  # fmt: skip
        self.lasts = {name: LastRows() for name in self.named["previous"]}
        # Parents with a faulty value in a sum, or as the last one.
        self.faulty = {
            (function, name): PerParent(np.bool_) for function, names in self.named.items() for name in names
        }

    # ---- a block -----------------------------------------------------------------------------------------------

    def begin(self, siblings: Siblings) -> None:
        """Append a block to those before."""
        self.siblings = siblings
        parents = siblings.parents
        # The numbers of the parents of the block, one for each group of rows.
        self.codes = np.zeros(len(siblings.starts), dtype=np.int64) if parents is None else self.keys.codes(parents)
        near = siblings.near_nowhere()
        self.unsure = siblings.nowhere | (np.arange(siblings.size) > near[siblings.groups])
        self.unsure |= self._of_rows(self.loose)
        self.loose.put(self.codes, self.loose.of(self.codes) | (near < siblings.size))
        self.found: dict[tuple[str, str], Column] = {}

    def end(self, fields: dict[str, Column], faulty: dict[str, Mask]) -> None:
        """Keep what the next block needs from this one."""
        if self.siblings.size:
            # A helper field that was drawn is in no file.
            for name in fields.keys() & self.named["running"]:
                self._keep_sum(name, fields[name], faulty[name])
            for name in fields.keys() & self.named["previous"]:
                self._keep_last(name, fields[name], faulty[name])
        self.counts.put(self.codes, self.counts.of(self.codes) + self.siblings.lengths)
        self.rows += self.siblings.size

    def _keep_sum(self, name: str, column: Column, bad: Mask) -> None:
        self.sums[name].put(self.codes, self._sums(name, column)[self.siblings.lasts])
        marks = self.faulty["running", name]
        now = np.logical_or.reduceat(bad[self.siblings.order], self.siblings.starts)
        marks.put(self.codes, marks.of(self.codes) | now)

    def _keep_last(self, name: str, column: Column, bad: Mask) -> None:
        self.lasts[name].put(self.codes, column.take(self.siblings.lasts))
        self.faulty["previous", name].put(self.codes, bad[self.siblings.lasts])

    @property
    def kept(self) -> int:
        """The number of bytes kept."""
        numbers = (self.counts, self.loose, *self.sums.values(), *self.faulty.values())
        return self.keys.kept + sum(each.values.nbytes for each in numbers) + sum(
            each.kept for each in self.lasts.values()
        )  # fmt: skip

    # ---- what rows say -----------------------------------------------------------------------------------------

    def numbers(self) -> Places:
        """Return the number of each row in the file, from 1."""
        return np.arange(self.rows + 1, self.rows + self.siblings.size + 1)

    def ordinals(self) -> Places:
        """Return how many rows of the same parent come before each."""
        return self._of_rows(self.counts) + self.siblings.places

    def value(self, call: Call, fields: dict[str, Column]) -> Column:
        """Return `ordinal()`, `running(field)` or `previous(field)` for each row of the block."""
        if call.function == "ordinal":
            return Column(INTEGER, self.ordinals() + 1)
        name = _argument(call)
        key = (call.function, name)
        if key not in self.found:
            column = fields[name].spread(self.siblings.size)
            if call.function == "running":
                self.found[key] = Column(column.type, self._sums(name, column))
            else:
                self.found[key] = self._previous(name, column)
        return self.found[key]

    def unknown(self, call: Call, faulty: dict[str, Mask]) -> Mask:
        """Return the rows for which a faulty value, or a missing parent, leaves the earlier rows unknown."""
        if call.function == "ordinal":
            return self.unsure
        name = _argument(call)
        siblings = self.siblings
        before = self._of_rows(self.faulty[call.function, name])
        bad = faulty.get(name, np.zeros(siblings.size, dtype=np.bool_))
        if call.function == "running":
            here = siblings.sums(bad.astype(np.int64)) > 0 if bad.any() else bad
        else:
            here = np.zeros(siblings.size, dtype=np.bool_)
            here[siblings.order[1:]] = bad[siblings.order[:-1]]
            here, before = here & (siblings.places > 0), before & (siblings.places == 0)
        unknown: Mask = here | before | self.unsure
        return unknown

    def _of_rows(self, of_parents: PerParent) -> Numbers:
        """Return the kept value of each row's parent."""
        found: Numbers = of_parents.of(self.codes)[self.siblings.groups]
        return found

    def _sums(self, name: str, column: Column) -> Numbers:
        """Return the sum of a field up to each row; a missing value adds nothing."""
        values = np.where(column.nulls, 0, column.values) if column.nulls is not None else np.asarray(column.values)
        before = self.sums.setdefault(name, PerParent(values.dtype))
        if values.dtype == np.int64 and (
            exact.largest(values) * len(values) + exact.largest(before.values) > exact.LIMIT
        ):
            before.values = exact.widened(before.values)
        values = exact.widened(values) if exact.is_wide(before.values) else values
        total: Numbers = self.siblings.sums(values) + self._of_rows(before)
        return exact.settled(total) if exact.is_wide(total) else total

    def _previous(self, name: str, column: Column) -> Column:
        """Return a field of the previous row of the same parent; the first one has none."""
        first = np.flatnonzero(self.siblings.places == 0)
        codes = self.codes[self.siblings.groups[first]]
        before = [(first[at], values) for at, values in self.lasts[name].of(codes)]
        return self.siblings.shifted(column, before)


def with_second(call: Call, found: Column, ordinals: Places, scope: Scope) -> Column:
    """Return `previous(field, other)`: in the first row of a parent, the second argument."""
    first, rest = np.flatnonzero(ordinals == 0), np.flatnonzero(ordinals)
    other = evaluate(call.arguments[1], scope).spread(len(ordinals))
    kind = unify(found.type, other.type) or found.type
    return merge([(rest, cast(found.take(rest), kind)), (first, cast(other.take(first), kind))], len(ordinals), kind)


def _argument(call: Call) -> str:
    assert isinstance(call.arguments[0], Name)
    return call.arguments[0].name
