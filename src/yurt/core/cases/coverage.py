"""Coverage of existing records: partitions, boundaries, decision rules, and pairs (ISO/IEC/IEEE 29119-4, clause 6).

Coverage is N / T: of the T coverage items of the schema, N occur in some record.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import combinations, product
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import flags, numbers_or, strings, word
from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.labels import CASE
from yurt.core.base.types import BOOLEAN, TEXT
from yurt.core.cases.case import Beside, Case, Const, Drawn, Edge, Gone, Lost, Moved, Raw, Requirement, Same
from yurt.core.cases.days import nearest_allowed
from yurt.core.cases.factor_rules import rules_of
from yurt.core.cases.factors import Factor, Level, factors_of
from yurt.core.cases.subject import Subject
from yurt.core.columns.column import Column, Mask
from yurt.core.columns.evaluate import evaluate
from yurt.core.combining.rules import FREE, Rules
from yurt.core.formats.common.raw import ABSENT, ARRAY, CELL, NOTHING, NULL, NUMBER, OBJECT, STRING, Number
from yurt.core.formats.common.raw import BOOLEAN as RAW_BOOLEAN
from yurt.core.model import ListOf, Nested, Ranged, Record, Table
from yurt.core.model.expressions import Expression, Member, Name, walk
from yurt.core.model.words import NOW_NAMES
from yurt.core.planning.bounds import steps
from yurt.core.verify.frame import Frame
from yurt.core.verify.own_units import in_units_of, own_type
from yurt.core.verify.rows_before import reads_rows_before
from yurt.core.verify.shapes import inwards
from yurt.core.verify.verification import Verification

TECHNIQUES = ("partition", "boundary", "decision")
# Items that cover all values of one group of other types.
ANY_OF_A_SORT = {
    "wrong type": (STRING, CELL), "in quotes": (STRING,), "a number": (NUMBER,), "a Boolean": (RAW_BOOLEAN,),
    "a list": (ARRAY,), "a record": (OBJECT,),
}  # fmt: skip
# The number of different combinations of all levels that are kept, for cases that build on them.
MOST_ROWS = 100_000


@dataclass(frozen=True)
class FileFault:
    """A fault of a file, with the line if it is known."""

    name: str
    line: int | None
    message: str


@dataclass
class Coverage:
    """The coverage of one record type."""

    subject: Subject
    rows: int = 0
    # Every item, and whether a record covers it.
    items: dict[str, tuple[Case, bool]] = field(default_factory=dict)
    factors: list[Factor] = field(default_factory=list)
    levels: set[tuple[int, ...]] = field(default_factory=set)
    # The pairs of levels that occur in records, by the numbers of two factors.
    seen: dict[tuple[int, int], Mask] = field(default_factory=dict)
    # The number of possible pairs of levels, and of pairs that occur in records.
    possible: int = 0
    paired: int = 0
    missing_pairs: list[str] = field(default_factory=list)
    # Impossible pairs, with the condition that forbids them.
    impossible_pairs: dict[str, str] = field(default_factory=dict)
    # Faults of the files themselves.
    faults: list[FileFault] = field(default_factory=list)

    def shares(self) -> dict[str, dict[str, tuple[int, int]]]:
        """Return the number of covered items and of all items, by target and technique."""
        found: dict[str, dict[str, tuple[int, int]]] = {}
        for case, hit in self.items.values():
            own = found.setdefault(case.target, {})
            covered, total = own.get(case.technique, (0, 0))
            own[case.technique] = covered + hit, total + 1
        return found

    def of_outcome(self, valid: bool) -> tuple[int, int]:
        """Return the number of covered items and of all items, of valid or of invalid records."""
        found = [hit for case, hit in self.items.values() if case.valid == valid]
        return sum(found), len(found)

    @property
    def missed(self) -> list[Case]:
        """The items that no record covers."""
        return [case for case, hit in self.items.values() if not hit]


def measured(
    looks: Sequence[Verification], subject: Subject, cases: list[Case],
    progress: Callable[[int], None] = lambda rows: None,
) -> Coverage:  # fmt: skip
    """Return the coverage of some cases by the records of one type, over all files, in one pass per file."""
    found = Coverage(subject, factors=factors_of(subject))
    sizes = [len(each.levels) for each in found.factors]
    for a, b in combinations(range(len(sizes)), 2):
        found.seen[a, b] = np.zeros((sizes[a], sizes[b]), dtype=np.bool_)
    hits: dict[str, bool] = {}
    # The invalid rows of the block, and the number of rows in the files before.
    rows: list[NDArray[np.int64]] = []
    before = 0
    # The number of children of a parent is not visible in any single row.
    alone = (each for each in cases if not any(isinstance(change, Beside) for change in each.changes))
    items = [each for each in alone if each.technique in TECHNIQUES]

    def watch(record: Record, frame: Frame) -> None:
        if record.name != subject.record.name:
            return
        wrong = np.concatenate([*rows, np.zeros(0, dtype=np.int64)]) - (found.rows - before)
        found.rows += frame.size
        rows.clear()
        # A valid item counts as covered only if no other fault is a reason to reject the record.
        valid = np.ones(frame.size, dtype=np.bool_)
        valid[wrong[(wrong >= 0) & (wrong < frame.size)]] = False
        for case in items:
            if not hits.get(case.id):
                hits[case.id] = bool(_where(case, frame, subject, valid).any())
        levels = np.unique(_levels(found.factors, frame, subject)[valid], axis=0)
        if len(found.levels) < MOST_ROWS:
            found.levels |= set(map(tuple, levels.tolist()))
        for (a, b), pairs in found.seen.items():
            there = levels[(levels[:, a] >= 0) & (levels[:, b] >= 0)]
            pairs[there[:, a], there[:, b]] = True

    broken: set[tuple[str, str]] = set()
    for look in looks:
        look.watch, before = watch, found.rows
        rows.clear()
        for each in look.run(progress):
            if each.record == subject.record.name:
                broken.add((each.field, each.rule))
                # Faults of a block are reported before its records are counted.
                rows.append(each.rows)
        name = look.data[subject.record.name].name
        found.faults += [FileFault(name, each.line, each.message) for each in look.reports[subject.record.name].faults]
    for case in items:
        # Items that no single row shows, or that stand for many values, are decided by the validator.
        if case.violates == "agreement" or any(isinstance(each, Same | Lost | Moved) for each in case.changes):
            hits[case.id] = (case.target, case.violates) in broken
        found.items[case.id] = case, hits.get(case.id, False)
    _pairs(found)
    return found


# ---- items -----------------------------------------------------------------------------------------------------------


def _where(case: Case, frame: Frame, subject: Subject, valid: Mask) -> Mask:
    """Return the rows that cover a case; `valid` marks the rows that break no rule."""
    good = np.ones(frame.size, dtype=np.bool_)
    written = {each.field for each in case.changes if isinstance(each, Raw)}
    for change in case.changes:
        match change:
            case Requirement(condition, truth):
                good &= _holds(condition, truth, frame, subject) | _labelled(case, condition, frame)
            case Gone(name):
                # A nested record does not have a column of its own in every format.
                good &= frame.raw[name].missing if name in frame.raw else frame.missing(name)
            case Raw(name, value, made):
                good &= _written(name, value, case, frame, subject) if made is None else _made(change, made, frame)
            case Const(name, constant):
                good &= _is(name, constant, case, frame, subject)
            case Drawn(name, _) if name in written:
                # Its value says more.
                pass
            case Drawn(name, _):
                good &= ~frame.missing(name) & (frame.at_fault(name) != case.valid)
            case Edge():
                good &= _on_edge(change, frame)
            case _:
                good &= False
    covered: Mask = good & valid if case.valid else good
    return covered


def _readable(expression: Expression, frame: Frame) -> bool:
    """Return whether the files have everything that an expression reads: no helper field that was drawn."""
    return all(
        node.reference in frame.parents and frame.knows(node.reference)
        if isinstance(node, Member)
        else not isinstance(node, Name) or node.name in NOW_NAMES or frame.knows(node.name)
        for node in walk(expression)
    )


def _holds(condition: Expression, truth: bool, frame: Frame, subject: Subject) -> Mask:
    if not _readable(condition, frame):
        return np.zeros(frame.size, dtype=np.bool_)
    try:
        sound = np.flatnonzero(frame.sound([condition]))
        if not len(sound):
            return np.zeros(frame.size, dtype=np.bool_)
        places, (column,) = frame.computed(sound, lambda part: [evaluate(condition, part)])
    except (NotImplementedError, KeyError):
        return np.zeros(frame.size, dtype=np.bool_)
    found = np.zeros(frame.size, dtype=np.bool_)
    if column.type != BOOLEAN:
        return found
    true = np.broadcast_to(column.true(), (len(places),))
    found[places] = true if truth else ~true
    return found


def _labelled(case: Case, condition: Expression, frame: Frame) -> Mask | bool:
    """Return the rows that qualify by themselves, for a case whose condition depends on earlier rows."""
    ids = frame.raw.get(f"@{CASE}.id")
    if ids is None or frame.in_order or not reads_rows_before((condition,)):
        return False
    return flags(pc.equal(pc.fill_null(ids.texts, word("")), word(case.id)))


def _written(name: str, value: Any, case: Case, frame: Frame, subject: Subject) -> Mask | bool:
    """Return the rows in which a value occurs as it is written in the file."""
    raw = frame.raw.get(name)
    if raw is None:
        return False
    if value is None or value is NOTHING:
        return np.asarray(raw.sorts == (ABSENT if value is NOTHING else NULL))
    if value == {}:
        inner = [frame.raw[each] for each in frame.raw if each.startswith(name + ".")]
        return np.asarray(np.logical_and.reduce([raw.sorts == OBJECT, *(each.sorts == ABSENT for each in inner)]))
    if case.violates == "type" and case.item in ANY_OF_A_SORT:
        # It stands for any value of another type.
        head = subject.record.by_name[name].head
        scalar = case.item == "wrong type" and not isinstance(head, ListOf | Nested)
        unlike = frame.missing(name) if scalar else True
        return frame.at_fault(name) & np.isin(raw.sorts, ANY_OF_A_SORT[case.item]) & unlike
    sorts = (NUMBER, CELL) if isinstance(value, Number) else (STRING, CELL)
    return flags(pc.equal(pc.fill_null(raw.texts, word("")), word(str(value)))) & np.isin(raw.sorts, sorts)


def _made(change: Raw, made: Callable[[str], str | None], frame: Frame) -> Mask | bool:
    """Return the rows with a text that is the changed form of another one."""
    raw = frame.raw.get(change.field)
    if raw is None:
        return False
    texts = pc.dictionary_encode(raw.texts)
    distinct = [each is not None and _is_made(change, made, each) for each in texts.dictionary.to_pylist()]
    codes = numbers_or(texts.indices, np.int32, len(distinct))
    found = np.array([*distinct, False])[codes] & ~raw.missing
    parent = frame.parents.get(change.field)
    if change.back is not None and parent is not None:
        before = strings([change.back(each or "") for each in raw.texts.to_pylist()])
        found &= parent.keys.places(before) >= 0
    return found


def _is_made(change: Raw, made: Callable[[str], str | None], text: str) -> bool:
    try:
        return made(text if change.back is None else change.back(text)) == text
    except ValueError:
        return False


def _is(name: str, value: str | int | bool, case: Case, frame: Frame, subject: Subject) -> Mask | bool:
    column = frame.fields.get(name)
    if column is None:
        return False
    present = ~frame.missing(name)
    if case.item in ("below", "above") and column.type not in (TEXT, BOOLEAN):
        # One value so far outside stands for all of them.
        side = column.values <= value if case.item == "below" else column.values >= value
        return np.asarray(present & frame.at_fault(name) & side)
    if isinstance(value, str):
        return present & flags(pc.equal(column.text(frame.size), word(value)))
    return np.asarray(present & (column.values == value))


def _on_edge(change: Edge, frame: Frame) -> Mask:
    head = change.phrase.head
    assert isinstance(head, Ranged)
    column = frame.fields.get(change.field)
    if column is None:
        return np.zeros(frame.size, dtype=np.bool_)
    bound = head.range.high if change.upper else head.range.low
    if not _readable(bound, frame):
        return np.zeros(frame.size, dtype=np.bool_)
    places, (end,) = frame.computed(np.flatnonzero(frame.sound([bound])), lambda part: [evaluate(bound, part)])
    found = np.zeros(frame.size, dtype=np.bool_)
    if not len(places):
        return found
    step, own = steps(head), own_type(head, column.type)
    wanted = inwards(end, own) + (-change.inside if change.upper else change.inside) * step
    if change.phrase.days is not None:
        wanted = nearest_allowed(wanted, change.phrase.days, head, change.upper == (change.inside < 0))
    taken = column.take(places)
    values, nulls = in_units_of(taken, own)
    nulls = nulls if taken.nulls is None else nulls | taken.nulls
    # If the maximum is between two steps, the last step below it counts.
    between = change.upper and change.phrase.days is None
    near = (values <= wanted) & (values > wanted - step) if between else values == wanted
    found[places] = near & ~nulls
    return found


# ---- pairs -----------------------------------------------------------------------------------------------------------


def _levels(factors: list[Factor], frame: Frame, subject: Subject) -> NDArray[np.int64]:
    """Return the level of each factor in each row; -1 for a value without a level."""
    found = np.full((frame.size, len(factors)), -1, dtype=np.int64)
    for at, factor in enumerate(factors):
        body = factor.field.body if factor.field is not None else None
        deciding = _deciding(body, frame, subject) if isinstance(body, Table) else None
        for number in range(len(factor.levels) - 1, -1, -1):
            level = factor.levels[number]
            has = _has(factor, level, frame)
            if deciding is not None and level.rows is not None:
                has &= np.isin(deciding, list(level.rows))
            found[has, at] = number
    return found


def _deciding(table: Table, frame: Frame, subject: Subject) -> NDArray[np.int64]:
    """Return the row of a table that decides for each record; -1 for none, or if it is unknown."""
    found = np.full(frame.size, -1, dtype=np.int64)
    waiting = np.ones(frame.size, dtype=np.bool_)
    for at, (condition, _) in enumerate(table.rows):
        true = waiting if condition is None else _holds(condition, True, frame, subject)
        false = ~waiting if condition is None else _holds(condition, False, frame, subject)
        found[waiting & true] = at
        waiting = waiting & false
    return found


def _has(factor: Factor, level: Level, frame: Frame) -> Mask:
    if factor.field is None:
        changes = [each for each in level.changes if isinstance(each, Const)]
        together: Mask = np.logical_and.reduce([_equal(frame, each.field, each.value) for each in changes])
        return together
    name = factor.name
    if level.name in ("absent", "missing"):
        return frame.missing(name) & ~frame.at_fault(name)
    if level.between is not None:
        # Any allowed value that is neither the minimum nor the maximum.
        values = frame.fields[name].values if name in frame.fields else np.zeros(frame.size)
        between = (values > level.between[0]) & (values < level.between[1])
        return np.asarray(between & ~frame.missing(name) & ~frame.at_fault(name))
    if level.value is not None:
        return _equal(frame, name, level.value)
    if level.changes and isinstance(level.changes[0], Edge):
        return np.asarray(_on_edge(level.changes[0], frame) & ~frame.at_fault(name), dtype=np.bool_)
    there: Mask = ~frame.missing(name) & ~frame.at_fault(name)
    for each in factor.levels:
        # A value drawn inside a range stands for all values except its ends.
        if each.changes and isinstance(each.changes[0], Edge):
            there = there & ~_on_edge(each.changes[0], frame)
    return there


def _equal(frame: Frame, name: str, value: str | int | bool) -> Mask:
    column: Column | None = frame.fields.get(name)
    if column is None:
        return np.zeros(frame.size, dtype=np.bool_)
    if isinstance(value, str):
        same = flags(pc.equal(column.text(frame.size), word(value)))
    else:
        same = np.asarray(column.values == value)
    found: Mask = same & ~frame.missing(name) & ~frame.at_fault(name)
    return found


def _pairs(found: Coverage) -> None:
    """Count the possible pairs of levels and those that occur in records."""
    factors = found.factors
    sizes = [len(each.levels) for each in factors]
    rules = rules_of(factors, found.subject)
    space = Rules(sizes, [each.proven for each in rules])
    for (a, b), seen in found.seen.items():
        for pair in product(range(sizes[a]), range(sizes[b])):
            row = np.full(len(factors), FREE, dtype=np.int64)
            row[[a, b]] = pair
            one, other = factors[a].levels[pair[0]].name, factors[b].levels[pair[1]].name
            words = f"{factors[a].name} {one} with {factors[b].name} {other}"
            if not seen[pair] and not space.feasible(row):
                found.impossible_pairs[words] = space.why_not(row) or "several conditions together"
                continue
            found.possible += 1
            if seen[pair]:
                found.paired += 1
            else:
                found.missing_pairs.append(words)
