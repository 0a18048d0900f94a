"""Numbers of combined values that break no rule: what a group of fields that are unique together may hold.

The values of a row follow from its number alone, so that a row which breaks a rule could never be drawn again. Numbers
whose values break a rule over just these fields are skipped instead.
"""

from __future__ import annotations

from functools import partial
from math import prod
from threading import Lock
from typing import NoReturn

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.arrays import distinct
from yurt.core.base.errors import YurtError
from yurt.core.columns.column import Column, Places, constant
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import where_possible
from yurt.core.engine.scope import TableScope
from yurt.core.model.expressions import Call, Draw, Expression, Member, Name, walk
from yurt.core.model.functions import OF_SIBLINGS
from yurt.core.sampling.permutation import Permutation
from yurt.core.sampling.streams import Rows, Stream

Numbers = NDArray[np.int64]
# Up to this many numbers are examined at once; of more, the permuted ones are, a block at a time.
MOST, BLOCK = 1 << 22, 1 << 16


class Values:
    """The values of the fields of a group, by number, as a scope for conditions."""

    def __init__(self, table: TableScope, columns: dict[str, Column], rows: Rows) -> None:
        self.table, self.columns, self.rows = table, columns, rows

    def named(self, name: str) -> Column:
        return self.columns[name] if name in self.columns else constant(self.table.run.today)

    def select(self, places: Places) -> Values:
        return Values(self.table, {name: each.take(places) for name, each in self.columns.items()}, self.rows[places])

    def member(self, reference: str, name: str) -> Column:
        raise NotImplementedError(reference)

    def siblings(self, call: Call) -> Column:
        raise NotImplementedError(call)

    def drawn(self, draw: Draw) -> NoReturn:
        raise NotImplementedError(draw)


class AllowedNumbers:
    """The numbers of a group's combined values that meet the rules over its fields."""

    def __init__(self, names: tuple[str, ...], sizes: list[int], table: TableScope) -> None:
        self.names, self.sizes, self.table = names, sizes, table
        self.size = prod(sizes)
        self.conditions = [each for each in table.record.always if _is_about(each, set(names))]
        self._lock = Lock()
        self._all: Numbers | None = None
        # How many numbers up to the end of each block are allowed.
        self._ends: list[int] = []

    def __bool__(self) -> bool:
        return bool(self.conditions)

    def every(self) -> Numbers:
        """Return all allowed numbers, in their order. Raises YurtError if there are none."""
        with self._lock:
            if self._all is None:
                starts = range(0, self.size, BLOCK)
                blocks = (np.arange(start, min(start + BLOCK, self.size)) for start in starts)
                self._all = np.concatenate([block[self._good(block)] for block in blocks])
            if not len(self._all):
                raise self.too_few(0)
            return self._all

    def permuted(self, rows: Rows, source: Stream) -> Numbers:
        """Return a different allowed number for each row number, in an order that depends on the stream."""
        if self.size <= MOST:
            known = self.every()
            if len(rows) and int(rows.max()) >= len(known):
                raise self.too_few(len(known))
            return known[Permutation(len(known), source)(rows)]
        order = Permutation(self.size, source)
        self._reach(int(rows.max()) if len(rows) else 0, order)
        ends = np.array(self._ends)
        block = np.searchsorted(ends, rows.astype(np.int64), side="right")
        found = np.empty(len(rows), dtype=np.int64)
        for number in distinct(block).tolist():
            at = np.flatnonzero(block == number)
            numbers = self._block(number, order)
            before = int(ends[number - 1]) if number else 0
            found[at] = numbers[rows[at].astype(np.int64) - before]
        return found

    def _block(self, number: int, order: Permutation) -> Numbers:
        """Return the allowed numbers of a block of permuted ones."""
        rows = np.arange(number * BLOCK, min((number + 1) * BLOCK, self.size), dtype=np.uint64)
        numbers = order(rows)
        return numbers[self._good(numbers)]

    def _reach(self, row: int, order: Permutation) -> None:
        """Count the allowed numbers of further blocks until there is one for a row."""
        with self._lock:
            while not self._ends or self._ends[-1] <= row:
                if len(self._ends) * BLOCK >= self.size:
                    raise self.too_few(self._ends[-1])
                before = self._ends[-1] if self._ends else 0
                self._ends.append(before + len(self._block(len(self._ends), order)))

    def _good(self, numbers: Numbers) -> NDArray[np.bool_]:
        """Return the numbers whose values break no rule; a rule that cannot be computed is broken."""
        rows = np.arange(len(numbers), dtype=np.uint64)
        columns = {}
        for place, name in enumerate(self.names):
            inner = self.table.batch(rows).inner(rows, np.arange(len(rows)), "allowed")
            inner.ranks = numbers // prod(self.sizes[place + 1 :]) % self.sizes[place]
            columns[name] = self.table.makers[name](inner).spread(len(rows))
        scope = Values(self.table, columns, rows)
        good = np.ones(len(numbers), dtype=np.bool_)
        for condition in self.conditions:
            good &= _met(condition, scope)
        return good

    def too_few(self, left: int) -> YurtError:
        """Return the message that names the lines which collide."""
        source = self.table.run.schema.source
        rules = " and ".join(
            f"`{source.text[each.span.start : each.span.end]}` (line {source.place(each.span.start).split(':')[-2]})"
            for each in self.conditions
        )
        group = ", ".join(self.names)
        return YurtError(
            f"{self.table.record.name}: `unique: {group}` and {rules} leave {left:,} combinations "
            f"for {self.table.count:,} rows; allow more values, or ask for fewer rows"
        )


def _met(condition: Expression, scope: Values) -> NDArray[np.bool_]:
    met = np.zeros(len(scope.rows), dtype=np.bool_)
    places, found = where_possible(scope, np.arange(len(scope.rows)), partial(evaluate, condition))
    if found is not None:
        found = found.spread(len(places))
        met[places] = found.values if found.nulls is None else found.values | found.nulls
    return met


def _is_about(condition: Expression, names: set[str]) -> bool:
    """Return whether a condition reads nothing but some fields, several of them, and the day."""
    read = set()
    for node in walk(condition):
        if isinstance(node, Member | Draw | Call) and not (isinstance(node, Call) and node.function not in OF_SIBLINGS):
            return False
        if isinstance(node, Name) and node.name != "today":
            read.add(node.name)
    return bool(read) and read <= names
