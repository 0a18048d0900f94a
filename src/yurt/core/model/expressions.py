"""The model of an expression: a small tree of frozen nodes, each with its place in the file."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, datetime, time
from decimal import Decimal
from typing import Any

from yurt.core.base.data_classes import dataclass, fields
from yurt.core.base.types import (
    BOOLEAN,
    DATE,
    DATETIME,
    DAYS,
    DURATION,
    INTEGER,
    NULL,
    PERIOD,
    TEXT,
    TIME,
    Type,
    decimal,
    unify,
)
from yurt.core.source.diagnostics import Span


@dataclass(frozen=True)
class Duration:
    """A length of time: whole calendar months, or microseconds (`in_days` if written in days or weeks)."""

    months: int = 0
    microseconds: int = 0
    in_days: bool = False


Value = int | Decimal | str | bool | date | datetime | time | Duration | None


@dataclass(frozen=True)
class Literal:
    """A value written out."""

    value: Value
    span: Span


@dataclass(frozen=True)
class Name:
    """A field of the same record, or one of `today`, `now`, `row`."""

    name: str
    span: Span


@dataclass(frozen=True)
class Member:
    """A field of the record that a reference points to: `hut.beds`; through two references, `name` is `hut.beds`."""

    reference: str
    name: str
    span: Span


@dataclass(frozen=True)
class Unary:
    """`-x` or `not x`."""

    operator: str
    operand: Expression
    span: Span


@dataclass(frozen=True)
class Binary:
    """Arithmetic (`+ - * /`), comparison, `and`, `or`, and `&`, which joins text."""

    operator: str
    left: Expression
    right: Expression
    span: Span


@dataclass(frozen=True)
class Choice:
    """`if condition then … else …`."""

    condition: Expression
    then: Expression
    otherwise: Expression
    span: Span


@dataclass(frozen=True)
class Call:
    """A function with its arguments."""

    function: str
    arguments: tuple[Expression, ...]
    span: Span


@dataclass(frozen=True)
class Membership:
    """`x in [a, b]`."""

    item: Expression
    options: tuple[Expression, ...]
    span: Span


@dataclass(frozen=True)
class NullTest:
    """`x is null`."""

    operand: Expression
    span: Span


@dataclass(frozen=True)
class Matching:
    """`x matches /regex/`: the whole text must match."""

    operand: Expression
    pattern: str
    span: Span


@dataclass(frozen=True)
class Template:
    """Text with expressions in braces; a null among them becomes an empty text."""

    parts: tuple[Expression, ...]
    span: Span


@dataclass(frozen=True)
class Draw:
    """`draw(phrase)`: a value drawn in place. `number` counts them within a field; `inside` is what the phrase uses."""

    phrase: Any
    number: int
    inside: tuple[Expression, ...]
    span: Span


Expression = (
    Literal | Name | Member | Unary | Binary | Choice | Call | Membership | NullTest | Matching | Template | Draw
)  # fmt: skip


_PARTS: dict[type, tuple[str, ...]] = {}


def _parts(kind: type) -> tuple[str, ...]:
    """Return the attributes of a dataclass that may have phrases or expressions inside."""
    if kind not in _PARTS:
        _PARTS[kind] = tuple(each.name for each in fields(kind))
    return _PARTS[kind]


def walk(expression: Expression) -> Iterator[Expression]:
    """Yield the expression and all expressions inside it."""
    waiting = [expression]
    while waiting:
        each = waiting.pop()
        yield each
        for name in reversed(_parts(type(each))):
            value = getattr(each, name)
            if type(value) is tuple:
                waiting += [part for part in reversed(value) if isinstance(part, Expression)]
            elif isinstance(value, Expression):
                waiting.append(value)


def drawn_in(expression: Expression) -> Iterator[Draw]:
    """Yield the `draw(…)` parts of an expression, without those inside others."""
    waiting = [expression]
    while waiting:
        each = waiting.pop()
        if isinstance(each, Draw):
            yield each
            continue
        for name in reversed(_parts(type(each))):
            value = getattr(each, name)
            if type(value) is tuple:
                waiting += [part for part in reversed(value) if isinstance(part, Expression)]
            elif isinstance(value, Expression):
                waiting.append(value)


def literal_type(value: object) -> Type:
    """Return the type of a literal value."""
    if isinstance(value, bool):
        return BOOLEAN
    if isinstance(value, int):
        return INTEGER
    if isinstance(value, Decimal):
        return decimal(max(0, -int(value.as_tuple().exponent)))
    if isinstance(value, datetime):
        return DATETIME
    if isinstance(value, date):
        return DATE
    if isinstance(value, time):
        return TIME
    if isinstance(value, Duration):
        return PERIOD if value.months else DAYS if value.in_days else DURATION
    return TEXT if isinstance(value, str) else NULL


def common_type(values: tuple[object, ...]) -> Type:
    """Return the type that holds all values of a list."""
    found: Type = NULL
    for each in {literal_type(value) for value in values}:
        found = unify(found, each) or TEXT
    return found
