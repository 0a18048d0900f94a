"""The edges of conditions: `party > 6` at 6 and 7, `a <= b` for equal values and one step beyond.

Comparisons in `always`, in `present if`, and in table rows have such edges, between numbers, dates, and times of one
record and of the records it refers to.
"""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal

from yurt.core import model
from yurt.core.base.data_classes import replace
from yurt.core.base.types import Type
from yurt.core.cases.case import Case, Const, Reason, Requirement, because
from yurt.core.cases.flips import flips
from yurt.core.cases.subject import Subject
from yurt.core.cases.words import shown
from yurt.core.model import Field, Reference, Table
from yurt.core.model.constants import fold
from yurt.core.model.expressions import Binary, Call, Duration, Expression, Literal, Member, Name, Unary, walk
from yurt.core.planning.bounds import bounds, steps

NAME = "boundary"
# The sides of equality on which a comparison has its edge, in steps, and whether it holds there.
SIDES = {
    "<": ((0, False), (-1, True)), "<=": ((0, True), (1, False)),
    ">": ((0, False), (1, True)), ">=": ((0, True), (-1, False)),
}  # fmt: skip
WORDS = {-1: "is one step below", 0: "is", 1: "is one step above"}
ITEMS = {-1: "one step below", 0: "equal", 1: "one step above"}


def edges(subject: Subject) -> Iterator[Case]:
    """Yield cases on both sides of the edge of every comparison in a condition."""
    seen: set[str] = set()
    for condition in subject.conditions:
        for atom in _atoms(condition):
            yield from _of_always(condition, atom, subject)
    for field in subject.fields:
        there = (Requirement(field.present_if, True),) if field.present_if is not None else ()
        tables = [each for each, _ in field.body.rows if each is not None] if isinstance(field.body, Table) else []
        for condition in [*([field.present_if] if field.present_if is not None and not field.parent else []), *tables]:
            inside = there if condition is not field.present_if else ()
            for atom in _atoms(condition):
                text = subject.text(atom)
                if text not in seen:
                    seen.add(text)
                    yield from _of_condition(field.name, atom, inside, subject)


def _of_always(condition: Expression, atom: Binary, subject: Subject) -> Iterator[Case]:
    """A single comparison is broken one step beyond its edge; one that is part of a condition is only met at its
    edge.
    """
    found = list(flips(atom, subject))
    for field, *values in found:
        for value, holds in zip(values, (True, False), strict=True):
            if holds or atom is condition:
                given = (Requirement(condition, holds), Const(field.name, value))
                item, reason = _flipped(atom, field, value, holds, subject)
                yield Case(NAME, subject.text(condition), item, reason, given, "" if holds else "always")
    for side, holds in () if found else SIDES[atom.operator]:
        wanted = _at(atom, side, subject)
        if wanted is None or (not holds and atom is not condition):
            continue
        text = subject.text(condition)
        item = ITEMS[side] if atom is condition else f"{subject.text(atom)}: {ITEMS[side]}"
        changes = (Requirement(condition, holds), Requirement(wanted, True))
        yield Case(NAME, text, item, _reason(atom, side, subject), changes, "" if holds else "always")


def _of_condition(name: str, atom: Binary, there: tuple[Requirement, ...], subject: Subject) -> Iterator[Case]:
    found = list(flips(atom, subject))
    for field, *values in found:
        for value, holds in zip(values, (True, False), strict=True):
            item, reason = _flipped(atom, field, value, holds, subject)
            yield Case(NAME, name, item, reason, (*there, Requirement(atom, holds), Const(field.name, value)))
    for side, _ in () if found else SIDES[atom.operator]:
        if (wanted := _at(atom, side, subject)) is not None:
            item = f"{subject.text(atom)}: {ITEMS[side]}"
            yield Case(NAME, name, item, _reason(atom, side, subject), (*there, Requirement(wanted, True)))


