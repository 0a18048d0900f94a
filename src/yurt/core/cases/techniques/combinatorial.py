"""Combinatorial testing (ISO/IEC/IEEE 29119-4, 5.2.5): valid partitions of all fields combined in few records.

Each choice is strength 1, pairwise is strength 2, any higher strength is t-wise; base choice varies one field at a
time; all combinations are all. Invalid partitions are cases of their own, one per record, so that none masks another:
each once, on request.
"""

from __future__ import annotations

from collections.abc import Iterator
from math import prod

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.data_classes import replace
from yurt.core.base.errors import UsageFault
from yurt.core.cases.case import Case, Drawn, Requirement, because
from yurt.core.cases.factor_rules import rules_of
from yurt.core.cases.factors import ABSENT, Factor, Level, factors_of, strictly_inside
from yurt.core.cases.invalid_parts import Combined, among_valid_parts
from yurt.core.cases.subject import Subject
from yurt.core.cases.technique import Technique
from yurt.core.columns.column import Mask
from yurt.core.combining.arrays import covering
from yurt.core.combining.rules import FREE, Rule, Rules
from yurt.core.model import Ranged, Table
from yurt.core.model.expressions import Choice, Expression, Literal
from yurt.core.source.diagnostics import NOWHERE

NAME = "combinatorial"
# Larger arrays are not built.
MOST_ROWS = 200_000
# The number of attempts to replace rows that cannot occur beside others.
MOST_TURNS = 10
WORDS = {"base": "base choice", "all": "all combinations", "1": "each choice", "2": "pairwise"}


def combinations_of(subject: Subject) -> Iterator[Case]:
    """Yield a case for each row of the array."""
    factors = factors_of(subject)
    if not factors:
        return
    rows = array_of(subject, factors)
    width = len(str(len(rows)))
    name = WORDS.get(subject.strength, f"strength {subject.strength}")
    asked = _Asked()
    own = rules_of(factors, subject, exact=True)
    other: dict[tuple[str, str], Level] = {}
    combined: list[Combined] = []
    for at, (row, again) in enumerate(zip(rows.tolist(), _repeating(rows, factors, subject), strict=True), start=1):
        levels = [factor.levels[level] for factor, level in zip(factors, row, strict=True)]
        broken = not all(rule.allowed[tuple(row[axis] for axis in rule.factors)] for rule in own)
        # Not with the values that represent the inside of ranges, but with others.
        levels = [
            other.setdefault((factor.name, level.name), _drawn_inside(factor, level))
            if level.between and (broken or factor.name in again)
            else level
            for factor, level in zip(factors, levels, strict=True)
        ]
        told = ", ".join(f"{factor.name} {level.name}" for factor, level in zip(factors, levels, strict=True))
        pairs = list(zip(factors, levels, strict=True))
        parts = {factor.name: (*level.changes, *asked.of(factor, level)) for factor, level in pairs}
        absent = {factor.name for factor, level in pairs if level.name == ABSENT}
        combined.append(Combined(f"{name} {at:0{width}}", parts, absent))
        changes = tuple(change for each in parts.values() for change in each)
        yield Case(NAME, subject.record.name, combined[-1].name, because("{levels}", levels=told), changes)
    if subject.invalid_parts:
        yield from among_valid_parts(subject, NAME, combined)


class _Asked:
    """The requirements of levels; each is a single object, so that its cases are checked together."""

    def __init__(self) -> None:
        self.known: dict[tuple[str, frozenset[int]], Requirement] = {}

    def of(self, factor: Factor, level: Level) -> Iterator[Requirement]:
        """Yield the requirements for a field to have a level: it is present or not, and a row of its table decides."""
        field = factor.field
        if field is None:
            return
        if field.present_if is not None:
            there = level.name != ABSENT
            yield self.known.setdefault((factor.name, frozenset([-2 + there])), Requirement(field.present_if, there))
        if level.rows is not None and isinstance(field.body, Table):
            key = (factor.name, level.rows)
            if key not in self.known:
                self.known[key] = Requirement(_decides(field.body, level.rows), True)
            yield self.known[key]


def _repeating(rows: NDArray[np.int64], factors: list[Factor], subject: Subject) -> list[set[str]]:
    """Return, for each row, the fields that are unique together and have the levels of an earlier row."""
    number = {factor.name: at for at, factor in enumerate(factors)}
    found: list[set[str]] = [set() for _ in rows]
    for group in subject.record.unique:
        if not all(name in number for name in group):
            continue
        seen: set[tuple[int, ...]] = set()
        for at, levels in enumerate(map(tuple, rows[:, [number[name] for name in group]].tolist())):
            if levels in seen:
                found[at] |= {*group}
            seen.add(levels)
    return found


