"""A record type at work: its makers, its references, and its rows once all conditions hold."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.errors import YurtError
from yurt.core.columns.column import Column, Places, merge
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import GenerationFault, RowFault
from yurt.core.engine.batch import Batch
from yurt.core.engine.correlation import correlations
from yurt.core.engine.entity import Entity
from yurt.core.engine.fields import maker_of, phrase_maker
from yurt.core.engine.ranks import Ranker, rankers
from yurt.core.engine.references import References
from yurt.core.engine.value_lists import ListRows
from yurt.core.kinds.catalogue import KINDS
from yurt.core.model import Field, FromList, KindOf, Phrase, Record, Reference, Restriction
from yurt.core.model.expressions import Expression
from yurt.core.sampling.streams import Rows

if TYPE_CHECKING:
    from yurt.core.engine.family import Family
    from yurt.core.engine.run import Run

ATTEMPTS = 1000
# Draws that are looked at beforehand, and the share of them that must meet the conditions.
PROBED = 2000
LEAST_SHARE = 0.02
Maker = Callable[[Batch], Column]


class Table:
    """A record type of a run: `count` rows, a maker for each field."""

    def __init__(self, run: Run, record: Record, count: int, family: Family | None) -> None:
        self.run = run
        self.record = record
        self.count = count
        self.family = family
        # Where rows do not stand beside their siblings: which child of its parent each is (from 0).
        self.alone: Callable[[Rows], NDArray[np.int64]] | None = None
        self.correlations = correlations(record)
        self.narrowed = _narrowed(record)
        # Fields that are correlated must be drawn in order, and tables of what they are drawn by.
        self.in_order = {
            *self.correlations,
            *(name for each in self.correlations.values() for name in each.shares.tracked),
        }
        self.tables: dict[tuple[str, str], Any] = {}
        self._lists: dict[tuple[str, int], ListRows] = {}
        self._inner: dict[int, Maker] = {}
        self._entities: dict[str, Entity] = {}
        self.makers: dict[str, Maker] = {each.name: maker_of(each, self) for each in record.fields}
        self.references = {
            each.name: References(self, each, family if each is record.parent_field else None)
            for each in record.fields
            if isinstance(each.head, Reference)
        }

    @cached_property
    def rankers(self) -> dict[str, Ranker]:
        """What numbers the values of fields that take them by number; it may count rows of other record types."""
        return rankers(self)

    def list_rows(self, name: str, phrase: Phrase) -> ListRows:
        """Return what draws the rows of a value list; a phrase inside another one draws for itself."""
        if (name, id(phrase)) not in self._lists:
            fields = [
                (each.name, part) for each in self.record.fields for part in each.phrases if _names_list(part, name)
            ]
            together = [part for _, part in fields]
            if not any(part is phrase for part in together):
                fields, together = [("", phrase)], [phrase]
            rows = ListRows(self, name, fields)
            self._lists |= {(name, id(part)): rows for part in together}
        return self._lists[name, id(phrase)]

    def entity(self, about: str) -> Entity:
        """Return a person and place that the kinds of a record agree on."""
        if about not in self._entities:
            self._entities[about] = Entity(self, about)
        return self._entities[about]

    def maker_of(self, phrase: Phrase) -> Maker:
        """Return the maker of a phrase that stands inside an expression; it is made once."""
        if id(phrase) not in self._inner:
            self._inner[id(phrase)] = phrase_maker(Field("", phrase), phrase, self)
        return self._inner[id(phrase)]


class Resolved:
    """Rows of a table, each at the first attempt at which every `always` condition holds."""

    def __init__(self, table: Table, rows: np.ndarray[tuple[int], np.dtype[np.uint64]]) -> None:
        self.table = table
        self.rows = rows
        self.fields: dict[str, Column] = {}
        self.parts: list[tuple[Places, Batch]] = []
        waiting = np.arange(len(rows))
        for attempt in range(ATTEMPTS):
            batch = Batch(table, rows[waiting], attempt)
            good = np.ones(len(waiting), dtype=np.bool_)
            for condition in table.record.always:
                good &= _holds(condition, batch)
            kept = np.flatnonzero(good)
            self.parts.append((waiting[kept], batch.kept(kept)))
            waiting = waiting[~good]
            if not len(waiting):
                return
        self._give_up(int(rows[waiting[0]]))

    def field(self, name: str) -> Column:
        """Return a field's values in the order of the rows."""
        if name not in self.fields:
            steps = self._steps(name)
            if len(self.parts) == 1:
                self.fields[name] = _along(self.parts[0][1], name, steps)
            else:
                parts = [(at, _along(batch, name, steps)) for at, batch in self.parts if len(at)]
                self.fields[name] = merge(parts, len(self.rows), parts[0][1].type)
        return self.fields[name]

    def _steps(self, name: str) -> tuple[str, str] | None:
        """Return the reference with which a path such as `region.name` begins, and the rest; None for a field."""
        if name in self.table.makers:
            return None
        return next((each, name[len(each) + 1 :]) for each in self.table.references if name.startswith(each + "."))

    def _give_up(self, row: int) -> None:
        """Say which condition is the rare one."""
        table = self.table
        rarest = _rarest(table)
        raise YurtError(
            f"{table.record.name}, row {row + 1}: no draw out of {ATTEMPTS} meets all conditions of `always`; {rarest}"
        )


