"""Makes the records of cases: with the engine, around what each case changes.

The rows of the cases are one batch of a run. Where a case changes a field, the maker of that field gives its value, so
that all that depends on it follows. Rows whose conditions or wishes do not come true are drawn again, first like any
row, then with values at the edges of what the conditions speak of.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pyarrow.compute as pc
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.arrays import arrow, joined, strings, word
from yurt.core.capacity import NotUnique, bounds, capacity, steps
from yurt.core.cases.case import Beside, Case, Const, Drawn, Edge, Gone, Lost, Moved, Raw, Same, Wish
from yurt.core.columns.column import Column, Mask, Places, cast, coded, merge, units
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import GenerationFault
from yurt.core.engine.batch import Batch
from yurt.core.engine.fields import phrase_maker
from yurt.core.engine.references import References
from yurt.core.engine.run import Run, Wishes
from yurt.core.engine.table import Maker, Resolved
from yurt.core.errors import YurtError
from yurt.core.language.expressions import Binary, Expression, Literal, Member, Membership, Name, Some, walk
from yurt.core.model import Count, Field, Record, Reference, Schema
from yurt.core.narrowing import written_conditions
from yurt.core.types import BOOLEAN, TEXT, Type, decimal

# Draws of a row; from the second number on with values at edges, from the third on in another row.
ATTEMPTS, BOLD, ELSEWHERE = 200, 6, 100
# Draws of a row with a wish about the row that it refers to: few of those may fit.
PATIENT = 1200
# How often such a value is taken.
OFTEN = 0.7
HOPELESS = "no record around it meets all other conditions"
# Rows that a case may be tried in.
PLACES = 2
# After so many draws a record that breaks one rule may break a later one too: the first is named.
IMPLIED = 70


@dataclass(frozen=True)
class Made:
    """The records of the cases: where each of them is among `rows`, and why some could not be made."""

    rows: Resolved
    kept: list[int]
    left_out: dict[int, str]


class Stage:
    """One record type with room for the records of cases."""

    def __init__(self, schema: Schema, record: Record, wishes: Wishes, size: int) -> None:
        """Prepare `size` rows. Raises YurtError when a unique field has fewer values."""
        self.natural = Run(schema, wishes)
        self.size = size
        self.first = 0
        self.run = self._run(schema, record, wishes)
        self.table = self.run.table(record.name)
        # The case whose parent each case has, and which of its children it is.
        self.leader: Places = np.arange(size)
        self.place: Places = np.zeros(size, dtype=np.int64)
        self.table.alone = lambda rows: self.place[self.index(rows)]
        self.record = record
        # Cases whose values are put in place at the end, because what follows from them cannot be made.
        self.aside = np.zeros(size, dtype=np.bool_)
        self.late: dict[str, tuple[Places, list[tuple[Any, Places]], dict[int, Maker], Maker]] = {}
        for name, references in self.table.references.items():
            self.table.references[name] = _Even(self, references)  # type: ignore[assignment]

    def _run(self, schema: Schema, record: Record, wishes: Wishes) -> Run:
        """Return a run with rows of their own for the cases, behind those of the record type where there is room."""
        wishes = replace(wishes, count=None)
        per = record.count.per
        if per is not None:
            # One child a parent, or as few as do.
            parents = max(self.natural.table(per).count, 1)
            each = -(-self.size // parents)
            count = Count(each, each, per, span=record.count.span)
            return Run(_with(schema, replace(record, count=count)), wishes, None)
        own = self.natural.table(record.name).count
        tree = any(isinstance(each.head, Reference) and each.head.record == record.name for each in record.fields)
        tries = [(own, PLACES), (0, PLACES), (0, 1)]
        for first, places in tries[tree:]:
            count = Count(first + self.size * places, first + self.size * places, span=record.count.span)
            try:
                self.first = first
                return Run(_with(schema, replace(record, count=count)), replace(wishes, scale=1.0), None)
            except YurtError as fault:
                if (first, places) == tries[-1]:
                    told = str(fault).partition("; `--count")[0]
                    raise YurtError(f"{told}; ask for fewer cases with --technique or --target") from None
        raise AssertionError

    def index(self, rows: NDArray[np.uint64]) -> Places:
        """Return the case that each row belongs to."""
        found: Places = (rows.astype(np.int64) - self.first) % self.size
        return found

    # ---- changes -----------------------------------------------------------------------------------------------

    def change(self, cases: list[Case]) -> None:
        """Put the changes of the cases into the makers of the fields."""
        by_field: dict[str, dict[Any, list[int]]] = {}
        groups: dict[tuple[str, str], list[tuple[int, int]]] = {}
        for at, case in enumerate(cases):
            for change in case.changes:
                if isinstance(change, Beside):
                    groups.setdefault((change.group, case.id.partition("#")[2]), []).append((change.place, at))
                elif not isinstance(change, Wish | Raw):
                    key = by_field.setdefault(change.field, {})
                    key.setdefault(_key(change), []).append(at)
        for group in groups.values():
            for place, at in group:
                self.leader[at], self.place[at] = min(group)[1], place
        bold = self._bold(cases)
        for name in {*by_field, *bold}:
            entries = [(key[1], np.array(places)) for key, places in by_field.get(name, {}).items()]
            self.table.makers[name] = self._changed(name, self.table.makers[name], entries, bold.get(name))

    def _changed(self, name: str, make: Maker, entries: list[tuple[Any, Places]], bold: Column | None) -> Maker:
        """Return a maker that gives the values of changes where there are any."""
        kind = self.run.plan.types[self.record.name, name]
        which = np.full(self.size, -1, dtype=np.int64)
        for at, (_, places) in enumerate(entries):
            which[places] = at
        field = self.record.by_name[name]
        inner = {
            at: phrase_maker(field, change.phrase, self.table)
            for at, (change, _) in enumerate(entries)
            if isinstance(change, Drawn)
        }

        moved = [at for at, (change, _) in enumerate(entries) if isinstance(change, Moved)]

        def changed(batch: Batch) -> Column:
            if batch.inside:
                return make(batch)
            wanted = np.where(self.aside[self.index(batch.rows)], -1, which[self.index(batch.rows)])
            parts: list[tuple[Places, Column]] = []
            rest = np.flatnonzero((wanted < 0) | np.isin(wanted, moved))
            if len(rest) or kind.name == "list":
                found = make(batch.select(rest)).spread(len(rest))
                if bold is not None and batch.attempt > BOLD:
                    found = _boldly(found, bold, batch.select(rest), name, np.flatnonzero(wanted[rest] < 0))
                parts.append((rest, _moved(found, wanted[rest] >= 0)))
            for at, (change, _) in enumerate(entries):
                places = np.flatnonzero(wanted == at)
                if len(places) and at not in moved:
                    part = batch.select(places)
                    value = inner[at](part) if at in inner else self._value(change, field, kind, part, make)
                    parts.append((places, cast(value.spread(len(places)), kind)))
            return merge(parts, len(batch.rows), kind)

        self.late[name] = (which, entries, inner, make)
        return changed

    def put_aside(self, name: str, batch: Batch, places: Places) -> Iterator[tuple[Places, Column]]:
        """Yield the values of a field that nothing else follows from, with their cases."""
        if name not in self.late:
            return
        which, entries, inner, make = self.late[name]
        kind = self.run.plan.types[self.record.name, name]
        for at, (change, _) in enumerate(entries):
            chosen = np.flatnonzero((which[places] == at) & self.aside[places])
            if len(chosen) and not isinstance(change, Moved):
                part = batch.select(chosen)
                value = (
                    inner[at](part) if at in inner else self._value(change, self.record.by_name[name], kind, part, make)
                )
                yield places[chosen], cast(value.spread(len(chosen)), kind)

    def _value(self, change: Any, field: Field, kind: Type, batch: Batch, make: Maker) -> Column:
        size = len(batch.rows)
        match change:
            case Const(_, value):
                return _constant(value, kind, size)
            case Gone():
                return make(batch).spread(size).with_nulls(np.ones(size, dtype=np.bool_))
            case Edge():
                return self._edge(change, kind, batch)
            case Same():
                first = Batch(self.table, np.array([self.first], dtype=np.uint64))
                return first.field(field.name).spread(1).take(np.zeros(size, dtype=np.int64))
            case Lost():
                return self._lost(field, size)
            case _:
                raise AssertionError(change)

    def _edge(self, change: Edge, kind: Type, batch: Batch) -> Column:
        """Return the value at the end of a range, so many steps inside; on an allowed day where days are chosen."""
        from yurt.core.engine.heads.ranges import _ends

        head = change.phrase.head
        assert isinstance(head, model.Ranged)
        low, high, _ = _ends(head, kind, batch)
        step = steps(head)
        low = np.broadcast_to(low, (len(batch.rows),))
        high = np.broadcast_to(high, (len(batch.rows),))
        top = low + (high - low) // step * step
        found = top - change.inside * step if change.upper else low + change.inside * step
        if change.phrase.days is not None:
            found = _allowed_day(found, change, head)
        return Column(kind, found.astype(np.int64))

    def _lost(self, field: Field, size: int) -> Column:
        """Return keys of rows that are not there: those of row numbers behind the last one."""
        assert isinstance(field.head, Reference)
        target = self.run.table(field.head.record)
        key = self.run.schema.records[field.head.record].key
        assert key is not None
        try:
            room = capacity(key, self.run.today, self.run.schema)
        except NotUnique:
            room = 0
        if room >= target.count + size:
            rows = np.arange(target.count, target.count + size, dtype=np.uint64)
            return Batch(target, rows).field(key.name).spread(size)
        # All keys there are may be taken: one that is none of them.
        taken = Batch(target, np.arange(target.count, dtype=np.uint64)).field(key.name).spread(target.count)
        if taken.type == TEXT:
            return _moved(taken.take(np.zeros(size, dtype=np.int64)), np.ones(size, dtype=np.bool_))
        return Column(taken.type, np.full(size, int(np.max(taken.values)) + 1))

    def _bold(self, cases: list[Case]) -> dict[str, Column]:
        """Return, for fields that conditions speak of, values at the edges of what these say."""
        conditions = [*self.record.always]
        for case in cases:
            conditions += [each.condition for each in case.changes if isinstance(each, Wish)]
        spoken: dict[str, set[int]] = {}
        for condition in {id(each): each for each in conditions}.values():
            for name, literal in _compared(condition):
                field = self.record.by_name.get(name)
                head = field.head if field is not None else None
                if field is None or not isinstance(head, model.Ranged) or field.unique:
                    continue
                spoken.setdefault(name, set()).update(
                    _around(literal, self.run.plan.types[self.record.name, name], steps(head))
                )
        found: dict[str, Column] = {}
        for name, values in spoken.items():
            field = self.record.by_name[name]
            head = field.head
            assert isinstance(head, model.Ranged)
            ends = bounds(head, self.run.today)
            if ends is None or field.phrases[0].days is not None:
                continue
            kind = self.run.plan.types[self.record.name, name]
            good = sorted(
                each for each in {*values, *ends} if ends[0] <= each <= ends[1] and (each - ends[0]) % steps(head) == 0
            )
            if good:
                found[name] = Column(kind, np.array(good, dtype=np.int64))
        return found

    # ---- drawing until it fits ---------------------------------------------------------------------------------

    def make(self, cases: list[Case], progress: Callable[[int], None] = lambda rows: None) -> Made:
        """Return the records of the cases."""
        rows = np.arange(len(cases), dtype=np.uint64) + np.uint64(self.first)
        waiting = np.arange(len(cases))
        parts: list[tuple[Places, Batch]] = []
        left_out: dict[int, str] = {}
        wishes = _wishes(cases)
        hopeless = self._hopeless(rows, wishes)
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
            for some, part, good in self._tried(rows, waiting, attempt, cases, wishes):
                if part is None:
                    # It fails with the value in place: what follows from the field is made from another one then.
                    told = self.aside[some] | np.array([cases[each].valid for each in some.tolist()], dtype=np.bool_)
                    if attempt > BOLD:
                        left_out |= {
                            int(each): "what depends on the value cannot be made" for each in some[told].tolist()
                        }
                        again.append(some[~told])
                    else:
                        again.append(some)
                    self.aside[some[~told]] = True
                    continue
                parts.append((some[good], part))
                again.append(some[~good])
                progress(int(good.sum()))
            waiting = np.concatenate(again)
        left_out |= {int(each): HOPELESS for each in waiting.tolist()}
        return Made(
            _Composed(self, rows, parts), [each for each in range(len(cases)) if each not in left_out], left_out
        )

    def _hopeless(self, rows: NDArray[np.uint64], wishes: list[tuple[Expression, bool, Mask]]) -> Mask:
        """Return the cases with a wish that no field has a part in, only the number of the row, and that is not met."""
        found = np.zeros(self.size, dtype=np.bool_)
        for condition, truth, mask in wishes:
            if any(
                isinstance(each, Name | Member | Some) and each != Name("row", each.span) for each in walk(condition)
            ):
                continue
            column = evaluate(condition, Batch(self.table, rows)).spread(len(rows))
            found |= mask & (column.true() != truth)
        return found

    def _tried(
        self, rows: NDArray[np.uint64], waiting: Places, attempt: int, cases: list[Case],
        wishes: list[tuple[Expression, bool, Mask]],
    ) -> Iterator[tuple[Places, Batch | None, Mask]]:  # fmt: skip
        """Yield rows that can be made, with those that are good; a row that fails comes alone, without a batch."""
        at = rows[waiting]
        if attempt >= ELSEWHERE and self.table.count >= self.first + 2 * self.size:
            at = at + np.uint64(self.size)
        batch = Batch(self.table, at, attempt)
        try:
            good = self._good(batch, waiting, cases, wishes, attempt)
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
            yield from self._tried(rows, waiting[:half], attempt, cases, wishes)
            yield from self._tried(rows, waiting[half:], attempt, cases, wishes)

    def _good(
        self,
        batch: Batch,
        waiting: Places,
        cases: list[Case],
        wishes: list[tuple[Expression, bool, Mask]],
        attempt: int,
    ) -> Mask:
        """Return which rows meet all wishes, and all conditions that they are not to break."""
        good = np.ones(len(waiting), dtype=np.bool_)
        for condition in self.record.always:
            broken = next((mask for each, truth, mask in wishes if each is condition and not truth), None)
            found = evaluate(condition, batch).spread(len(waiting))
            holds = found.values | (found.nulls if found.nulls is not None else False)
            implied = np.array(
                [not cases[each].valid and attempt >= IMPLIED for each in waiting.tolist()], dtype=np.bool_
            )
            good &= (
                holds
                | implied
                | self._narrower(condition, waiting, cases)
                | (broken[waiting] if broken is not None else False)
            )
        for condition, truth, mask in wishes:
            places = np.flatnonzero(mask[waiting])
            if len(places):
                found = evaluate(condition, batch.select(places)).spread(len(places))
                nulls = found.nulls if found.nulls is not None else np.zeros(len(places), dtype=np.bool_)
                good[places] &= (found.values == truth) & (~nulls | (not truth and condition not in self.record.always))
        return good

    def _narrower(self, condition: Expression, waiting: Places, cases: list[Case]) -> Mask:
        """Return which rows a condition that stands for `matching` or `without` of a field is not meant for."""
        if condition in written_conditions(self.record):
            return np.zeros(len(waiting), dtype=np.bool_)
        names = {each.name for each in walk(condition) if isinstance(each, Name)}
        return np.array(
            [not cases[each].valid and cases[each].target in names for each in waiting.tolist()], dtype=bool
        )


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
            parts = [part for at, batch in self.parts for part in self.stage.put_aside(name, batch, at)]
            if parts:
                rest = np.setdiff1d(np.arange(len(self.rows)), np.concatenate([places for places, _ in parts]))
                found = merge([(rest, found.take(rest)), *parts], len(self.rows), found.type)
            self.fields[name] = found
        return self.fields[name]


class _Even:
    """References that after some draws point to any row alike, however they are distributed."""

    def __init__(self, stage: Stage, references: References) -> None:
        self.stage = stage
        self.references = references

    def resolve(self, batch: Batch) -> Any:
        own, stage = self.references, self.stage
        if own.family is not None:
            # Children of one parent have that of the first of them.
            at = stage.index(batch.rows)
            rows = batch.rows + (stage.leader[at] - at).astype(np.uint64)
            return Resolved(own.table.run.table(own.target), own.family.places(rows)[0])
        if batch.attempt <= BOLD or own.target == own.table.record.name:
            return own.resolve(batch)
        plain = References(own.table, replace(own.field, body=model.Phrase(own.field.head)), None)  # type: ignore[arg-type]
        return plain.resolve(batch)

    def rows(self, batch: Batch) -> Any:
        return self.references.rows(batch)


def _with(schema: Schema, record: Record) -> Schema:
    return replace(schema, records={**schema.records, record.name: record})


def _key(change: Any) -> tuple[Any, Any]:
    """Return what tells changes apart, with the change."""
    return (type(change).__name__, id(change.phrase) if isinstance(change, Drawn) else repr(change)), change


def _wishes(cases: list[Case]) -> list[tuple[Expression, bool, Mask]]:
    """Return every wish with the cases that have it."""
    found: dict[tuple[int, bool], tuple[Expression, bool, Mask]] = {}
    for at, case in enumerate(cases):
        for change in case.changes:
            if isinstance(change, Wish):
                key = (id(change.condition), change.truth)
                if key not in found:
                    found[key] = (change.condition, change.truth, np.zeros(len(cases), dtype=np.bool_))
                found[key][2][at] = True
    return list(found.values())


def _about_others(cases: list[Case]) -> Mask:
    """Return which cases have a wish about a row that theirs refers to."""
    about = [
        any(
            isinstance(change, Wish) and any(isinstance(node, Member) for node in walk(change.condition))
            for change in case.changes
        )
        for case in cases
    ]
    return np.array(about, dtype=np.bool_)


def _constant(value: str | int | bool, kind: Type, size: int) -> Column:
    if isinstance(value, str):
        return coded(np.zeros(size, dtype=np.int64), strings([value]))
    if kind == BOOLEAN:
        return Column(kind, np.full(size, bool(value)))
    return Column(kind, np.full(size, value, dtype=np.float64 if kind.name == "real" else np.int64))


def _moved(found: Column, where: Mask) -> Column:
    """Return a column with some values replaced by others: one more, the opposite, a letter more."""
    if not where.any():
        return found
    size = len(where)
    if found.type == TEXT:
        longer = joined(found.text(size), pc.if_else(arrow(where), word("x"), word("")))
        return Column(TEXT, longer, found.nulls)
    if found.type == BOOLEAN:
        return replace(found, values=found.values ^ where)
    return replace(found, values=found.values + where)


def _boldly(found: Column, bold: Column, batch: Batch, name: str, places: Places) -> Column:
    """Take values at edges for most of some rows."""
    u = batch.unit(name, "bold")[places]
    chosen = u < OFTEN
    at = places[chosen]
    picked = (u[chosen] / OFTEN * len(bold.values)).astype(np.int64)
    values = np.array(found.values)
    values[at] = bold.values[picked]
    return replace(found, values=values)


def _compared(condition: Expression) -> list[tuple[str, Any]]:
    """Return the names in a condition with the constants that they are compared with."""
    found: list[tuple[str, Any]] = []
    for node in walk(condition):
        if isinstance(node, Binary) and node.operator in ("==", "!=", "<", "<=", ">", ">="):
            for one, other in ((node.left, node.right), (node.right, node.left)):
                if isinstance(one, Name) and isinstance(other, Literal) and other.value is not None:
                    found.append((one.name, other.value))
        elif isinstance(node, Membership) and isinstance(node.item, Name):
            found += [(node.item.name, each.value) for each in node.options if isinstance(each, Literal)]
    return found


def _around(value: Any, kind: Type, step: int) -> set[int]:
    """Return a constant and its neighbours in units of a type."""
    if isinstance(value, str | bool) or value is None:
        return set()
    try:
        column = cast(Column(_literal(value), np.array(units(value))), kind)
    except OverflowError:
        return set()
    middle = int(column.values)
    return {middle - step, middle, middle + step}


def _literal(value: Any) -> Type:
    from yurt.core.language.typing import literal_type

    found = literal_type(value)
    return found if found.name != "decimal" else decimal(found.places)


def _allowed_day(found: NDArray[np.int64], change: Edge, head: model.Ranged) -> NDArray[np.int64]:
    """Move a day to the next one that is allowed: inwards where it is inside the range, else outwards."""
    days = change.phrase.days
    assert days is not None
    unit = 1 if isinstance(head, model.Date) else 86_400_000_000
    inwards = -1 if change.upper else 1
    direction = inwards if change.inside >= 0 else -inwards
    found = found.copy()
    for _ in range(400):
        day = found // unit
        months = day.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64) % 12
        wrong = ~(np.array(days.weekdays)[(day + 3) % 7] & np.array(days.months)[months])
        if not wrong.any():
            break
        found[wrong] += direction * unit
    return found
