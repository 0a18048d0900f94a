"""A record type at work: its makers, its references, and its rows once all conditions hold."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from yurt.core.engine.batch import Batch
from yurt.core.engine.column import Column, Places, merge
from yurt.core.engine.evaluate import evaluate
from yurt.core.engine.faults import GenerationFault, RowFault
from yurt.core.engine.fields import maker_of
from yurt.core.engine.references import References
from yurt.core.errors import YurtError
from yurt.core.language.expressions import Expression
from yurt.core.model import Record, Reference

if TYPE_CHECKING:
    from yurt.core.engine.family import Family
    from yurt.core.engine.run import Run

ATTEMPTS = 400
Maker = Callable[[Batch], Column]


class Table:
    """A record type of a run: `count` rows, a maker for each field."""

    def __init__(self, run: Run, record: Record, count: int, family: Family | None) -> None:
        self.run = run
        self.record = record
        self.count = count
        self.makers: dict[str, Maker] = {each.name: maker_of(each, self) for each in record.fields}
        self.references = {
            each.name: References(self, each, family if each is record.parent_field else None)
            for each in record.fields
            if isinstance(each.head, Reference)
        }


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
            if len(self.parts) == 1:
                self.fields[name] = self.parts[0][1].field(name)
            else:
                parts = [(at, batch.field(name)) for at, batch in self.parts if len(at)]
                self.fields[name] = merge(parts, len(self.rows), parts[0][1].type)
        return self.fields[name]

    def _give_up(self, row: int) -> None:
        """Say which condition is the rare one: the share of first draws that meets each."""
        record = self.table.record
        probe = Batch(self.table, np.arange(min(self.table.count, 10_000), dtype=np.uint64))
        shares = [float(np.mean(_holds(each, probe))) for each in record.always]
        rarest = int(np.argmin(shares))
        source = self.table.run.schema.source
        span = record.always[rarest].span
        line, _ = source.line_and_column(span.start)
        shown = source.text[span.start : span.end]
        raise YurtError(
            f"{record.name}, row {row + 1}: no draw out of {ATTEMPTS} meets all conditions of `always`; the rarest is "
            f"`{shown}` (line {line}), which {shares[rarest]:.2%} of the rows meet"
        )


def _holds(condition: Expression, batch: Batch) -> np.ndarray[tuple[int], np.dtype[np.bool_]]:
    """A condition holds where it is true or unknown, as a CHECK does in SQL."""
    try:
        found = evaluate(condition, batch)
    except RowFault as fault:
        raise GenerationFault(batch.table.record.name, "always", fault) from None
    broken = ~found.values if found.nulls is None else ~found.values & ~found.nulls
    return ~np.broadcast_to(broken, (len(batch.rows),))
