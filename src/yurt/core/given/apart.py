"""Given values that stand by themselves: nothing else in the record depends on them, and they are right at a glance."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

from yurt.core.base.python_values import PythonValue
from yurt.core.model import Boolean, Date, DecimalNumber, Field, Integer, Matching, OneOf, Phrase, Record, Schema, Time
from yurt.core.model.expressions import Literal, Name, walk
from yurt.core.model.ranges import Range

SIMPLE = Integer | DecimalNumber | Date | Time | Boolean | OneOf | Matching


def unread(schema: Schema, record: Record) -> frozenset[str]:
    """Return the fields that need no others, and that no others need: no rule is about more than their values.

    Fields of nested records and of lists are left out, since these may be missing.
    """
    needs = schema.plan.needs
    read = {other for (owner, _), others in needs.items() if owner == record.name for other in others}
    read |= {each.name for rule in record.always for each in walk(rule) if isinstance(each, Name)}
    # What is unique together is drawn together.
    read |= {*record.count.combinations, *(name for group in record.unique for name in group)}
    return frozenset(
        each.name
        for each in record.fields
        if each.name not in read
        and not each.parent
        and not needs[record.name, each.name]
        and isinstance(each.head, SIMPLE)
    )


def is_right(field: Field, value: PythonValue) -> bool:
    """Return whether a value is right beyond doubt, by its type and its own line alone; False says nothing."""
    phrase = field.body
    if not isinstance(phrase, Phrase) or field.present_if is not None or field.shown is not None or field.told:
        return False
    if phrase.days is not None or phrase.narrowed is not None or phrase.allowed is not None:
        return False
    match phrase.head:
        case Boolean():
            return type(value) is bool
        case OneOf(values):
            return type(value) is str and value in values
        case Integer(ends, 1):
            return type(value) is int and _between(ends, value)
        case Date(ends):
            return type(value) is date and _between(ends, value)
        case DecimalNumber(ends, places, 1):
            exact = type(value) is Decimal and value.is_finite() and value.as_tuple().exponent == -places
            return (exact or type(value) is int) and _between(ends, value)
    return False


def as_made(field: Field, value: PythonValue) -> PythonValue:
    """Return a value that is right as a record has it: a whole number for a decimal gets its places."""
    if isinstance(field.head, DecimalNumber) and type(value) is int:
        return Decimal(value).quantize(Decimal(1).scaleb(-field.head.places))
    return value


def _between(ends: Range, value: int | Decimal | date) -> bool:
    """Return whether a value lies between two constants of its own type."""
    low, high = (each.value if isinstance(each, Literal) else None for each in (ends.low, ends.high))
    if isinstance(value, date):
        return isinstance(low, date) and isinstance(high, date) and low <= value <= high
    if not isinstance(low, int | Decimal) or not isinstance(high, int | Decimal):
        return False
    return low <= value <= high