def _flipped(
    atom: Binary, field: Field, value: int | str, holds: bool, subject: Subject
) -> tuple[str, Reason]:  # fmt: skip
    """Return the item and the reason of a value beside which a comparison changes."""
    text = subject.text(atom)
    told = f"{len(value)} characters" if isinstance(value, str) else shown(value, subject.type(field.name))
    word = "is true" if holds else "is false"
    form = "{field} has {value}: {text} {word}, and changes beside it"
    reason = because(form, field=field.name, value=told, text=text, word=word)
    return f"{text}: {field.name} {told}", reason


def _reason(atom: Binary, side: int, subject: Subject) -> Reason:
    left, right = subject.text(atom.left), subject.text(atom.right)
    return because("{left} {word} {right}", left=left, word=WORDS[side], right=right)


def _atoms(condition: Expression) -> Iterator[Binary]:
    """Yield the comparisons that a condition consists of."""
    match condition:
        case Binary(operator) if operator in SIDES:
            yield condition
        case Binary("and" | "or", left, right):
            yield from _atoms(left)
            yield from _atoms(right)
        case Unary("not", operand):
            yield from _atoms(operand)


def _at(atom: Binary, side: int, subject: Subject) -> Expression | None:
    """Return the condition that a comparison is a number of steps from equality; None if that is not defined."""
    found = _step(atom, subject)
    if found is None or not _reachable(atom, side, subject):
        return None
    right = atom.right
    if side:
        right = Binary("+" if side > 0 else "-", atom.right, Literal(found, atom.span), atom.span)
    return Binary("==", atom.left, right, atom.span)


def _step(atom: Binary, subject: Subject) -> int | Decimal | Duration | None:
    """Return the smallest step between the two sides: that of the first field involved, the record's own first."""
    for node in walk(atom):
        if isinstance(node, Call) and node.function in ("length", "size", "days", "year", "month"):
            return 1
    for node in sorted(walk(atom), key=lambda each: isinstance(each, Member)):
        if (found := _field(node, subject)) is not None:
            field, kind = found
            return _as_value(steps(field.head) if isinstance(field.head, model.Ranged) else 1, kind)
    return None


def _field(node: Expression, subject: Subject) -> tuple[Field, Type] | None:
    """Return the field that a name refers to, with its type: one of the record, or of a row it refers to."""
    record, name = subject.record, node.name if isinstance(node, Name | Member) else ""
    if isinstance(node, Member):
        head = record.by_name[node.reference].head
        if not isinstance(head, Reference):
            return None
        record = subject.schema.records[head.record]
    field = record.by_name.get(name)
    return None if field is None or field.parent else (field, subject.plan.types[record.name, name])


def _as_value(step: int, kind: Type) -> int | Decimal | Duration | None:
    if kind.name == "decimal":
        return Decimal(step).scaleb(-kind.places)
    if kind.name == "integer":
        return step
    if kind.name in ("date", "days"):
        return Duration(microseconds=86_400_000_000 * step, in_days=True)
    return Duration(microseconds=step) if kind.name in ("datetime", "time", "duration") and step > 1 else None


def _reachable(atom: Binary, side: int, subject: Subject) -> bool:
    """Return whether a field can have the constant it is compared with, if that is known in advance."""
    for one, other, sign in ((atom.left, atom.right, 1), (atom.right, atom.left, -1)):
        if (found := _field(one, subject)) is None:
            continue
        field = found[0]
        ends = [bounds(each.head, subject.today) for each in field.phrases if isinstance(each.head, model.Ranged)]
        constant = fold(other, subject.today)
        if constant is None or not ends or any(each is None for each in ends):
            continue
        head = field.phrases[0].head
        limits = bounds(_fixed(head, other), subject.today) if isinstance(head, model.Ranged) else None
        if limits is None:
            continue
        value = limits[0] + sign * side * steps(head)
        if not any(
            each is not None and each[0] <= value <= each[1] and not (value - each[0]) % steps(head) for each in ends
        ):
            return False
    return True


def _fixed(head: model.Ranged, value: Expression) -> model.Ranged:
    """Return a range with a single value."""
    return replace(head, range=replace(head.range, low=value, high=value))
