"""Rows of a record type that meet all its conditions, and the share of draws that do."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from yurt.core.base.errors import YurtError
from yurt.core.columns.column import Column, Mask, Places, merge
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import GenerationFault, RowFault
from yurt.core.engine.batch import Batch
from yurt.core.engine.scope import TableScope
from yurt.core.model.expressions import Expression, Name, walk
from yurt.core.planning.restrictions import of_usual_kinds
from yurt.core.sampling.streams import Rows

# The draws that are tested beforehand, and the share of them that must meet the conditions.
PROBED = 2000
# The draws that are tested if there are few rows: one of them must meet the conditions.
FEW = 500
LEAST_SHARE = 0.02


class Unmet(YurtError):
    """A condition that no draw of a row meets: its position, as it is written, and the fields that it reads."""

    def __init__(self, message: str, at: int, condition: str, names: tuple[str, ...]) -> None:
        self.at, self.condition, self.names = at, condition, names
        super().__init__(message)


class Resolved:
    """Rows of a table, each at the first attempt at which every `always` condition holds."""

    def __init__(self, table: TableScope, rows: Rows) -> None:
        self.table = table
        self.rows = rows
        self.fields: dict[str, Column] = {}
        self.parts: list[tuple[Places, Batch]] = []
        waiting = np.arange(len(rows))
        for attempt in range(table.attempts):
            batch = Batch(table, rows[waiting], attempt)
            good = np.ones(len(waiting), dtype=np.bool_)
            for condition in table.record.always:
                good &= holds(condition, batch)
            kept = np.flatnonzero(good)
            self.parts.append((waiting[kept], batch.kept(kept)))
            waiting = waiting[~good]
            if not len(waiting):
                return
        self._give_up(int(rows[waiting[0]]))

    @classmethod
    def of(cls, batch: Batch) -> Resolved:
        """Return the rows of a batch as they are, whether they meet the conditions or not."""
        found = cls.__new__(cls)
        found.table, found.rows, found.fields = batch.table, batch.rows, {}
        found.parts = [(np.arange(len(batch.rows)), batch)]
        return found

    def field(self, name: str) -> Column:
        """Return the values of a field in the order of the rows."""
        if name not in self.fields:
            steps = self._steps(name)
            if len(self.parts) == 1:
                self.fields[name] = _along(self.parts[0][1], name, steps)
            else:
                parts = [(at, _along(batch, name, steps)) for at, batch in self.parts if len(at)]
                self.fields[name] = merge(parts, len(self.rows), parts[0][1].type)
        return self.fields[name]

    def _steps(self, name: str) -> tuple[str, str] | None:
        """Return the reference at the start of a path such as `region.name`, and the rest; None for a field."""
        if name in self.table.makers:
            return None
        return next((each, name[len(each) + 1 :]) for each in self.table.references if name.startswith(each + "."))

    def _give_up(self, row: int) -> None:
        """Name the condition that is met least often."""
        table = self.table
        if table.record.name in table.run.existing:
            wrong = _broken(table, row)
            condition, told = table.record.always[wrong], f"{_shown(table, wrong)} does not hold"
            names = tuple(dict.fromkeys(each.name for each in walk(condition) if isinstance(each, Name)))
            message = f"{table.record.name}, row {row + 1}: {told}, whatever is drawn for it"
            raise Unmet(message, wrong, _shown(table, wrong), names)
        rarest = _rarest(table)
        raise YurtError(
            f"{table.record.name}, row {row + 1}: no draw out of {table.attempts} meets all conditions of `always`; "
            + rarest
        )


def measure(table: TableScope) -> None:
    """Raise YurtError if fewer than LEAST_SHARE of the first draws meet the conditions of a record type."""
    usual = of_usual_kinds(table.record)
    conditions = [each for each in table.record.always if each.span not in usual]
    if not conditions or not table.count:
        return
    rows = np.arange(min(table.count, PROBED), dtype=np.uint64)
    few = len(rows) < 1 / LEAST_SHARE
    try:
        good = _good(conditions, Batch(table, rows))
        for attempt in range(1, -(-FEW // len(rows)) if few else 0):
            if good.any():
                return
            good = _good(conditions, Batch(table, rows, attempt))
    except YurtError:
        # A row that cannot be made is reported when it is requested.
        return
    if (share := float(np.mean(good))) < LEAST_SHARE and (not few or not share):
        raise YurtError(
            f"{table.record.name}: {share:.2%} of the draws meet all conditions of `always`, and at least "
            f"{LEAST_SHARE:.0%} must; {_rarest(table)}"
        )


def _good(conditions: Sequence[Expression], batch: Batch) -> Mask:
    """Return where all conditions hold."""
    good: Mask = np.logical_and.reduce([holds(each, batch) for each in conditions])
    return good


def shares_met(table: TableScope) -> list[float]:
    """Return the share of first draws that meets each condition of a record type; nothing if there are no rows."""
    probe = Batch(table, np.arange(min(table.count, PROBED), dtype=np.uint64))
    return [float(np.mean(holds(each, probe))) for each in table.record.always] if table.count else []


def _rarest(table: TableScope) -> str:
    """Name the condition that the smallest share of first draws meets."""
    shares = shares_met(table)
    rarest = int(np.argmin(shares))
    return f"the rarest is {_shown(table, rarest)}, which {shares[rarest]:.2%} of the rows meet"


def _broken(table: TableScope, row: int) -> int:
    """Return the position of the first condition that does not hold in a row of an existing file."""
    batch = Batch(table, np.array([row], dtype=np.uint64))
    return next((at for at, each in enumerate(table.record.always) if not holds(each, batch).all()), 0)


def _shown(table: TableScope, condition: int) -> str:
    """Return a condition of a record type as it is written, with its line."""
    source = table.run.schema.source
    span = table.record.always[condition].span
    line = source.place(span.start).split(":")[-2]
    return f"`{source.text[span.start : span.end]}` (line {line})"


def _along(batch: Batch, name: str, steps: tuple[str, str] | None) -> Column:
    return batch.field(name) if steps is None else batch.member(*steps)


def holds(condition: Expression, batch: Batch) -> Mask:
    """Return which rows meet a condition: it holds if it is true or unknown, like a CHECK in SQL."""
    try:
        found = evaluate(condition, batch)
    except RowFault as fault:
        source = batch.table.run.schema.source
        raise GenerationFault(batch.table.record.name, "always", fault, source, condition.span) from None
    broken = ~found.values if found.nulls is None else ~found.values & ~found.nulls
    met: Mask = ~np.broadcast_to(broken, (len(batch.rows),))
    return met
