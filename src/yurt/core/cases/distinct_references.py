"""Equivalence partition of distinct references: the same row twice."""

from __future__ import annotations

from collections.abc import Iterator

from yurt.core.cases.case import Beside, Case, SameRow, because
from yurt.core.cases.subject import Subject
from yurt.core.model import Reference

TECHNIQUE = "partition"


def distinct_references(subject: Subject) -> Iterator[Case]:
    """Yield, for each distinct reference, two children of one parent that refer to the same row."""
    record = subject.record
    parent = record.parent_field
    for field in subject.fields:
        head = field.head
        plain = field.present_if is None and not field.parent and head is not None and not field.unique
        if not isinstance(head, Reference) or not field.phrases[0].distinct or not plain:
            continue
        if head.record == record.name:
            continue
        assert parent is not None
        if parent.helper or record.count.high < 2:
            continue
        group = f"{field.name} twice"
        target = f"{parent.name}, {field.name}"
        for place, item, why in (
            (0, "once", "the first child of its parent that refers to this row of `{record}`"),
            (1, "duplicate", "another child of the same parent refers to this row of `{record}`"),
        ):
            changes = Beside(parent.name, group, place), SameRow(field.name, group)
            reason = because(why, record=head.record)
            yield Case(TECHNIQUE, target, item, reason, changes, "unique" if place else "")
