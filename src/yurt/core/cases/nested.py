"""Equivalence partitions of nested records: present, missing, empty, and not a record."""

from __future__ import annotations

from collections.abc import Iterator

from yurt.core import model
from yurt.core.base.data_classes import replace
from yurt.core.cases.case import Case, Change, Gone, Raw, Reason, Requirement, because
from yurt.core.cases.subject import Subject
from yurt.core.formats.common.raw import NOTHING
from yurt.core.model import Field, Phrase
from yurt.core.model.expressions import Template

TECHNIQUE = "partition"


def nested(field: Field, subject: Subject) -> Iterator[Case]:
    """Yield the cases of a nested record as a whole; its fields have cases of their own."""
    inner = [each for each in subject.record.shown if each.parent == field.name]
    if not inner:
        return
    there = (Requirement(field.present_if, True),) if field.present_if is not None else ()

    def case(item: str, reason: Reason, *changes: Change, violates: str = "") -> Case:
        return Case(TECHNIQUE, field.name, item, reason, (*there, *changes), violates)

    optional = field.optional or any(each.missing for each in field.phrases)
    if optional and field.present_if is None:
        yield case("missing", because("it may be missing"), Gone(field.name))
        changes = Gone(field.name), Raw(field.name, NOTHING, typed=True)
        yield case("absent", because("it may be missing, and so may its name"), *changes)
    elif not optional and not field.parent and not any(each.missing_if for each in field.phrases):
        wrong = Raw(field.name, "none", typed=True)
        yield case("wrong type", because("a text instead of a record"), wrong, violates="type")
        gone = Raw(field.name, None, typed=True)
        yield case("missing", because("a record is required"), gone, violates="presence")
        absent = Raw(field.name, NOTHING, typed=True)
        yield case("absent", because("a record is required, and its name is absent"), absent, violates="presence")
        needed = [each for each in inner if _required(each)]
        if needed:
            reason = because("`{field}` is a record without fields, and needs some", field=field.name)
            # Each absent field is a separate fault.
            first, *others = (
                Case(TECHNIQUE, each.name, "in an empty record", reason, (), "presence") for each in needed
            )
            empty = Raw(field.name, {}, typed=True)
            yield replace(first, changes=(*there, empty), also=tuple(others))


def _required(field: Field) -> bool:
    """Return whether a field has a value whenever the record around it is present."""
    if field.present_if is not None or field.optional or not isinstance(field.body, Phrase):
        return False
    phrase = field.body
    if isinstance(phrase.head, model.Derived):
        return isinstance(phrase.head.expression, Template)
    return not phrase.missing and phrase.missing_if is None
