"""Values of expressions that do not depend on the row: literals, `today`, and sums of them."""

from __future__ import annotations

import calendar
from datetime import date, datetime, time, timedelta
from decimal import Decimal

from yurt.core.model.expressions import Binary, Duration, Expression, Literal, Name, Unary

Constant = int | Decimal | str | bool | date | datetime | time | Duration


def fold(expression: Expression, today: date) -> Constant | None:
    """Return the value of a constant expression; None if it depends on the row or is more than a sum."""
    if isinstance(expression, Literal):
        return expression.value
    if isinstance(expression, Name) and expression.name == "today":
        return today
    if isinstance(expression, Unary) and expression.operator == "-":
        inside = fold(expression.operand, today)
        if isinstance(inside, Duration):
            return Duration(-inside.months, -inside.microseconds, inside.in_days)
        return -inside if isinstance(inside, int | Decimal) else None
    if isinstance(expression, Binary) and expression.operator in "+-":
        left, right = fold(expression.left, today), fold(expression.right, today)
        sign = 1 if expression.operator == "+" else -1
        if isinstance(left, date) and isinstance(right, Duration):
            return shift(left, right, sign)
        if isinstance(left, int | Decimal) and isinstance(right, int | Decimal):
            return left + sign * right
        if isinstance(left, Duration) and isinstance(right, Duration) and not left.months and not right.months:
            return Duration(0, left.microseconds + sign * right.microseconds, left.in_days and right.in_days)
    return None


def shift(day: date, by: Duration, sign: int) -> date | None:
    """Return a date moved by a duration; the day is limited to the end of the month. None outside the years 1 to
    9999.
    """
    try:
        if by.months:
            index = day.year * 12 + day.month - 1 + sign * by.months
            year, month = index // 12, index % 12 + 1
            return day.replace(year=year, month=month, day=min(day.day, calendar.monthrange(year, month)[1]))
        if by.in_days or isinstance(day, datetime):
            return day + sign * timedelta(microseconds=by.microseconds)
        return datetime.combine(day, time()) + sign * timedelta(microseconds=by.microseconds)
    except (ValueError, OverflowError):
        return None