def _drawn_inside(factor: Factor, level: Level) -> Level:
    """Return a level whose value is drawn between the ends of its range."""
    field = factor.field
    assert field is not None
    at = min(level.rows) if level.rows else 0
    phrase = field.phrases[at]
    assert isinstance(phrase.head, Ranged)
    there = Drawn(field.name, replace(phrase, missing=0.0, missing_if=None))
    return replace(level, name="inside", changes=(there, *strictly_inside(field, phrase.head)))


def _decides(table: Table, rows: frozenset[int]) -> Expression:
    """Return the condition that one of some table rows decides."""
    found: Expression = Literal(False, NOWHERE)
    for at in range(len(table.rows) - 1, -1, -1):
        condition, here = table.rows[at][0], Literal(at in rows, NOWHERE)
        found = here if condition is None else Choice(condition, here, found, NOWHERE)
    return found


def array_of(subject: Subject, factors: list[Factor]) -> NDArray[np.int64]:
    """Return rows of levels: each choice, base choice, any strength, or all combinations."""
    levels = [len(each.levels) for each in factors]
    rules = rules_of(factors, subject)
    if subject.strength == "base":
        return _base(levels, rules)
    strength = len(levels) if subject.strength == "all" else int(subject.strength)
    if strength >= len(levels) and prod(levels) > MOST_ROWS:
        raise UsageFault(
            f"all combinations of {len(levels)} fields are {prod(levels):,} records; ask for a strength of 2 or 3"
        )
    more = []
    for names, own in subject.stronger:
        inside = tuple(at for at, each in enumerate(factors) if each.name in names)
        missing = [name for name in names if name not in {each.name for each in factors}]
        if missing:
            listed = ", ".join(each.name for each in factors)
            raise UsageFault(f"`{missing[0]}` is not combined; the fields that are: {listed}")
        more.append((inside, own))
    seeds = _seeds(subject, factors, rules)
    rows = covering(levels, max(strength, 1), rules, more=more, seeds=seeds)
    for _ in range(MOST_TURNS):
        first, taken = _first_of_their_kind(rows, factors, subject)
        if first.all():
            break
        # Other rows cover the same levels without the values that are unique together and taken.
        rows = covering(levels, max(strength, 1), [*rules, *taken], more=more, seeds=rows[first])
    # Seeds come first and exist already.
    return rows[len(seeds) :]


def _first_of_their_kind(rows: NDArray[np.int64], factors: list[Factor], subject: Subject) -> tuple[Mask, list[Rule]]:
    """Return the rows without repeated values that are unique together, and rules against such values."""
    number = {factor.name: at for at, factor in enumerate(factors)}
    first, rules = np.ones(len(rows), dtype=np.bool_), []
    for group in subject.record.unique:
        if not all(name in number for name in group):
            continue
        axes = tuple(number[name] for name in group)
        free = np.ones([len(factors[axis].levels) for axis in axes], dtype=np.bool_)
        for at, key in enumerate(map(tuple, rows[:, axes].tolist())):
            levels = [factors[axis].levels[level] for axis, level in zip(axes, key, strict=True)]
            if any(each.value is None or each.between is not None for each in levels):
                # There are several such values, or none.
                continue
            first[at] &= free[key]
            free[key] = False
        rules.append(Rule(axes, free, f"{', '.join(group)} are unique together"))
    return first, rules


def _base(levels: list[int], rules: list[Rule]) -> NDArray[np.int64]:
    """Return the base row and, for each other level, the base row with that level."""
    space = Rules(levels, rules)
    base = space.completed(np.full(len(levels), FREE, dtype=np.int64))
    if base is None:
        raise UsageFault("no record meets all conditions")
    base = np.where(base < 0, 0, base)
    rows = [base]
    for factor, count in enumerate(levels):
        for level in range(count):
            if level != base[factor]:
                row = base.copy()
                row[factor] = level
                if space.feasible(row):
                    rows.append(row)
                    continue
                # Fields that the rules connect with this one are chosen anew.
                row = np.full(len(levels), FREE, dtype=np.int64)
                row[factor] = level
                found = space.completed(row)
                if found is not None:
                    rows.append(np.where(found < 0, base, found))
    return np.array(rows, dtype=np.int64)


def _seeds(subject: Subject, factors: list[Factor], rules: list[Rule]) -> NDArray[np.int64]:
    """Return the combinations of existing records that follow the rules."""
    rows = np.array(subject.seeds, dtype=np.int64).reshape(len(subject.seeds), len(factors))
    good = np.ones(len(rows), dtype=np.bool_)
    for rule in rules:
        good &= rule.allowed[tuple(rows[:, each] for each in rule.factors)]
    return rows[good]


TECHNIQUE = Technique(5, combinations_of, asked=True)
