"""Expressions over whole columns. Null propagates as in SQL; `and` and `or` use three-valued logic."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base import exact
from yurt.core.base.arrays import arrow, flags, joined, word
from yurt.core.base.types import BOOLEAN, NULL, REAL, TEXT, TIME, Type, arithmetic, unify
from yurt.core.columns.column import Column, Mask, cast, compared, constant, merge
from yurt.core.columns.faults import OUT_OF_SPAN, OUT_OF_YEARS, refuse
from yurt.core.columns.matching import follows_source
from yurt.core.model.expressions import (
    Binary,
    Call,
    Choice,
    Draw,
    Expression,
    Literal,
    Matching,
    Member,
    Membership,
    Name,
    NullTest,
    Template,
    Unary,
)
from yurt.core.model.functions import OF_SIBLINGS

if TYPE_CHECKING:
    from yurt.core.columns.scope import Scope

GUARD = "division by zero; guard it: if x == 0 then … else …"
DAY = 86_400_000_000
# 0001-01-01 and 9999-12-31, in days since 1970.
FIRST_DAY, LAST_DAY = -719_162, 2_932_896
COMPARE: dict[str, tuple[Any, str]] = {
    "==": (np.equal, "equal"), "!=": (np.not_equal, "not_equal"), "<": (np.less, "less"),
    "<=": (np.less_equal, "less_equal"), ">": (np.greater, "greater"), ">=": (np.greater_equal, "greater_equal"),
}  # fmt: skip


def evaluate(expression: Expression, scope: Scope) -> Column:
    """Return the value of an expression for each row of the scope."""
    match expression:
        case Literal(value, _):
            return constant(value)
        case Name(name, _):
            return scope.named(name)
        case Member(reference, name, _):
            return scope.member(reference, name)
        case Unary(operator, operand, _):
            inside = evaluate(operand, scope)
            if operator == "not":
                return Column(BOOLEAN, ~_truth(inside).values, inside.nulls)
            return Column(inside.type, -inside.values, inside.nulls)
        case Binary(operator, left, right, _):
            return _binary(operator, evaluate(left, scope), evaluate(right, scope), scope)
        case Choice():
            return _choice(expression, scope)
        case Membership(item, options, _):
            return _membership(evaluate(item, scope), [evaluate(each, scope) for each in options], scope)
        case NullTest(operand, _):
            nulls = evaluate(operand, scope).nulls
            return Column(BOOLEAN, np.array(False) if nulls is None else nulls)
        case Matching(operand, pattern, _):
            inside = evaluate(operand, scope)
            return Column(BOOLEAN, follows_source(pattern, inside.text(len(scope.rows))), inside.nulls)
        case Call(function, _, _) if function in OF_SIBLINGS:
            return scope.siblings(expression)
        case Draw():
            return scope.drawn(expression)
        case Call(function, arguments, _):
            # Most schemas call few functions or none.
            from yurt.core.columns.functions import KERNELS

            return KERNELS[function]([evaluate(each, scope) for each in arguments], scope)
        case Template(parts, _):
            texts = [_text_or_nothing(evaluate(part, scope), scope) for part in parts]
            return Column(TEXT, joined(*texts, ""))


def _either_null(left: Column, right: Column) -> Mask | None:
    if left.nulls is None or right.nulls is None:
        return left.nulls if right.nulls is None else right.nulls
    return left.nulls | right.nulls


def _truth(column: Column) -> Column:
    """A bare null among Booleans is false and missing."""
    return Column(BOOLEAN, np.array(False), np.array(True)) if column.type == NULL else column


def _binary(operator: str, left: Column, right: Column, scope: Scope) -> Column:
    if operator in ("and", "or"):
        return _logic(operator, _truth(left), _truth(right))
    nulls = _either_null(left, right)
    if operator == "&":
        texts = [_arrow_text(each, scope) for each in (left, right)]
        if all(isinstance(each, pa.Scalar) for each in texts):
            return Column(TEXT, word("".join(each.as_py() or "" for each in texts)), nulls)
        return Column(TEXT, joined(*texts), nulls)
    if operator in COMPARE:
        if NULL in (left.type, right.type):
            return Column(BOOLEAN, np.array(False), np.array(True))
        if left.type == right.type == TEXT:
            found = getattr(pc, COMPARE[operator][1])(_arrow_text(left, scope), _arrow_text(right, scope))
            return Column(BOOLEAN, _booleans(found, scope), nulls)
        found = COMPARE[operator][0](*compared(left, right))
        return Column(BOOLEAN, np.asarray(found, dtype=np.bool_), nulls)
    return arithmetic_of(operator, left, right, scope)


def _logic(operator: str, left: Column, right: Column) -> Column:
    """Three-valued logic: false `and` unknown is false, true `or` unknown is true."""
    deciding = operator == "or"
    values = (left.values | right.values) if deciding else (left.values & right.values)
    nulls = _either_null(left, right)
    if nulls is None:
        return Column(BOOLEAN, values)
    decided = [
        each.values == deciding if each.nulls is None else (each.values == deciding) & ~each.nulls
        for each in (left, right)
    ]
    certain = decided[0] | decided[1]
    return Column(BOOLEAN, np.where(certain, deciding, values), nulls & ~certain)


def arithmetic_of(operator: str, left: Column, right: Column, scope: Scope) -> Column:
    """Return `left operator right` for two columns, for which the operation must be defined."""
    nulls = _either_null(left, right)
    kind = arithmetic(operator, left.type, right.type)
    assert kind is not None
    if NULL in (left.type, right.type):
        return Column(kind, np.array(0), np.array(True))
    if "period" in (left.type.name, right.type.name) and kind.family == "date":
        return _add_months(left, right, operator, kind, nulls, scope)
    if kind.name == "real":
        return _real(operator, cast(left, kind), cast(right, kind), nulls, scope)
    if kind == TIME:
        # A time of day wraps around at midnight.
        days = exact.total(left.values, right.values, 1 if operator == "+" else -1)
        return Column(TIME, exact.divided(days, DAY)[1], nulls)
    if operator == "*":
        values = exact.product(left.values, right.values)
    else:
        a, b = (_in_units_of(each, kind) for each in (left, right))
        values = exact.total(a, b, 1 if operator == "+" else -1)
    sides = {"the left side": left, "the right side": right}
    if exact.is_wide(values) and kind.family != "date":
        most, told = (exact.WIDEST, exact.TOO_WIDE) if kind.numeric else (exact.LIMIT, OUT_OF_SPAN)
        refuse(scope.rows, np.abs(values) >= most, told, nulls, sides)
        values = exact.settled(values if nulls is None else np.where(nulls, 0, values))
    return Column(kind, _checked_dates(values, kind, nulls, scope, sides), nulls)


def _in_units_of(column: Column, kind: Type) -> Any:
    """Return values in the units of the result: its places, or days, or microseconds."""
    if kind.numeric:
        return cast(column, kind).values
    small = column.type.name in ("date", "days")
    return exact.scaled(column.values, DAY) if small and kind.name in ("datetime", "duration") else column.values


def _real(operator: str, left: Column, right: Column, nulls: Mask | None, scope: Scope) -> Column:
    a, b = left.values, right.values
    sides = {"the left side": left, "the right side": right}
    if operator == "/":
        refuse(scope.rows, b == 0, GUARD, nulls, {"the dividend": left})
        return Column(REAL, a / np.where(b == 0, 1.0, b), nulls)
    with np.errstate(over="ignore"):
        values = {"+": np.add, "-": np.subtract, "*": np.multiply}[operator](a, b)
    refuse(scope.rows, ~np.isfinite(values), "a number too large for a floating-point value", nulls, sides)
    return Column(REAL, values, nulls)


def _add_months(left: Column, right: Column, operator: str, kind: Type, nulls: Mask | None, scope: Scope) -> Column:
    """Move dates by calendar months; the day is limited to the end of the month."""
    dates, months = (left, right) if right.type.name == "period" else (right, left)
    days, rest = np.divmod(dates.values, DAY) if dates.type.name == "datetime" else (dates.values, 0)
    calendar = np.asarray(days).astype("datetime64[D]")
    first = calendar.astype("datetime64[M]")
    day_of_month = (calendar - first.astype("datetime64[D]")).astype(np.int64)
    moved = first + (months.values if operator == "+" else -months.values).astype("timedelta64[M]")
    length = ((moved + np.timedelta64(1, "M")).astype("datetime64[D]") - moved.astype("datetime64[D]")).astype(np.int64)
    found = moved.astype("datetime64[D]").astype(np.int64) + np.minimum(day_of_month, length - 1)
    values = found * DAY + rest if kind.name == "datetime" else found
    sides = {"the date": dates, "the duration": months}
    return Column(kind, _checked_dates(values, kind, nulls, scope, sides), nulls)


def _checked_dates(values: Any, kind: Type, nulls: Mask | None, scope: Scope, sides: dict[str, Column]) -> Any:
    if kind.family == "date":
        unit = DAY if kind.name == "datetime" else 1
        wrong = (values < FIRST_DAY * unit) | (values >= (LAST_DAY + 1) * unit)
        refuse(scope.rows, wrong, OUT_OF_YEARS, nulls, sides)
        return exact.settled(np.where(wrong, 0, values)) if exact.is_wide(values) else values
    return values


def _choice(node: Choice, scope: Scope) -> Column:
    """Evaluate each branch only for the rows that take it, so that `if x == 0 then 0 else 1 / x` is safe.

    A branch that no row takes is evaluated for no rows, because its type is part of the type of the whole, which must
    not depend on the rows.
    """
    rows = len(scope.rows)
    chosen = np.broadcast_to(_truth(evaluate(node.condition, scope)).true(), (rows,))
    branches = ((node.then, np.flatnonzero(chosen)), (node.otherwise, np.flatnonzero(~chosen)))
    parts = [(places, evaluate(branch, scope.select(places))) for branch, places in branches]
    kind = unify(parts[0][1].type, parts[1][1].type)
    assert kind is not None
    return merge(parts, rows, kind)


def _membership(item: Column, options: list[Column], scope: Scope) -> Column:
    found: Column | None = None
    for each in options:
        equal = _binary("==", item, each, scope)
        found = equal if found is None else _logic("or", found, equal)
    return found if found is not None else Column(BOOLEAN, np.array(False))


def _arrow_text(column: Column, scope: Scope) -> Any:
    """Return texts as an Arrow string array or scalar, other values in their standard form; nulls are ignored."""
    if column.type == TEXT and isinstance(column.values, pa.Scalar):
        return column.values
    return (
        Column(column.type, column.values).text(1)[0]
        if column.constant
        else Column(column.type, column.values).text(len(scope.rows))
    )


def _text_or_nothing(column: Column, scope: Scope) -> Any:
    text = _arrow_text(column, scope)
    if column.nulls is None or not column.nulls.any():
        return text
    return pc.if_else(arrow(np.broadcast_to(column.nulls, (len(scope.rows),))), word(""), text)


def _booleans(found: Any, scope: Scope) -> Any:
    if isinstance(found, pa.Scalar):
        return np.array(bool(found.as_py()))
    return flags(found)
