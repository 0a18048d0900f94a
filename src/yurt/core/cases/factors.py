"""Input of combinatorial testing: fields as factors, their valid partitions as levels, conditions as rules."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice

from yurt.core import model
from yurt.core.base.data_classes import dataclass, replace
from yurt.core.cases.case import Change, Const, Drawn, Edge, Gone, Requirement
from yurt.core.cases.listed import scaled
from yurt.core.cases.subject import Subject
from yurt.core.cases.techniques.partition import may_be_missing
from yurt.core.cases.words import shown
from yurt.core.model import Field, Phrase
from yurt.core.model.expressions import Binary, Name
from yurt.core.model.restriction import left_of_list
from yurt.core.planning.bounds import bounds, steps
from yurt.core.source.diagnostics import NOWHERE

# The maximum number of levels of a factor.
MOST_LEVELS = 24
ABSENT = "absent"


@dataclass(frozen=True)
class Level:
    """One partition of a field: its name, the changes that produce it, and a value if one stands for the partition.

    `rows` are the rows of the field's table in which it is allowed; None means all.
    """

    name: str
    changes: tuple[Change, ...]
    value: str | int | bool | None = None
    rows: frozenset[int] | None = None
    # The ends of the range, if the value stands for everything between them.
    between: tuple[int, int] | None = None
    # The phrase of a range whose ends depend on the row, if the level is its minimum, its maximum, or between them.
    of: Phrase | None = None


@dataclass(frozen=True)
class Factor:
    """A field, or the fields that share the rows of a value list, with their levels."""

    name: str
    levels: tuple[Level, ...]
    field: Field | None = None


def factors_of(subject: Subject) -> list[Factor]:
    """Return the factors of a record type: every field with more than one partition."""
    found = [*_lists(subject)]
    for field in subject.fields:
        if field.unique or isinstance(field.head, model.Nested | model.ListOf | model.FromList | model.Derived):
            continue
        if field.parent and any(field.name.startswith(each + ".") for each in subject.record.lists):
            continue
        levels = list(_levels(field, subject))
        if field.present_if is not None and not field.parent:
            levels.append(Level(ABSENT, (), None))
        elif may_be_missing(field, subject) and field.present_if is None and _can_go(field):
            levels.append(Level("missing", (Gone(field.name),)))
        if len(levels) > 1:
            found.append(Factor(field.name, tuple(levels[:MOST_LEVELS]), field))
    return found


def _can_go(field: Field) -> bool:
    return (
        isinstance(field.body, Phrase)
        and not isinstance(field.head, model.KindOf)
        and all(each.missing_if is None for each in field.phrases)
    )


def _lists(subject: Subject) -> Iterator[Factor]:
    """Yield a factor for each value list: the fields that take its columns share its rows."""
    for name, listed in subject.schema.lists.items():
        fields = [
            each for each in subject.fields
            if isinstance(each.head, model.FromList) and each.head.name == name and each.present_if is None
            and not each.unique and isinstance(each.body, Phrase) and each.body.narrowed is None
        ]  # fmt: skip
        if not fields or listed.size > MOST_LEVELS:
            continue
        columns = [listed.column(each.head.column) for each in fields if isinstance(each.head, model.FromList)]
        levels = []
        gaps = frozenset[int]().union(
            *(listed.gaps(each.head.column) for each in fields if isinstance(each.head, model.FromList))
        )
        whole = (row for at, row in enumerate(zip(*columns, strict=True)) if at not in gaps)
        for row in dict.fromkeys(whole):
            changes = tuple(
                Const(each.name, value if isinstance(value, str | bool) else scaled(value, subject.type(each.name)))
                for each, value in zip(fields, row, strict=True)
            )
            levels.append(Level(" ".join(map(str, row)), changes))
        if len(levels) > 1:
            yield Factor("+".join(each.name for each in fields), tuple(levels))


def _levels(field: Field, subject: Subject) -> Iterator[Level]:
    if isinstance(field.body, Phrase):
        yield from _of_phrase(field, field.body, subject)
        return
    # A value may occur in several rows of a table.
    merged: dict[str, Level] = {}
    for at, (_, phrase) in enumerate(field.body.rows):
        for level in _of_phrase(field, phrase, subject):
            name = level.name if level.value is not None else f"row {at + 1}: {level.name}"
            before = merged.get(name)
            rows = (before.rows or frozenset()) if before is not None else frozenset()
            merged[name] = replace(level, name=name, rows=rows | {at})
    yield from merged.values()


def _of_phrase(field: Field, phrase: Phrase, subject: Subject) -> Iterator[Level]:
    head = phrase.head
    kind = subject.type(field.name)
    there = replace(phrase, missing=0.0, missing_if=None)
    match head:
        case model.OneOf():
            left = left_of_list(head, phrase.narrowed)
            for value in islice(left.values if left is not None else (), MOST_LEVELS):
                held = value if isinstance(value, str | bool) else scaled(value, kind)
                yield Level(str(value), (Const(field.name, held),), held)
        case model.Boolean():
            yield Level("true", (Const(field.name, True),), True)
            yield Level("false", (Const(field.name, False),), False)
        case (
            model.Integer()
            | model.DecimalNumber()
            | model.Date()
            | model.Time()
            | model.DateTime()
            | model.DurationRange()
        ):
            ends = bounds(head, subject.today)
            if ends is None or phrase.days is not None:
                of = phrase if ends is None and phrase.days is None else None
                yield Level("low", (Edge(field.name, False, 0, phrase),), of=of)
                yield Level("inside", (Drawn(field.name, there), *strictly_inside(field, head)), of=of)
                yield Level("high", (Edge(field.name, True, 0, phrase),), of=of)
                return
            low, high = ends
            step = steps(head)
            size = (high - low) // step
            middle, top = low + size // 2 * step, low + size * step
            for value in dict.fromkeys((low, middle, top)):
                between = (low, top) if low < value < top else None
                yield Level(shown(value, kind), (Const(field.name, value),), value, between=between)
        case model.Sequence() | model.Reference():
            return
        case _:
            yield Level("a value", (Drawn(field.name, there),))


def strictly_inside(field: Field, head: model.Ranged) -> tuple[Requirement, ...]:
    """Return the requirement that a value is neither the minimum nor the maximum of its range."""
    own = Name(field.name, NOWHERE)
    return tuple(
        Requirement(Binary(operator, own, end, NOWHERE), True)
        for operator, end in ((">", head.range.low), ("<", head.range.high))
    )
