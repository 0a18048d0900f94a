"""Rows made ahead, up to what given values change: for records that are asked for one after the other.

Each value is another one, but the same fields have them. What does not depend on these fields is made for many rows at
once, and only the rest for each record.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from copy import deepcopy

import numpy as np
import pyarrow as pa

from yurt.core.base.arrays import Values
from yurt.core.base.errors import YurtError
from yurt.core.base.python_values import PythonValue
from yurt.core.columns.column import Column, Places, cast, merge
from yurt.core.columns.evaluate import evaluate
from yurt.core.engine.batch import Batch
from yurt.core.engine.resolved import Resolved, holds
from yurt.core.engine.run import Run
from yurt.core.engine.siblings import of_siblings
from yurt.core.engine.structs import Layout
from yurt.core.model import Field, Record, expressions_in
from yurt.core.model.expressions import Call, Name, walk

# The rows that are made ahead: none for the first records, then more and more.
FIRST, GROWTH, MOST = 16, 4, 2048
# Rows are asked for one after the other if the next one is at most so far away: those between may have been kept.
NEAR = 64
Row = dict[str, PythonValue]


class RowsAhead:
    """Those rows of a span that could be made together, of which each becomes a Python record when it is taken.

    `own` has the columns of these rows and `others` the rest of each; `finish` puts in what comes last; `alone` are
    rows that were made by themselves.
    """

    def __init__(
        self, span: range, numbers: Sequence[int], own: pa.RecordBatch, others: Sequence[Row], titles: Sequence[str]
    ) -> None:  # fmt: skip
        self.span = span
        self.places = {number: place for place, number in enumerate(numbers)}
        self.own, self.others, self.titles = own, others, titles
        self.alone: dict[int, Row] = {}
        self.finish: Callable[[Row], Row] = lambda row: row

    def __contains__(self, number: int) -> bool:
        return number in self.places or number in self.alone

    def all(self) -> dict[int, Row]:
        """Return the records by number."""
        return {each: self.pop(each) for each in sorted({*self.places, *self.alone})}

    def pop(self, number: int) -> Row:
        """Return the record of a row: a new one each time."""
        if number in self.alone:
            return self.alone.pop(number)
        place = self.places[number]
        (mine,) = self.own.slice(place, 1).to_pylist() if self.own.num_columns else ({},)
        other = self.others[place]
        return self.finish({each: mine[each] if each in mine else _copied(other[each]) for each in self.titles})


def _copied(value: PythonValue) -> PythonValue:
    return deepcopy(value) if isinstance(value, list | dict) else value


class Ahead:
    """The rows ahead of one record type, for given values in the same fields.

    `run` makes rows with given values, `plain` those without.
    """

    def __init__(self, run: Run, plain: Run, record: Record, given: Iterable[str]) -> None:
        self.run, self.plain, self.record = run, plain, record
        self.changed = _changed_by(set(given), run, record)
        roots = {_root(record, each) for each in self.changed}
        self.own = tuple(each for each in record.shown if _root(record, each.name) in roots)
        self.others = tuple(each for each in record.shown if _root(record, each.name) not in roots)
        self.titles = [each.title for each in record.shown if not each.parent]
        self._asked, self._size = -NEAR, 0
        self._start, self._stop = 0, 0
        self._batch: Batch | None = None
        self._plain: Batch | None = None
        self._rows: list[Row] = []
        self._before: dict[Call, tuple[Column, Column]] = {}

    def rows(self, start: int, stop: int) -> RowsAhead | None:
        """Return some of the rows by number, each as if it alone had the given values: those whose first draw meets all
        conditions, and None if rows are not asked for one after the other.
        """
        follows, self._asked = 0 < start - self._asked <= NEAR, start
        try:
            if not self._start <= start < self._stop and not (follows and self._more(start)):
                return None
            return self._with_given(start, min(stop, self._stop))
        except YurtError:
            # Another row may be at fault: the record is made alone.
            self._start = self._stop = 0
            return None

    def _more(self, start: int) -> bool:
        """Make rows ahead; return whether there are any."""
        table = self.run.table(self.record.name)
        self._size = min(self._size * GROWTH, MOST) if self._size else FIRST
        self._start, self._stop = 0, 0
        stop = min(start + self._size, table.count)
        rows = np.arange(start, stop, dtype=np.uint64)
        self._batch = Batch(table, rows)
        self._plain = Batch(self.plain.table(self.record.name), rows)
        self._before = {}
        layout = Layout(Resolved.of(self._batch), self.others, len(rows), True, True)
        others = _batch_of(layout)
        self._rows = others.to_pylist() if others.num_columns else [{} for _ in rows]
        self._start, self._stop = start, stop
        return stop > start

    def _with_given(self, start: int, stop: int) -> RowsAhead:
        assert self._batch is not None
        places = np.arange(start - self._start, stop - self._start)
        batch = _Changed(self, self._batch, places)
        good = np.ones(len(places), dtype=np.bool_)
        for condition in self.run.table(self.record.name).record.always:
            good &= holds(condition, batch)
        if not good.all():
            places = places[good]
            batch = _Changed(self, self._batch, places)
        own = _batch_of(Layout(Resolved.of(batch), self.own, len(places), True, True))
        numbers = (places + self._start).tolist()
        return RowsAhead(range(start, stop), numbers, own, [self._rows[each] for each in places.tolist()], self.titles)

    def before(self, call: Call, places: Places) -> tuple[Column, Column]:
        """Return the result of a function of siblings for a row without given values, and the value of its field."""
        if call not in self._before:
            assert self._plain is not None
            (argument, *_) = (*call.arguments, None)
            own = self._plain.table.resolved(self._plain.rows)
            result = of_siblings(call, self._plain)
            self._before[call] = result, own.field(argument.name) if isinstance(argument, Name) else result
        result, own_value = self._before[call]
        return result.take(places), own_value.take(places)


class _Changed(Batch):
    """Some of the rows, with what given values change; they take everything else from the rows ahead."""

    def __init__(self, ahead: Ahead, rows: Batch, places: Places) -> None:
        self.ahead, self.places = ahead, places
        super().__init__(rows.table, rows.rows[places], 0, (rows, places))

    def _elsewhere(self, name: str) -> bool:
        return name not in self.ahead.changed

    def siblings(self, call: Call) -> Column:
        """Return a total with the row's own value in place of the one that it would have without given values."""
        found, without = self.ahead.before(call, self.places)
        if call.function == "previous" and len(call.arguments) > 1:
            assert self.table.family is not None
            ordinals = self.table.family.places(self.rows)[1]
            first, rest = np.flatnonzero(ordinals == 0), np.flatnonzero(ordinals)
            other = cast(evaluate(call.arguments[1], self).spread(len(self.rows)), found.type)
            return merge([(rest, found.take(rest)), (first, other.take(first))], len(self.rows), found.type)
        if call.function != "running":
            return found
        (argument,) = call.arguments
        assert isinstance(argument, Name)
        own = self.field(argument.name)
        return Column(found.type, found.values - _present(without) + _present(own))


def _present(column: Column) -> Values:
    """Return the values of a column, with nought for a missing one."""
    return column.values if column.nulls is None else np.where(column.nulls, 0, column.values)


def _changed_by(given: set[str], run: Run, record: Record) -> set[str]:
    """Return the fields that depend on given ones, and these; also those that depend on rows before, which may have
    been drawn again.
    """
    changed = given | {each.name for each in record.fields if reads_rows_before(each)}
    size = 0
    while size != len(changed):
        size = len(changed)
        changed |= {
            each.name for each in record.fields if changed & {*run.plan.needs.get((record.name, each.name), ())}
        }
    return changed


def reads_rows_before(field: Field) -> bool:
    """Return whether a field has a running total or a previous value."""
    calls = (each for one in expressions_in((field.present_if, field.body)) for each in walk(one))
    return any(isinstance(each, Call) and each.function in ("running", "previous") for each in calls)


def _root(record: Record, name: str) -> str:
    """Return the outermost record that a field is in, or the field itself."""
    while parent := record.by_name[name].parent:
        name = parent
    return name


def _batch_of(layout: Layout) -> pa.RecordBatch:
    columns = layout.columns("", "")
    return pa.RecordBatch.from_arrays([column for _, column in columns], names=[title for title, _ in columns])
