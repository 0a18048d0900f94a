"""Solves conditions for the records of cases by changing free fields until every condition holds as required.

A local search (B. Selman, H. Kautz and B. Cohen, "Noise strategies for improving local search", 1994). Each step takes
a condition that does not hold and a free field in it, and changes the field so that the condition holds. For
comparisons, the value is found on the straight line through two values, which is exact for sums, dates with durations,
and other linear conditions.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import BOOLEAN, TEXT
from yurt.core.cases.changes import Changes, Fix
from yurt.core.columns.column import Column, Mask, Places
from yurt.core.columns.evaluate import evaluate
from yurt.core.columns.faults import GenerationFault, RowFault
from yurt.core.engine.batch import Batch
from yurt.core.engine.heads.ranged import ends_of
from yurt.core.engine.scope import TableScope
from yurt.core.model import Derived, Field, Phrase, Reference
from yurt.core.model.expressions import (
    Binary,
    Call,
    Choice,
    Expression,
    Literal,
    Matching,
    Member,
    Membership,
    Name,
    Unary,
    walk,
)
from yurt.core.planning.bounds import steps
from yurt.core.sampling.streams import Rows

# After this many steps in a row without a change there will be none: each field of a condition has had its turn.
IDLE = 20
# The changes of one search. Usual schemas need some hundreds; many conditions that contradict each other, any number.
CHANGES = 800
GOLDEN = (5**0.5 - 1) / 2
NEGATED = {"<": ">=", "<=": ">", ">": "<=", ">=": "<", "==": "!=", "!=": "=="}


@dataclass(frozen=True)
class Goal:
    """A condition that must be true, or false, in the records of some cases; a true one may also be unknown."""

    condition: Expression
    truth: bool
    cases: Mask
    lenient: bool = False


class Repair:
    """The search for one record type; its results are the fixes of `changes`."""

    def __init__(self, table: TableScope, changes: Changes, goals: list[Goal]) -> None:
        self.table, self.changes = table, changes
        # Patterns are met by other draws, not by a search.
        self.goals = [each for each in goals if not _is_about_patterns(each.condition)]
        self.record = table.record
        self.types = table.run.plan.types
        self.rows: Rows = np.zeros(0, dtype=np.uint64)
        self.waiting: Places = np.zeros(0, dtype=np.int64)
        self.attempt = 0
        self.idle = self.shifts = 0

    def run(self, rows: Rows, waiting: Places, steps: int, attempt: int) -> None:
        """Search for values of free fields in the rows of some cases, as they are drawn in one attempt."""
        self.rows, self.waiting, self.attempt = rows, waiting, attempt
        self.changes.unfix(waiting)
        self.idle = self.shifts = 0
        for step in range(steps):
            try:
                batch = Batch(self.table, rows, attempt)
                taken = np.zeros(len(rows), dtype=np.bool_)
                self.idle += 1
                # Each row starts with another of its goals, in turn.
                for at in range(len(self.goals)):
                    goal = self.goals[(at + step) % len(self.goals)]
                    places = np.flatnonzero(goal.cases[waiting] & ~taken)
                    if len(places):
                        broken = places[~self._holds(goal.condition, goal.truth, batch.select(places), goal.lenient)]
                        taken[broken] = True
                        self._move(goal.condition, goal.truth, broken, batch, step)
            except (GenerationFault, RowFault):
                # A row that cannot be made; the next draws find out which.
                return
            if not taken.any() or self.idle > IDLE or self.shifts > CHANGES:
                return

    @staticmethod
    def _holds(condition: Expression, truth: bool, batch: Batch, lenient: bool) -> Mask:
        found = evaluate(condition, batch).spread(len(batch.rows))
        nulls = np.zeros(len(batch.rows), dtype=np.bool_) if found.nulls is None else found.nulls
        if found.type != BOOLEAN:
            return np.full(len(batch.rows), lenient)
        good: Mask = ((np.asarray(found.values) == truth) & ~nulls) | (nulls & lenient)
        return good

    # ---- from conditions to comparisons ------------------------------------------------------------------------

    def _move(self, condition: Expression, truth: bool, places: Places, batch: Batch, step: int) -> None:
        """Change a field in some rows so that a condition is true, or false, there."""
        if not len(places):
            return
        match condition:
            case Unary("not", operand):
                self._move(operand, not truth, places, batch, step)
            case Binary("and" | "or" as word, left, right):
                if (word == "and") == truth:
                    first = ~self._holds(left, truth, batch.select(places), False)
                else:
                    first = self._turn(places, step) % 2 == 0
                self._move(left, truth, places[first], batch, step)
                self._move(right, truth, places[~first], batch, step)
            case Choice(inner, Literal(value), otherwise):
                # The rows of a table: this one decides, or one below it.
                here = value is truth
                first = (self._turn(places, step) % 2 == 0) & here
                self._move(inner, True, places[first], batch, step)
                rest = places[~first]
                deciding = self._holds(inner, True, batch.select(rest), False)
                self._move(inner, False, rest[deciding], batch, step)
                self._move(otherwise, truth, rest[~deciding], batch, step)
            case Binary(operator, left, right) if operator in NEGATED:
                self._compare(condition, operator if truth else NEGATED[operator], places, batch, step)
            case Membership(Name(name), options):
                words = [each.value for each in options if isinstance(each, Literal)]
                self._choose(name, words, truth, places, step)
            case Name(name):
                self._choose(name, [True], truth, places, step)

    def _turn(self, places: Places, step: int) -> NDArray[np.int64]:
        """Return a number for each row that differs from step to step."""
        found: NDArray[np.int64] = (self.waiting[places] * 7919 + step * 104_729) % 1009
        return found

    # ---- values ------------------------------------------------------------------------------------------------

    def _free(self, name: str, places: Places) -> Mask:
        """Return the rows in which a field may be changed."""
        field = self.record.by_name.get(name)
        if field is None or not isinstance(field.body, Phrase) or field.unique or field.parent:
            return np.zeros(len(places), dtype=np.bool_)
        head, phrase = field.head, field.body
        if phrase.days is not None or phrase.narrowed is not None or field.told:
            return np.zeros(len(places), dtype=np.bool_)
        if not isinstance(head, model.Ranged | model.Boolean | model.OneOf | model.Matching):
            return np.zeros(len(places), dtype=np.bool_)
        return self.changes.unchanged(name, self.waiting[places])

    def _names(self, condition: Expression) -> Iterator[str]:
        """Yield the fields that a condition reads, and those that they are derived from."""
        found = (node.name for node in self._nodes(condition) if isinstance(node, Name))
        return iter(dict.fromkeys(name for name in found if name in self.record.by_name))

    def _has_steps(self, condition: Expression) -> bool:
        """Return whether a side of a comparison may stay the same between two values of a field, and change later.

        Of sums, only those of which the field is no part stay the same.
        """
        return any(isinstance(node, Call | Choice) for node in self._nodes(condition))

    def _nodes(self, condition: Expression) -> Iterator[Expression]:
        """Yield the parts of a condition, and of the expressions of derived fields in it."""
        waiting, seen = [condition], set[str]()
        while waiting:
            for node in walk(waiting.pop()):
                yield node
                if isinstance(node, Name) and node.name in self.record.by_name and node.name not in seen:
                    seen.add(node.name)
                    head = self.record.by_name[node.name].head
                    if isinstance(head, Derived):
                        waiting.append(head.expression)

    def _compare(self, condition: Expression, operator: str, places: Places, batch: Batch, step: int) -> None:
        assert isinstance(condition, Binary)
        for one, other in ((condition.left, condition.right), (condition.right, condition.left)):
            if isinstance(one, Name) and isinstance(other, Literal) and isinstance(other.value, str | bool):
                self._choose(one.name, [other.value], operator == "==", places, step)
                return
        for name in {node.reference for node in walk(condition) if isinstance(node, Member)}:
            # Another referenced row, in every second step.
            again = places[(self._turn(places, step) % 2 == 0) & self.changes.unchanged(name, self.waiting[places])]
            self._pick(name, again, step)
            places = np.setdiff1d(places, again)
        names = list(self._names(condition))
        places = self._there(names, places, batch, step)
        free = np.array([self._free(name, places) for name in names]).reshape(len(names), len(places))
        counts = free.sum(axis=0)
        wanted = self._turn(places, step) % np.maximum(counts, 1)
        ranks = np.cumsum(free, axis=0) - 1
        for at, name in enumerate(names):
            chosen = places[free[at] & (ranks[at] == wanted)]
            field = self.record.by_name[name]
            if len(chosen) and isinstance(field.head, model.Ranged):
                self._shift(field, condition, operator, chosen, batch)
            elif len(chosen) and isinstance(field.head, model.Matching):
                self.changes.turns.setdefault(name, np.zeros(self.changes.size, dtype=np.int64))[
                    self.waiting[chosen]
                ] += 1
                self.idle = 0

    def _there(self, names: list[str], places: Places, batch: Batch, step: int) -> Places:
        """Meet the conditions of absent fields first; return the rows in which all fields are present."""
        for name in names:
            field = self.record.by_name[name]
            if field.present_if is None or not len(places):
                continue
            nulls = batch.field(name).nulls
            gone = places[np.broadcast_to(nulls, (len(batch.rows),))[places]] if nulls is not None else places[:0]
            self._move(field.present_if, True, gone, batch, step)
            places = np.setdiff1d(places, gone)
        return places

    def _pick(self, name: str, places: Places, step: int) -> None:
        """Let references point to other rows."""
        head = self.record.by_name[name].head
        parent = self.record.parent_field
        if not isinstance(head, Reference) or head.record == self.record.name or (parent and parent.name == name):
            return
        count = self.table.run.table(head.record).count
        picked = self.changes.picked.setdefault(name, np.full(self.changes.size, -1, dtype=np.int64))
        cases = self.waiting[places]
        self.idle = 0 if len(cases) else self.idle
        # Steps of the golden section soon come close to every row, whatever their number.
        share = (cases * 0.31 + (step + self.attempt) * GOLDEN) % 1.0
        picked[cases] = (share * max(count, 1)).astype(np.int64)

    def _shift(self, field: Field, condition: Binary, operator: str, places: Places, batch: Batch) -> None:
        """Change a number or date along the straight line on which the two sides of a comparison differ."""
        head = field.head
        assert isinstance(head, model.Ranged)
        self.shifts += 1
        kind = self.types[self.record.name, field.name]
        part = batch.select(places)
        column = part.field(field.name).spread(len(places))
        low, high, missing = ends_of(head, kind, part)
        low, high = (np.broadcast_to(each, (len(places),)).astype(np.int64) for each in (low, high))
        gone = np.zeros(len(places), dtype=np.bool_) if missing is None else np.asarray(missing)
        nulls = gone if column.nulls is None else gone | column.nulls
        now = np.where(nulls, low, np.asarray(column.values, dtype=np.int64))
        unit = steps(head)
        before = _difference(condition, part)
        # One step up, or down if there is no room above.
        side = np.where(now + unit <= high, 1, -1)
        self._fix(field, places, now + side * unit, ~nulls)
        after = _difference(condition, Batch(self.table, self.rows, self.attempt).select(places))
        slope = (after - before) * side
        flat = ~np.isfinite(slope) | (slope == 0)
        curved = flat & self._has_steps(condition)
        if curved.any():
            # A function with steps: the straight line between the ends of the range, and a little beside it.
            wide = self._over_all(field, condition, places, (low, high), ~nulls)
            slope, before = np.where(flat, wide[0] * unit, slope), np.where(flat, wide[1], before)
            now = np.where(flat, low, now)
            flat = ~np.isfinite(slope) | (slope == 0) | ~np.isfinite(before)
        way = -before / np.where(flat, 1.0, slope)
        exact = np.abs(way - np.rint(way)) < 1e-6
        way = np.where(exact, np.rint(way), way)
        rising = slope > 0
        match operator:
            case "<=":
                count = np.where(rising, np.floor(way), np.ceil(way))
            case ">=":
                count = np.where(rising, np.ceil(way), np.floor(way))
            case "<":
                count = np.where(rising, np.ceil(way) - 1, np.floor(way) + 1)
            case ">":
                count = np.where(rising, np.floor(way) + 1, np.ceil(way) - 1)
            case "==":
                count = np.rint(way)
            case _:
                count = side.astype(np.float64)
        moved = now + (np.where(flat, 0.0, np.clip(count, -1e15, 1e15)) * unit).astype(np.int64)
        top = low + (high - low) // unit * unit
        # What comes again and again, such as the hour, is on no line: any value of the range, in most steps.
        anywhere = curved & (self._turn(places, self.shifts) % 4 > 0)
        share = (self._turn(places, self.shifts * 31 + self.attempt) + 0.5) / 1009
        any_value = low + (share * ((top - low) // unit + 1)).astype(np.int64) * unit
        moved, flat = np.where(anywhere, any_value, moved), flat & ~anywhere
        moved = np.clip(moved, low, np.maximum(top, low))
        self.idle = 0 if ((moved != now) & ~nulls & ~flat).any() else self.idle
        self._fix(field, places, moved, ~nulls & ~flat)

    def _over_all(
        self, field: Field, condition: Binary, places: Places, ends: tuple[Places, Places], there: Mask
    ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Return the slope of the straight line between the ends of a range, and a difference near its minimum."""
        found = []
        for end in ends:
            self._fix(field, places, end, there)
            found.append(_difference(condition, Batch(self.table, self.rows, self.attempt).select(places)))
        slope = (found[1] - found[0]) / np.maximum(ends[1] - ends[0], 1)
        beside = (self._turn(places, self.idle + 1 + self.attempt) / 1009 - 0.5) * 0.2
        return slope, found[0] + (found[1] - found[0]) * beside

    def _choose(self, name: str, words: Sequence[object], among: bool, places: Places, step: int) -> None:
        """Give a field one of some values, or one of the others."""
        field = self.record.by_name.get(name)
        places = places[self._free(name, places)]
        if field is None or not len(places):
            return
        head = field.head
        every: tuple[object, ...] = (True, False) if isinstance(head, model.Boolean) else ()
        if isinstance(head, model.OneOf) and self.types[self.record.name, name] == TEXT:
            every = tuple(str(each) for each in head.values)
        if isinstance(head, model.Matching):
            return
        left = [at for at, each in enumerate(every) if (each in words) == among]
        if left:
            codes = np.array(left)[self._turn(places, step) % len(left)]
            values = codes == 0 if isinstance(head, model.Boolean) else codes
            self.idle = 0
            self._fix(field, places, values.astype(np.int64), np.ones(len(places), dtype=np.bool_))

    def _fix(self, field: Field, places: Places, values: NDArray[np.int64], where: Mask) -> None:
        words = [str(each) for each in field.head.values] if isinstance(field.head, model.OneOf) else []
        fix = self.changes.fixes.setdefault(field.name, Fix.of(self.changes.size, words))
        cases = self.waiting[places[where]]
        fix.mask[cases] = True
        fix.values[cases] = values[where]


