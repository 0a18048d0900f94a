"""A schema in which some fields of a record type have given values instead of their own lines.

A given field is a column from outside, as in an existing file, so that everything that depends on it follows. What its
line said about other fields becomes conditions: a departure that is given still requires an earlier arrival.
"""

from __future__ import annotations

from collections.abc import Container, Iterable, Iterator

from yurt.core.base.data_classes import replace
from yurt.core.base.types import REAL
from yurt.core.kinds.catalogue import FIXES, FIXES_AS_NUMBER
from yurt.core.kinds.synonyms import hyphenated
from yurt.core.language.field_types import FieldTypes
from yurt.core.model import (
    DateTime,
    Derived,
    Field,
    FromColumn,
    KindOf,
    OneOf,
    Phrase,
    Record,
    Reference,
    Schema,
    Table,
)
from yurt.core.model.expressions import (
    Binary,
    Call,
    Choice,
    Draw,
    Expression,
    Literal,
    Member,
    Membership,
    Name,
    NullTest,
    walk,
)
from yurt.core.model.functions import OF_SIBLINGS
from yurt.core.model.phrases import Ranged
from yurt.core.planning.entities import AS_NUMBER, fixed_by
from yurt.core.source.diagnostics import Findings


def with_given(schema: Schema, record: Record, names: Iterable[str], rows: int, *, free: bool = False) -> Schema:
    """Return the schema with given values in some fields of a record type.

    References stay as they are: whoever makes the rows says where they point. `rows` is how many there are if the
    number follows from fields that may be given. In a `free` schema, no condition has to hold for these rows.
    """
    given = set(names)
    fields = tuple(
        _given(each) if each.name in given and not isinstance(each.head, Reference) else each
        for each in (replace(each, unique=False) if each.name in given else each for each in record.fields)
    )
    conditions = tuple(
        condition
        for each in record.fields
        if each.name in given
        for condition in (
            *_conditions(each, record.by_name, real=schema.plan.types[record.name, each.name] == REAL),
            *_of_age(each, record),
        )
    )
    count = record.count
    if given & set(count.combinations):
        count = replace(count, low=rows, high=rows, combinations=())
    changed = replace(
        record,
        count=count,
        fields=_typed(fields, schema, record),
        always=() if free else (*record.always, *conditions),
        unique=tuple(group for group in record.unique if not given & set(group)),
        key_name=record.key.name if record.key is not None else None,
    )
    whole = replace(schema, records={**schema.records, record.name: changed})
    findings = Findings(schema.source)
    types = FieldTypes(whole, findings)
    types.find()
    findings.raise_if_any()
    return replace(whole, plan=types.plan())


def _given(field: Field) -> Field:
    zone = field.head.zone if isinstance(field.head, DateTime) else None
    head = FromColumn(field.name, zone=zone, fixes=_fixes(field))
    return replace(field, body=Phrase(head, span=field.span), present_if=None, optional=True)


def _fixes(field: Field) -> tuple[str, str] | None:
    """Return what a given value fixes of a person or place: that of its kind, or of its name if it is a number."""
    if isinstance(field.head, KindOf):
        name = field.head.name
        aspect = FIXES.get(name) or FIXES_AS_NUMBER.get(name)
        return (field.head.about, aspect) if aspect is not None else None
    aspect = FIXES_AS_NUMBER.get(hyphenated(field.name))
    return ("", aspect) if aspect is not None and isinstance(field.head, AS_NUMBER[aspect]) else None


def _typed(fields: tuple[Field, ...], schema: Schema, record: Record) -> tuple[Field, ...]:
    """Return fields whose given values have the types of their lines."""
    return tuple(
        replace(each, body=replace(each.body, head=replace(each.head, type=schema.plan.types[record.name, each.name])))
        if isinstance(each.body, Phrase) and isinstance(each.head, FromColumn)
        else each
        for each in fields
    )


def _conditions(field: Field, names: Container[str], *, real: bool) -> Iterator[Expression]:
    """Yield what the line of a given field requires of other fields; each is shown as it is written there."""
    value = Name(field.name, field.span)
    if field.present_if is not None:
        span = field.present_if.span
        yield Binary("or", field.present_if, NullTest(value, span), span)
        if not field.optional and not any(each.missing for each in field.phrases):
            absent = Choice(field.present_if, Literal(False, span), Literal(True, span), span)
            yield Choice(NullTest(value, span), absent, Literal(True, span), span)
    if isinstance(field.body, Table):
        yield from _of_table(field, field.body, value, names)
    elif (found := _of_phrase(field.body, value, real)) is not None and _reads_others(found, field, names):
        yield found


def _of_age(field: Field, record: Record) -> Iterator[Expression]:
    """Yield the condition that a given age is that of the date of birth, if another field has that."""
    head = field.head
    if isinstance(head, KindOf) and head.name == "age":
        born = fixed_by(record).get(head.about, {}).get("birth-date")
        if born is not None:
            span = field.span
            yield Binary("==", Name(field.name, span), Call("age", (born,), span), span)


def _of_table(field: Field, table: Table, value: Name, names: Container[str]) -> Iterator[Expression]:
    """Yield the condition that the value is one of the first row whose condition holds."""
    whole: Expression = Literal(True, field.span)
    for condition, phrase in reversed(table.rows):
        inside = _of_phrase(phrase, value, False) or Literal(True, field.span)
        whole = inside if condition is None else Choice(condition, inside, whole, phrase.span)
    if _reads_others(whole, field, names):
        yield whole


def _of_phrase(phrase: Phrase, value: Name, real: bool) -> Expression | None:
    """Return the condition that a value follows a phrase, as far as an expression can say it."""
    head, span = phrase.head, phrase.span
    if isinstance(head, Ranged):
        low = Binary(">=", value, head.range.low, span)
        return Binary("and", low, Binary("<=", value, head.range.high, span), span)
    if isinstance(head, OneOf):
        return Membership(value, tuple(Literal(each, span) for each in head.values), span)
    drawn = (
        any(
            isinstance(each, Draw) or (isinstance(each, Call) and each.function in OF_SIBLINGS)
            for each in walk(head.expression)
        )
        if isinstance(head, Derived)
        else True
    )
    if isinstance(head, Derived) and not real and not drawn:
        return Binary("==", value, head.expression, span)
    return None


def _reads_others(condition: Expression, field: Field, names: Container[str]) -> bool:
    """Return whether a condition depends on more than the given value: then another draw may meet it."""
    return any(
        isinstance(each, Member) or (isinstance(each, Name) and each.name != field.name and each.name in names)
        for each in walk(condition)
    )
