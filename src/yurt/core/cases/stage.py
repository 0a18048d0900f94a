"""Makes the records of cases: with the engine, around what each case changes.

The rows of the cases are one batch of a run. Where a case changes a field, the maker of that field gives its value, so
that all that depends on it follows. Rows whose conditions or requirements do not come true are drawn again, first
like any row, then with values at the edges of what the conditions speak of.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.errors import YurtError
from yurt.core.cases.case import Case, Requirement
from yurt.core.cases.changes import BOLD, Changes
from yurt.core.columns.column import Column, Mask, Places, merge
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import GenerationFault
from yurt.core.engine.batch import Batch
from yurt.core.engine.resolved import Resolved
from yurt.core.engine.run import Run, RunOptions
from yurt.core.model import Count, Record, Reference, Schema
from yurt.core.model.expressions import Expression, Member, Name, Some, walk
from yurt.core.planning.restrictions import written_conditions

# Draws of a row; from the second number on in another row.
ATTEMPTS, ELSEWHERE = 200, 100
# Draws of a row with a requirement about the row that it refers to: few of those may fit.
PATIENT = 1200
HOPELESS = "no record around it meets all other conditions"
# Rows that a case may be tried in.
PLACES = 2
# After so many draws a record that breaks one rule may break a later one too: the first is named.
IMPLIED = 70


@dataclass(frozen=True, slots=True)
class Wanted:
    """A requirement with the cases that have it."""

    condition: Expression
    truth: bool
    cases: Mask


@dataclass(frozen=True)
class Made:
    """The records of the cases: where each of them is among `rows`, and why some could not be made."""

    rows: Resolved
    kept: list[int]
    left_out: dict[int, str]


class Stage:
    """One record type with room for the records of cases."""

    def __init__(self, natural: Run, record: Record, size: int) -> None:
        """Prepare `size` rows beside those of a run. Raises YurtError when a unique field has fewer values."""
        self.size = size
        self.record = record
        self.changes = Changes(record, size)
        self.run = self._run(natural, record)
        self.table = self.run.table(record.name)

    def _run(self, natural: Run, record: Record) -> Run:
        """Return a run with rows of their own for the cases, behind those of the record type where there is room."""
        schema, options = natural.schema, RunOptions(natural.seed, natural.today)
        per = record.count.per
        if per is not None:
            # One child a parent, or as few as do.
            parents = max(natural.table(per).count, 1)
            each = -(-self.size // parents)
            count = Count(each, each, per, span=record.count.span)
            return Run(_with(schema, replace(record, count=count)), options, overrides=self.changes)
        own = natural.table(record.name).count
        tree = any(isinstance(each.head, Reference) and each.head.record == record.name for each in record.fields)
        tries = [(own, PLACES), (0, PLACES), (0, 1)]
        for first, places in tries[tree:]:
            count = Count(first + self.size * places, first + self.size * places, span=record.count.span)
            try:
                self.changes.first = first
                return Run(_with(schema, replace(record, count=count)), options, overrides=self.changes)
            except YurtError as fault:
                if (first, places) == tries[-1]:
                    told = str(fault).partition("; `--count")[0]
                    raise YurtError(f"{told}; ask for fewer cases with --technique or --target") from None
        raise AssertionError

    @property
    def first(self) -> int:
        """The number of the first row of the cases."""
        return self.changes.first

    def change(self, cases: list[Case]) -> None:
        """Put the changes of the cases in the place of what the fields' makers give."""
        self.changes.take(cases, self.table)

    # ---- drawing until it fits ---------------------------------------------------------------------------------

    def make(self, cases: list[Case], progress: Callable[[int], None] = lambda rows: None) -> Made:
        """Return the records of the cases."""
        rows = np.arange(len(cases), dtype=np.uint64) + np.uint64(self.first)
        waiting = np.arange(len(cases))
        parts: list[tuple[Places, Batch]] = []
        left_out: dict[int, str] = {}
        requirements = _required(cases)
        hopeless = self._hopeless(rows, requirements)
        left_out |= {int(each): "no record stands in a row for it" for each in np.flatnonzero(hopeless).tolist()}
        waiting = waiting[~hopeless]
        patient = _about_others(cases)
        for attempt in range(PATIENT):
            if attempt == ATTEMPTS:
                left_out |= {int(each): HOPELESS for each in waiting[~patient[waiting]].tolist()}
                waiting = waiting[patient[waiting]]
            if not len(waiting):
                break
            again: list[Places] = []
            for some, part, good in self._tried(rows, waiting, attempt, cases, requirements):
                if part is None:
                    # It fails with the value in place: what follows from the field is made from another one then.
                    told = self.changes.aside[some] | np.array(
                        [cases[each].valid for each in some.tolist()], dtype=np.bool_
                    )
                    if attempt > BOLD:
                        left_out |= {
                            int(each): "what depends on the value cannot be made" for each in some[told].tolist()
                        }
                        again.append(some[~told])
                    else:
                        again.append(some)
                    self.changes.aside[some[~told]] = True
                    continue
                parts.append((some[good], part))
                again.append(some[~good])
                progress(int(good.sum()))
            waiting = np.concatenate(again)
        left_out |= {int(each): HOPELESS for each in waiting.tolist()}
        return Made(
            _Composed(self, rows, parts), [each for each in range(len(cases)) if each not in left_out], left_out
        )

    def _hopeless(self, rows: NDArray[np.uint64], requirements: list[Wanted]) -> Mask:
        """Return the cases with an unmet requirement that no field has a part in, only the number of the row."""
        found = np.zeros(self.size, dtype=np.bool_)
        for requirement in requirements:
            nodes = (each for each in walk(requirement.condition) if isinstance(each, Name | Member | Some))
            if all(isinstance(each, Name) and each.name == "row" for each in nodes):
                column = evaluate(requirement.condition, Batch(self.table, rows)).spread(len(rows))
                found |= requirement.cases & (column.true() != requirement.truth)
        return found

    def _tried(
        self, rows: NDArray[np.uint64], waiting: Places, attempt: int, cases: list[Case],
        requirements: list[Wanted],
    ) -> Iterator[tuple[Places, Batch | None, Mask]]:  # fmt: skip
        """Yield rows that can be made, with those that are good; a row that fails comes alone, without a batch."""
        at = rows[waiting]
        if attempt >= ELSEWHERE and self.table.count >= self.first + 2 * self.size:
            at = at + np.uint64(self.size)
        batch = Batch(self.table, at, attempt)
        try:
            good = self._good(batch, waiting, cases, requirements, attempt)
            part = batch.kept(np.flatnonzero(good))
            # What is shown is made here, so that a row that cannot be made is known.
            for field in self.record.shown if good.any() else ():
                part.field(field.name)
            yield waiting, part, good
        except GenerationFault:
            if len(waiting) == 1:
                yield waiting, None, np.zeros(1, dtype=np.bool_)
                return
            half = len(waiting) // 2
            yield from self._tried(rows, waiting[:half], attempt, cases, requirements)
            yield from self._tried(rows, waiting[half:], attempt, cases, requirements)

    def _good(
        self,
        batch: Batch,
        waiting: Places,
        cases: list[Case],
        requirements: list[Wanted],
        attempt: int,
    ) -> Mask:
        """Return which rows meet all requirements, and all conditions that they are not to break."""
        good = np.ones(len(waiting), dtype=np.bool_)
        implied = np.array([not cases[at].valid and attempt >= IMPLIED for at in waiting.tolist()], dtype=np.bool_)
        written = written_conditions(self.record)
        for condition in self.record.always:
            found = evaluate(condition, batch).spread(len(waiting))
            holds = found.values if found.nulls is None else found.values | found.nulls
            # A condition that stands for `matching` or `without` is not meant for values that break these.
            excused = implied if condition in written else implied | self._about(condition, waiting, cases)
            for requirement in requirements:
                excused = excused | (
                    requirement.cases[waiting]
                    if requirement.condition is condition and not requirement.truth
                    else False
                )
            good &= holds | excused
        for requirement in requirements:
            places = np.flatnonzero(requirement.cases[waiting])
            if len(places):
                found = evaluate(requirement.condition, batch.select(places)).spread(len(places))
                met = found.values == requirement.truth
                # What is unknown is not true; but it breaks no condition either.
                unknown = not requirement.truth and requirement.condition not in self.record.always
                good[places] &= met if found.nulls is None or unknown else met & ~found.nulls
        return good

    @staticmethod
    def _about(condition: Expression, waiting: Places, cases: list[Case]) -> Mask:
        """Return which rows are invalid in a field that a condition speaks of."""
        names = {each.name for each in walk(condition) if isinstance(each, Name)}
        return np.array([not cases[at].valid and cases[at].target in names for at in waiting.tolist()], dtype=np.bool_)