def _is_about_patterns(condition: Expression) -> bool:
    nodes = list(walk(condition))
    return any(isinstance(each, Matching) for each in nodes) and not any(
        isinstance(each, Membership) or (isinstance(each, Binary) and each.operator in NEGATED) for each in nodes
    )


def _difference(condition: Binary, batch: Batch) -> NDArray[np.float64]:
    """Return by how much the left side of a comparison is larger, in numbers or seconds."""
    sides = [_number(evaluate(each, batch).spread(len(batch.rows))) for each in (condition.left, condition.right)]
    found: NDArray[np.float64] = sides[0] - sides[1]
    return found


def _number(column: Column) -> NDArray[np.float64]:
    size = {"date": 86_400.0, "days": 86_400.0, "datetime": 1e-6, "time": 1e-6, "duration": 1e-6}
    if column.type.numeric:
        scale = 1.0 if column.type.name == "real" else 10.0**-column.type.places
    else:
        scale = size.get(column.type.name, np.nan)
    values = np.asarray(column.values, dtype=np.float64) if column.type.name in size or column.type.numeric else None
    found = np.full(column.spread(1).values.shape, np.nan) if values is None else values * scale
    if column.nulls is not None:
        found = np.where(column.nulls, np.nan, found)
    return np.asarray(found, dtype=np.float64)