def measure(table: Table) -> None:
    """Raise YurtError when fewer than LEAST_SHARE of the first draws meet the conditions of a record type."""
    if not table.record.always or not table.count:
        return
    probe = Batch(table, np.arange(min(table.count, PROBED), dtype=np.uint64))
    try:
        good = np.logical_and.reduce([_holds(each, probe) for each in table.record.always])
    except YurtError:
        # A row that cannot be made is told of when it is asked for.
        return
    if (share := float(np.mean(good))) < LEAST_SHARE and len(good) >= 1 / LEAST_SHARE:
        raise YurtError(
            f"{table.record.name}: {share:.2%} of the draws meet all conditions of `always`, and at least "
            f"{LEAST_SHARE:.0%} must; {_rarest(table)}"
        )


def shares_met(table: Table) -> list[float]:
    """Return the share of first draws that meets each condition of a record type; nothing when there are no rows."""
    probe = Batch(table, np.arange(min(table.count, PROBED), dtype=np.uint64))
    return [float(np.mean(_holds(each, probe))) for each in table.record.always] if table.count else []


def _rarest(table: Table) -> str:
    """Name the condition that the smallest share of first draws meets."""
    shares = shares_met(table)
    rarest = int(np.argmin(shares))
    source = table.run.schema.source
    span = table.record.always[rarest].span
    line = source.place(span.start).split(":")[-2]
    shown = source.text[span.start : span.end]
    return f"the rarest is `{shown}` (line {line}), which {shares[rarest]:.2%} of the rows meet"


def _narrowed(record: Record) -> dict[tuple[str, str, str], tuple[tuple[str, Restriction], ...]]:
    """Return what is left of the lists behind kinds: by list, by the person or place, and by field for its own."""
    found: dict[tuple[str, str, str], tuple[tuple[str, Restriction], ...]] = {}
    for field in record.fields:
        for phrase in field.phrases:
            if not isinstance(phrase.head, KindOf) or phrase.narrowed is None:
                continue
            if (listed := KINDS[phrase.head.name].listed) is not None:
                for owner in ("", field.name):
                    key = (listed[0], phrase.head.about, owner)
                    found[key] = (*found.get(key, ()), (listed[1], phrase.narrowed))
    return found


def _names_list(phrase: Phrase, name: str) -> bool:
    return isinstance(phrase.head, FromList) and phrase.head.name == name


def _along(batch: Batch, name: str, steps: tuple[str, str] | None) -> Column:
    return batch.field(name) if steps is None else batch.member(*steps)


def _holds(condition: Expression, batch: Batch) -> np.ndarray[tuple[int], np.dtype[np.bool_]]:
    """A condition holds where it is true or unknown, as a CHECK does in SQL."""
    try:
        found = evaluate(condition, batch)
    except RowFault as fault:
        raise GenerationFault(batch.table.record.name, "always", fault) from None
    broken = ~found.values if found.nulls is None else ~found.values & ~found.nulls
    return ~np.broadcast_to(broken, (len(batch.rows),))
