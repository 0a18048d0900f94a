"""Rows of one record type, whose fields are made on demand and kept."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.types import INTEGER
from yurt.core.columns.column import Column, Places, constant
from yurt.core.engine.lookup import Lookup, Picked
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.engine.siblings import of_siblings
from yurt.core.model import Field
from yurt.core.model.expressions import Call, Draw
from yurt.core.sampling.streams import Rows, Stream, Unit, stream

# The number of draws for records with partly fixed values; after that, whoever fixes the values must keep them unique.
NUMBERED = 6


class Batch:
    """Rows of a table, at one attempt: a row whose draw breaks a condition is drawn again at the next attempt.

    A batch may be a selection from a larger one; it then takes the fields that exist already from that one.
    """

    def __init__(
        self, table: TableScope, rows: Rows, attempt: int = 0, origin: tuple[BatchScope, Places] | None = None,
        inside: tuple[str | int, ...] = (),
    ) -> None:  # fmt: skip
        self.table = table
        self.rows = rows
        self.attempt = attempt
        self.origin: tuple[BatchScope, Places] | None = origin
        self.inside = inside
        # Uses quantiles instead of random numbers, to show a distribution as it is.
        self.quantiles = False
        # The prefix of the fields that this batch makes itself, although it is part of another one.
        self.prefix = ""
        # The numbers of values that are given from outside; see `rank`.
        self.ranks: NDArray[np.int64] | None = None
        self.fields: dict[str, Column] = {}
        self.parents: dict[str, Lookup] = {}
        # The shared draws of this batch's kinds; see `kind_world`.
        self.shared: dict[Any, Any] = {}

    def select(self, places: Places) -> Batch:
        """Return the batch of some of these rows."""
        if len(places) == len(self.rows):
            return self
        found = Batch(self.table, self.rows[places], self.attempt, (self, places), self.inside)
        found.ranks = self.ranks[places] if self.ranks is not None else None
        return found

    def inner(self, rows: Rows, places: Places, *path: str | int) -> Batch:
        """Return a batch of the values inside these rows: with draws of its own, but the fields of the row at each
        position.
        """
        return Batch(self.table, rows, self.attempt, (self, places), (*self.inside, *path))

    def kept(self, places: Places) -> Batch:
        """Return the batch of the remaining rows after others have been refused.

        Existing values are kept. The rest is made only for these rows: a refused row must not be able to fail.
        """
        if len(places) == len(self.rows):
            return self
        batch = Batch(self.table, self.rows[places], self.attempt)
        batch.fields = {name: column.take(places) for name, column in self.fields.items()}
        batch.parents = {name: Picked(lookup, places) for name, lookup in self.parents.items()}
        return batch

    def field(self, name: str) -> Column:
        """Return the values of a field."""
        if name not in self.fields:
            if self._elsewhere(name):
                self.fields[name] = self._taken(name)
            else:
                self._make(name)
        return self.fields[name]

    def _elsewhere(self, name: str) -> bool:
        """Return whether a field belongs to the batch that this one is part of."""
        return self.origin is not None and not (self.prefix and name.startswith(self.prefix))

    def _taken(self, name: str) -> Column:
        assert self.origin is not None
        batch, places = self.origin
        return batch.field(name).take(places)

    def _make(self, name: str) -> None:
        """Make a field after all it needs, with an explicit stack: a chain of fields may be longer than Python's
        own.
        """
        waiting = [name]
        while waiting:
            each = waiting[-1]
            needs = self.table.run.plan.needs[self.table.record.name, each]
            self.fields |= {need: self._taken(need) for need in needs if self._elsewhere(need)}
            missing = [need for need in needs if need not in self.fields]
            if missing:
                waiting += missing
                continue
            waiting.pop()
            if each not in self.fields:
                self.fields[each] = self.table.makers[each](self).spread(len(self.rows))

    def named(self, name: str) -> Column:
        """Return a field, or `today`, `now` or `row`."""
        if name in self.table.makers:
            return self.field(name)
        if name == "row" and self.origin is not None:
            batch, places = self.origin
            return batch.named(name).take(places)
        if name == "row":
            return Column(INTEGER, self.rows.astype(np.int64) + 1)
        return constant(self.table.run.today if name == "today" else self.table.run.now)

    def member(self, reference: str, name: str) -> Column:
        """Return a field of the rows that a reference points to; missing if the reference is."""
        if self.origin is not None and self._elsewhere(reference):
            batch, places = self.origin
            return batch.member(reference, name).take(places)
        held = self.field(reference)
        found = self.parent(reference).field(name)
        return found if held.nulls is None else found.with_nulls(held.nulls)

    def parent(self, reference: str) -> Lookup:
        """Return the rows that a reference points to, in the order of this batch's rows."""
        if reference not in self.parents:
            self.parents[reference] = self.table.references[reference].resolve(self)
        return self.parents[reference]

    def siblings(self, call: Call) -> Column:
        """Return the value of `ordinal()`, `previous(field)` or `running(field)` for each row."""
        return of_siblings(call, self)

    def drawn(self, draw: Draw) -> Column:
        """Return the values of a `draw(…)`."""
        rows = np.arange(len(self.rows))
        key = ("draw", id(draw.phrase))
        if key not in self.table.once:
            self.table.once[key] = self.table.phrase_maker(Field("", draw.phrase), draw.phrase)
        found: Column = self.table.once[key](self.inner(self.rows, rows, "draw", draw.number))
        return found

    def stream(self, *purpose: str | int, fixed: bool = False) -> Stream:
        """Return the stream for a purpose; a `fixed` one stays the same at every attempt."""
        path = (
            self.table.record.name,
            *self.inside,
            *purpose,
            *((self.attempt,) if self.attempt and not fixed else ()),
        )
        return stream(self.table.run.seed, *path)

    def unit(self, *purpose: str | int) -> Unit:
        """Return a number in (0, 1) for each row and purpose."""
        return self.stream(*purpose).unit(self.rows)

    def rank(self, name: str) -> NDArray[np.int64] | None:
        """Return the number of each row's value, for a field whose values are numbered; else None."""
        if self.inside:
            return self.ranks
        if self.table.ordinal_override is not None and self.attempt > NUMBERED:
            return None
        return self.table.rankers[name](self) if name in self.table.rankers else None

    def value_unit(self, name: str) -> Unit:
        """Return the number in (0, 1) that a field's value is drawn from; it depends on the fields it tracks."""
        if self.quantiles:
            return (np.arange(len(self.rows)) + 0.5) / len(self.rows)
        if self.inside or name not in self.table.correlations:
            return self.unit(name, "value")
        return self.table.correlations[name].unit(lambda each: self.unit(each, "value"))
