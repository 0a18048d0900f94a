"""Decision table testing (ISO/IEC/IEEE 29119-4, 5.2.6): every feasible combination of conditions, with its result.

A `when` or `by` table has the combinations of its conditions, `if` and `present if` have two, and the lines of `always`
are broken one at a time.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import product

from yurt.core.cases.case import Case, Requirement, because
from yurt.core.cases.subject import Subject
from yurt.core.cases.technique import Technique
from yurt.core.model import Table
from yurt.core.model.expressions import Binary, Expression, Unary

NAME = "decision"
# Tables with more conditions get one case per row.
MOST = 6


def decisions(subject: Subject) -> Iterator[Case]:
    """Yield the cases of all tables and conditions."""
    for field in subject.fields:
        if isinstance(field.body, Table):
            yield from _table(field.name, field.body, field.present_if, subject)
    seen: set[str] = set()
    for field in subject.fields:
        condition = field.present_if
        if condition is None or field.parent or subject.text(condition) in seen:
            continue
        seen.add(subject.text(condition))
        for truths in _ways(condition):
            there = _holds(condition, dict(truths))
            told = " and ".join(_said(each, truth, subject) for each, truth in truths)
            names = ", ".join(
                each.name
                for each in subject.fields
                if each.present_if is not None and subject.text(each.present_if) == subject.text(condition)
            )
            reason = because(
                "{told}: {names} {verb} {negation}present",
                told=told,
                names=names,
                verb="are" if ", " in names else "is",
                negation="" if there else "not ",
            )
            yield Case(NAME, field.name, told, reason, tuple(Requirement(each, truth) for each, truth in truths))
    for condition in subject.conditions:
        for truths in _ways(condition):
            if len(truths) > 1 and _holds(condition, dict(truths)):
                told = " and ".join(_said(each, truth, subject) for each, truth in truths)
                text = subject.text(condition)
                yield Case(
                    NAME,
                    text,
                    told,
                    because("{told}: {text} holds", told=told, text=text),
                    tuple(Requirement(each, truth) for each, truth in truths),
                )
            elif len(truths) > 1:
                told = " and ".join(_said(each, truth, subject) for each, truth in truths)
                text = subject.text(condition)
                requirements = (Requirement(condition, False), *(Requirement(each, truth) for each, truth in truths))
                yield Case(
                    NAME,
                    text,
                    told,
                    because("{told}: {text} does not hold", told=told, text=text),
                    requirements,
                    "always",
                )


def _table(name: str, table: Table, present_if: Expression | None, subject: Subject) -> Iterator[Case]:
    conditions = [each for each, _ in table.rows if each is not None]
    there = (Requirement(present_if, True),) if present_if is not None else ()
    if len(conditions) > MOST or table.by is not None:
        # The values of a `by` table exclude one another: exactly one is true.
        for at, (condition, _) in enumerate(table.rows):
            requirements = tuple(Requirement(each, False) for each in conditions[:at])
            requirements += (Requirement(condition, True),) if condition is not None else ()
            row = subject.row_of_table(table, at)
            yield Case(
                NAME,
                name,
                f"row {at + 1}: {row}",
                because("row {number} of the table decides", number=at + 1),
                (*there, *requirements),
            )
        return
    for truths in product((True, False), repeat=len(conditions)):
        first = next((at for at, truth in enumerate(truths) if truth), None)
        deciding = first if first is not None else len(conditions)
        told = ", ".join(_said(each, truth, subject) for each, truth in zip(conditions, truths, strict=True))
        reason = because("no row of the table applies")
        if deciding < len(table.rows):
            reason = because("row {number} of the table decides", number=deciding + 1)
        requirements = tuple(Requirement(each, truth) for each, truth in zip(conditions, truths, strict=True))
        yield Case(NAME, name, told, reason, (*there, *requirements))


def _said(condition: Expression, truth: bool, subject: Subject) -> str:
    return subject.text(condition) if truth else f"not {subject.text(condition)}"


def _atoms(condition: Expression) -> list[Expression]:
    """Return the conditions that `and`, `or`, and `not` combine."""
    if isinstance(condition, Binary) and condition.operator in ("and", "or"):
        return [*_atoms(condition.left), *_atoms(condition.right)]
    if isinstance(condition, Unary) and condition.operator == "not":
        return _atoms(condition.operand)
    return [condition]


def _ways(condition: Expression) -> list[tuple[tuple[Expression, bool], ...]]:
    """Return every combination of truths of the conditions within a condition."""
    atoms = _atoms(condition)
    if len(atoms) > MOST - 2:
        atoms = [condition]
    return [tuple(zip(atoms, truths, strict=True)) for truths in product((True, False), repeat=len(atoms))]


def _holds(condition: Expression, truths: dict[Expression, bool]) -> bool:
    if condition in truths:
        return truths[condition]
    if isinstance(condition, Unary):
        return not _holds(condition.operand, truths)
    assert isinstance(condition, Binary)
    sides = (_holds(condition.left, truths), _holds(condition.right, truths))
    return all(sides) if condition.operator == "and" else any(sides)


TECHNIQUE = Technique(6, decisions)