class _Composed(Resolved):
    """Rows that are made already, with the values that are put in their places only now."""

    def __init__(self, stage: Stage, rows: NDArray[np.uint64], parts: list[tuple[Places, Batch]]) -> None:
        self.stage = stage
        self.table = stage.table
        self.rows = rows
        self.fields = {}
        self.parts = parts

    def field(self, name: str) -> Column:
        if name not in self.fields:
            # Cases that are left out are in no part.
            made = [(at, batch.field(name)) for at, batch in self.parts if len(at)]
            found = merge(made, len(self.rows), self.stage.run.plan.types[self.table.record.name, name])
            parts = [part for at, batch in self.parts for part in self.stage.changes.put_aside(name, batch, at)]
            if parts:
                rest = np.setdiff1d(np.arange(len(self.rows)), np.concatenate([places for places, _ in parts]))
                found = merge([(rest, found.take(rest)), *parts], len(self.rows), found.type)
            self.fields[name] = found
        return self.fields[name]


def _with(schema: Schema, record: Record) -> Schema:
    return replace(schema, records={**schema.records, record.name: record})


def _required(cases: list[Case]) -> list[Wanted]:
    """Return every requirement with the cases that have it."""
    found: dict[tuple[int, bool], Wanted] = {}
    for at, case in enumerate(cases):
        for change in case.changes:
            if isinstance(change, Requirement):
                nobody = np.zeros(len(cases), dtype=np.bool_)
                key = (id(change.condition), change.truth)
                found.setdefault(key, Wanted(change.condition, change.truth, nobody)).cases[at] = True
    return list(found.values())


def _about_others(cases: list[Case]) -> Mask:
    """Return which cases have a requirement about a row that theirs refers to."""
    about = [
        any(
            isinstance(change, Requirement) and any(isinstance(node, Member) for node in walk(change.condition))
            for change in case.changes
        )
        for case in cases
    ]
    return np.array(about, dtype=np.bool_)
