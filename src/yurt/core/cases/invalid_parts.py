"""Each invalid partition once, combined with valid ones: one per record, so that none masks another."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from yurt.core.base.data_classes import dataclass, replace
from yurt.core.cases.case import Case, Change, Requirement
from yurt.core.cases.subject import Subject
from yurt.core.cases.techniques.partition import partitions
from yurt.core.model import Field, Table
from yurt.core.model.expressions import Expression, Name, walk


@dataclass(frozen=True)
class Combined:
    """A row of an array: its name, the changes for its levels by field, and the fields without a value."""

    name: str
    parts: dict[str, tuple[Change, ...]]
    absent: set[str]


def among_valid_parts(subject: Subject, technique: str, rows: list[Combined]) -> Iterator[Case]:
    """Yield a case for each invalid partition of a combined field; the rows take turns as its partners."""
    fields = subject.record.by_name
    turn = 0
    for case in partitions(subject):
        able = [each for each in rows if case.target in each.parts and case.target not in each.absent]
        # A value that breaks a condition on several fields depends on their values.
        alone = {each.field for each in case.changes if not isinstance(each, Requirement)} == {case.target}
        if case.valid or not able or not alone or case.also:
            continue
        row = able[turn % len(able)]
        turn += 1
        # Whatever decides if the partition is possible stays free, and so does whatever the field decides.
        tied = {case.target} | _names(each.condition for each in case.changes if isinstance(each, Requirement))
        partners = (
            change
            for name, changes in row.parts.items()
            if name not in tied and not (name in fields and tied & _names(_conditions(fields[name])))
            for change in changes
        )
        item = f"{case.item} among {row.name}"
        yield replace(case, technique=technique, item=item, changes=(*partners, *case.changes))


def _conditions(field: Field) -> Iterator[Expression]:
    """Yield what decides whether a field is present, and how it is made."""
    if field.present_if is not None:
        yield field.present_if
    if isinstance(field.body, Table):
        yield from (condition for condition, _ in field.body.rows if condition is not None)


def _names(conditions: Iterable[Expression]) -> set[str]:
    return {node.name for each in conditions for node in walk(each) if isinstance(node, Name)}
