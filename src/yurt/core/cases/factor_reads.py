"""What the conditions and ranges of a record read of its factors."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from yurt.core.cases.factors import Factor
from yurt.core.cases.subject import Subject
from yurt.core.columns.column import Column, cast, constant
from yurt.core.model import Derived, OneOf, Phrase, Ranged
from yurt.core.model.expressions import Binary, Expression, Literal, Name, Unary, walk
from yurt.core.planning.bounds import bounds

COMPARISONS = ("<", "<=", ">", ">=")


def bounds_of(factor: Factor) -> list[Expression]:
    """Return the ends of a factor's range that depend on the row."""
    heads = [each.of.head for each in factor.levels if each.of is not None]
    return [end for head in heads if isinstance(head, Ranged) for end in (head.range.low, head.range.high)]


def names_of(expressions: Sequence[Expression], subject: Subject) -> set[str]:
    """Return the fields that expressions read, directly or through derived fields."""
    return {
        node.name for expression in expressions for node in nodes(expression, subject) if isinstance(node, Name)
    }  # fmt: skip


def axes_of(
    conditions: Sequence[Expression], number: dict[str, int], subject: Subject, factors: Sequence[Factor] = ()
) -> list[int]:
    """Return the numbers of the factors that conditions read, and of those that their ranges depend on."""
    found: set[str] = set()
    waiting = names_of(conditions, subject)
    while waiting:
        found |= waiting
        bound = [end for name in waiting if name in number and factors for end in bounds_of(factors[number[name]])]
        waiting = names_of(bound, subject) - found
    return sorted(number[name] for name in found if name in number)


def nodes(condition: Expression, subject: Subject) -> Iterator[Expression]:
    """Yield the parts of a condition, and those of the expressions of derived fields in place of these fields, once."""
    waiting, seen = [condition], set[str]()
    while waiting:
        for node in walk(waiting.pop()):
            expression = follows(node.name, subject) if isinstance(node, Name) else None
            if expression is None:
                yield node
            elif isinstance(node, Name) and node.name not in seen:
                seen.add(node.name)
                waiting.append(expression)


def follows(name: str, subject: Subject) -> Expression | None:
    """Return the expression of a derived field; None for a field that is not derived or that may be missing."""
    field = subject.record.by_name.get(name)
    if field is None or field.present_if is not None or not isinstance(field.body, Phrase):
        return None
    head = field.head
    return head.expression if isinstance(head, Derived) and not field.phrases[0].missing else None


def only_value(name: str, subject: Subject) -> Column | None:
    """Return the value of a field that has only one; None for any other field."""
    field = subject.record.by_name.get(name)
    if field is None or field.present_if is not None or not isinstance(field.body, Phrase) or field.body.missing:
        return None
    kind, head = subject.type(name), field.body.head
    if isinstance(head, Ranged) and (ends := bounds(head, subject.today)) is not None and ends[0] == ends[1]:
        return Column(kind, np.array(ends[0]))
    if isinstance(head, OneOf) and len(set(head.values)) == 1:
        return cast(constant(head.values[0]), kind)
    return None


def is_monotonic(condition: Expression, subject: Subject) -> bool:
    """Return whether a condition compares sums: then the ends of the fields decide whether it can be met."""
    match condition:
        case Binary(operator, left, right) if operator in COMPARISONS:
            return _is_sum(left, subject) and _is_sum(right, subject)
    return False


def _is_sum(expression: Expression, subject: Subject) -> bool:
    match expression:
        case Literal():
            return True
        case Name(name):
            own = follows(name, subject)
            return own is None or _is_sum(own, subject)
        case Unary("-", operand):
            return _is_sum(operand, subject)
        case Binary("+" | "-", left, right):
            return _is_sum(left, subject) and _is_sum(right, subject)
        case Binary("*", Literal(), other) | Binary("*", other, Literal()):
            return _is_sum(other, subject)
    return False
