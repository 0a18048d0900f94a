"""Makes the records of cases with the engine, around the changes of each case.

The rows of the cases are one batch of a run. If a case changes a field, the maker of that field gives the changed
value, so that everything derived from it follows. Rows that do not meet their conditions or requirements are drawn
again, first like any row, then with values at the edges of the conditions.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.data_classes import dataclass, replace
from yurt.core.base.errors import YurtError
from yurt.core.cases.asked_of_parents import asked
from yurt.core.cases.case import Beside, Case, Requirement, Same
from yurt.core.cases.changes import BOLD, Changes
from yurt.core.cases.earlier_children import MOST, in_order, is_about_place, may_have_earlier_children
from yurt.core.cases.more_parents import Root, with_parents, with_record, with_rows_asked_for
from yurt.core.cases.parents import ParentRows
from yurt.core.cases.repair import Goal, Repair
from yurt.core.cases.unique_values import UniqueValues
from yurt.core.columns.column import Column, Mask, Places, merge
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import GenerationFault, RowFault
from yurt.core.engine.batch import Batch
from yurt.core.engine.resolved import Resolved
from yurt.core.engine.run import Run, RunOptions
from yurt.core.model import Count, Matching, Record, Reference, Schema
from yurt.core.model.expressions import Call, Draw, Expression, Member, Name, walk
from yurt.core.model.functions import OF_SIBLINGS
from yurt.core.patterns.tree import weight
from yurt.core.planning.restrictions import written_conditions
from yurt.core.verify.known import OF_CASE

# The number of draws of a row; from the second number on, another row is used.
ATTEMPTS, ELSEWHERE = 200, 100
# The number of characters in texts of patterns above which a record type without a single valid record is given up
# sooner, and the minimum number of draws: all rules about excused conditions have then been tried.
DEAR, LEAST = 120, 2 * 20 + 1
# The number of draws of a row with a requirement on the row it refers to, because few rows may qualify.
PATIENT = 1200
# Why a case with a fixed value is left out.
TWICE = "another case has the same value of a unique field"
CROWDED = "a `{}` has at most {} of `{}`"
NO_ROW = "none of {:,} rows of `{}` meets its requirements"
NO_CHILD = "none of the first {} children of a `{}` fits it"
NO_NUMBER = "no row number fits it"
HOPELESS = "no record with it meets all other conditions"
CONTRADICTORY = "no values were found that meet its own conditions together"
# The draws in which free fields are changed until the conditions hold.
SOLVED = (4, 9, 16, 24, 34, 60, 120)
# The steps of a search, and of a late search for the few records that are left.
STEPS, MORE_STEPS, LATE = 60, 150, 30
# The number of rows that a case may be tried in.
PLACES = 2
# After this many draws, a record that breaks a rule of a field may break a condition on that field; in the last ones,
# any condition. The first rule is named.
IMPLIED, ANY = 20, 100


@dataclass(frozen=True)
class Wanted:
    """A requirement with the cases that have it."""

    condition: Expression
    truth: bool
    cases: Mask


@dataclass(frozen=True)
class Made:
    """The records of the cases: the row of each, and why some could not be made."""

    rows: Resolved
    kept: list[int]
    left_out: dict[int, str]


class Stage:
    """One record type with room for the records of cases."""

    def __init__(self, natural: Run, record: Record, cases: list[Case]) -> None:
        """Prepare rows for cases beside those of a run. Raises YurtError if a unique field has too few values."""
        self.size = len(cases)
        self.record = record
        # The record types that need more rows than a run has, and how many.
        self.roots: dict[str, int] = {}
        # The number of rows that were searched for those that a reference may point to.
        self.searched: dict[str, int] = {}
        self.changes = Changes(record, self.size)
        self.asked = list(asked(record, cases))
        # The cases that repeat the parent of the first record, where it may not have so many children.
        self.crowded: Places = np.zeros(0, dtype=np.int64)
        beside = {
            (one.group, each.id.partition("#")[2]) for each in cases for one in each.changes if isinstance(one, Beside)
        }
        self.run = self._run(natural, record, len(beside))
        self.table = self.run.table(record.name)
        self._change(cases)

    def _run(self, natural: Run, record: Record, groups: int) -> Run:
        """Return a run with rows for the cases, behind those of the record type if there is room.

        Each of the `groups` of cases has a parent of its own.
        """
        schema, options = natural.schema, RunOptions(natural.seed, natural.today)
        for wish in self.asked:
            more, root, self.searched[wish.reference] = with_rows_asked_for(schema, options, wish)
            schema = self._with_roots((more, root))
        per = record.count.per
        if per is not None:
            # One child per parent, or as few as possible, and more parents if needed: twice the minimum, because not
            # every parent meets the conditions.
            room = 1 if in_order(record) else max(record.count.high, 1)
            wanted = -(-2 * self.size // room) + groups
            schema = self._with_roots(with_parents(schema, options, per, wanted))
            parents = max(Run(schema, options, per).table(per).count, 1)
            each = -(-self.size // parents)
            count = Count(each, each, per, span=record.count.span)
            more = with_record(schema, replace(record, count=count))
            return Run(more, options, record.name, self.changes, record.name)
        own = natural.table(record.name).count
        tree = any(isinstance(each.head, Reference) and each.head.record == record.name for each in record.fields)
        tries = [(own, PLACES), (0, PLACES), (0, 1)]
        for first, places in tries[tree:]:
            count = Count(first + self.size * places, first + self.size * places, span=record.count.span)
            try:
                self.changes.first = first
                more = with_record(schema, replace(record, count=count))
                return Run(more, options, record.name, self.changes, record.name)
            except YurtError as fault:
                if (first, places) == tries[-1]:
                    told = str(fault).partition("; `--count")[0]
                    raise YurtError(f"{told}; ask for fewer cases with --technique or --target") from None
        raise AssertionError

    @property
    def first(self) -> int:
        """The number of the first row of the cases."""
        return self.changes.first

    def _with_roots(self, more: tuple[Schema, Root | None]) -> Schema:
        schema, root = more
        self.roots |= dict([root] if root else [])
        return schema

    def _change(self, cases: list[Case]) -> None:
        """Replace what the makers of the fields give by the changes of the cases."""
        self.changes.take(cases, self.table)
        self.changes.asked = {each.reference: each.rows(self.run) for each in self.asked}
        count, parent = self.record.count, self.record.parent_field
        if count.per is not None and parent is not None:
            meant = self.changes.asked.get(parent.name, {})
            parents = self.run.table(count.per).count
            repeated = self.changes.repeated.get(parent.name, np.zeros(self.size, dtype=np.bool_))
            followers, self.crowded = np.split(np.flatnonzero(repeated), [max(count.high - 1, 0)])
            self.changes.place[followers] = np.arange(1, len(followers) + 1)
            alone = bool(in_order(self.record))
            self.changes.parents = ParentRows(self.changes.leader, followers, parents, count.high, meant, alone)

    # ---- drawing until it fits ---------------------------------------------------------------------------------

    def make(self, cases: list[Case], doubted: Mask, progress: Callable[[int], None] = lambda rows: None) -> Made:
        """Return the records of the cases; the `doubted` ones get no long search."""
        rows = np.arange(len(cases), dtype=np.uint64) + np.uint64(self.first)
        waiting = np.arange(len(cases))
        parts: list[tuple[Places, Batch]] = []
        left_out: dict[int, str] = {}
        requirements = _required(cases)
        hopeless = np.zeros(len(cases), dtype=np.bool_)
        for places, why in self._hopeless(rows, requirements):
            left_out |= dict.fromkeys(places.tolist(), why)
            hopeless[places] = True
        for wish in self.asked:
            none = [each for each, found in self.changes.asked[wish.reference].items() if not len(found)]
            left_out |= {each: NO_ROW.format(self.searched[wish.reference], wish.target) for each in none}
            hopeless[none] = True
        crowded = CROWDED.format(self.record.count.per, self.record.count.high, self.record.name)
        left_out |= dict.fromkeys(self.crowded.tolist(), crowded)
        hopeless[self.crowded] = True
        waiting = waiting[~hopeless]
        patient = _about_others(cases)
        repeating = np.array([any(isinstance(each, Same) for each in case.changes) for case in cases], dtype=np.bool_)
        self.unique = UniqueValues(self.record, cases)
        soon = _hardly_any(self.record)
        valid = np.array([case.valid for case in cases], dtype=np.bool_)
        repair = Repair(self.table, self.changes, self._goals(cases, requirements))
        for attempt in range(PATIENT):
            if attempt == ATTEMPTS or (attempt == soon and not any(valid[at].any() for at, _ in parts)):
                left_out |= {each: _why(doubted, each) for each in waiting[~patient[waiting]].tolist()}
                waiting = waiting[patient[waiting]]
            if not len(waiting):
                break
            if self.changes.parents is not None and attempt:
                self.changes.parents.moved(waiting, attempt)
            if attempt in SOLVED:
                # The few records that are left late are worth more steps.
                some = waiting if attempt < LATE else waiting[~doubted[waiting]]
                if len(some):
                    repair.run(self._at(rows, some, attempt), some, STEPS if attempt < LATE else MORE_STEPS, attempt)
            elif attempt - 1 in SOLVED:
                self.changes.unfix(waiting)
            # A record that repeats the first one waits until there is a first one.
            held = waiting[repeating[waiting]] if self.changes.nominal is None else waiting[:0]
            again: list[Places] = [held]
            ready = np.sort(waiting[~np.isin(waiting, held)])
            for some, part, good in self._tried(rows, ready, attempt, cases, requirements) if len(ready) else ():
                if part is None:
                    # The record fails with the value in place, so everything that depends on the field is made from
                    # another value.
                    told = self.changes.aside[some] | np.array(
                        [cases[each].valid for each in some.tolist()], dtype=np.bool_
                    )
                    if attempt > BOLD:
                        left_out |= {
                            int(each): "fields that depend on the value cannot be made" for each in some[told].tolist()
                        }
                        again.append(some[~told])
                    else:
                        again.append(some)
                    self.changes.aside[some[~told]] = True
                    continue
                fresh = self.unique.fresh(part, some[good])
                kept = part.kept(np.flatnonzero(fresh)) if not fresh.all() else part
                parts.append((some[good][fresh], kept))
                if 0 in some[good][fresh]:
                    self.changes.nominal = kept, int(np.flatnonzero(some[good][fresh] == 0)[0])
                again += [some[~good], some[good][~fresh]]
                progress(int(fresh.sum()))
            waiting = np.concatenate(again)
        left_out |= {each: _why(doubted, each) for each in waiting.tolist()}
        left_out |= {each: TWICE for each in self.unique.twice if each in left_out}
        return Made(
            _Composed(self, rows, parts), [each for each in range(len(cases)) if each not in left_out], left_out
        )

    def _hopeless(self, rows: NDArray[np.uint64], requirements: list[Wanted]) -> Iterator[tuple[Places, str]]:
        """Yield the cases with an unmet requirement that depends only on the number of the row, not on a field."""
        for requirement in requirements:
            nodes = [each for each in walk(requirement.condition) if isinstance(each, Name | Member | Draw | Call)]
            siblings = [each.function for each in nodes if isinstance(each, Call) and each.function in OF_SIBLINGS]
            if all(isinstance(each, Call) or (isinstance(each, Name) and each.name == "row") for each in nodes):
                try:
                    column = evaluate(requirement.condition, Batch(self.table, rows)).spread(len(rows))
                except RowFault:
                    continue
                unmet = requirement.cases & (column.true() != requirement.truth)
                why = f"`{siblings[0]}` {OF_CASE}" if siblings else NO_NUMBER
                if is_about_place(requirement.condition) and may_have_earlier_children(self.record):
                    why = NO_CHILD.format(min(self.record.count.high, MOST), self.record.count.per)
                yield np.flatnonzero(unmet), why

    def _tried(
        self, rows: NDArray[np.uint64], waiting: Places, attempt: int, cases: list[Case],
        requirements: list[Wanted],
    ) -> Iterator[tuple[Places, Batch | None, Mask]]:  # fmt: skip
        """Yield rows that can be made, and which of them are good; a row that fails comes alone, without a batch."""
        batch = Batch(self.table, self._at(rows, waiting, attempt), attempt)
        try:
            good = self._good(batch, waiting, cases, requirements, attempt)
            part = batch.kept(np.flatnonzero(good))
            # The output fields are made here, so that failing rows are known.
            for field in self.record.shown if good.any() else ():
                part.field(field.name)
                list(self.changes.put_aside(field.name, part, waiting[good]))
            yield waiting, part, good
        except (GenerationFault, RowFault):
            if len(waiting) == 1:
                yield waiting, None, np.zeros(1, dtype=np.bool_)
                return
            half = len(waiting) // 2
            yield from self._tried(rows, waiting[:half], attempt, cases, requirements)
            yield from self._tried(rows, waiting[half:], attempt, cases, requirements)

    def _at(self, rows: NDArray[np.uint64], waiting: Places, attempt: int) -> NDArray[np.uint64]:
        """Return the rows of some cases; late draws use other rows behind them."""
        later = attempt >= ELSEWHERE and self.table.count >= self.first + 2 * self.size
        return rows[waiting] + np.uint64(self.size if later else 0)

    def _goals(self, cases: list[Case], requirements: list[Wanted]) -> list[Goal]:
        """Return the conditions that must hold in the records of cases, for the search."""
        every = np.arange(self.size)
        goals = [Goal(each.condition, each.truth, each.cases) for each in requirements]
        for condition in self.record.always:
            excused = self._about(condition, every, cases)
            for each in requirements:
                if each.condition is condition and not each.truth:
                    excused = excused | each.cases
            goals.append(Goal(condition, True, ~excused, lenient=True))
        return goals

    def _good(
        self,
        batch: Batch,
        waiting: Places,
        cases: list[Case],
        requirements: list[Wanted],
        attempt: int,
    ) -> Mask:
        """Return the rows that meet all requirements and all conditions that they are not meant to break."""
        good = np.ones(len(waiting), dtype=np.bool_)
        invalid = np.array([not cases[at].valid for at in waiting.tolist()], dtype=np.bool_)
        written = written_conditions(self.record)
        for condition in self.record.always:
            found = evaluate(condition, batch).spread(len(waiting))
            holds = found.values if found.nulls is None else found.values | found.nulls
            # A condition that stands for `matching` or `without` does not apply to values that break these.
            excused = self._about(condition, waiting, cases)
            if condition in written:
                # At first no other condition may be broken, then conditions on the target, finally any.
                excused = excused & invalid if attempt >= IMPLIED else excused & False
            excused = excused | (invalid & (attempt >= ANY))
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
                # An unknown condition is not true, but it is not broken either.
                unknown = not requirement.truth and requirement.condition not in self.record.always
                good[places] &= met if found.nulls is None or unknown else met & ~found.nulls
        return good

    @staticmethod
    def _about(condition: Expression, waiting: Places, cases: list[Case]) -> Mask:
        """Return the rows that are invalid in a field that a condition depends on."""
        names = {each.name for each in walk(condition) if isinstance(each, Name)}
        return np.array([not cases[at].valid and cases[at].target in names for at in waiting.tolist()], dtype=np.bool_)


class _Composed(Resolved):
    """Finished rows, with the values that are inserted only at the end."""

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


def _hardly_any(record: Record) -> int:
    """Return after how many draws without a valid record to give up: long texts of patterns are slow."""
    heads = (phrase.head for field in record.fields for phrase in field.phrases)
    size = sum(min(each.pattern.longest, weight(each.pattern.tree)) for each in heads if isinstance(each, Matching))
    return min(ATTEMPTS, max(LEAST, ATTEMPTS * DEAR // max(size, 1)))


def _why(doubted: Mask, case: int) -> str:
    return CONTRADICTORY if doubted[case] else HOPELESS


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
    """Return the cases with a requirement on the row they refer to."""
    about = [
        any(
            isinstance(change, Requirement) and any(isinstance(node, Member) for node in walk(change.condition))
            for change in case.changes
        )
        for case in cases
    ]
    return np.array(about, dtype=np.bool_)
