"""Conditions of tables (`CHECK`), as ranges, lists, patterns, and conditions of a schema."""

from __future__ import annotations

import re
from collections.abc import Iterator
from decimal import Decimal, InvalidOperation
from typing import TYPE_CHECKING

from yurt.core.drafting.sources import lines
from yurt.core.drafting.sources.source import Asked
from yurt.core.drafting.sources.tables import ColumnFacts, TableFacts

if TYPE_CHECKING:
    from sqlglot import exp

COMPARISONS = {"GTE": ">=", "GT": ">", "LTE": "<=", "LT": "<", "EQ": "==", "NEQ": "!="}
TURNED = {">=": "<=", ">": "<", "<=": ">=", "<": ">", "==": "==", "!=": "!="}
FORMS = {"date": r"\d{4}-\d\d-\d\d", "time": r"\d\d:\d\d(:\d\d)?", "datetime": r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d(:\d\d)?"}
NAME = re.compile(r"[^\W\d]\w*")


def apply(check: exp.Expr, table: TableFacts, asked: Asked, place: str) -> None:
    """Let the columns of a table follow a check; what no line says is left out."""
    for part in _parts(check):
        if not (_of_one(part, table) or _of_two(part, table)):
            asked.leave_out("CHECK", place, part.sql()[:80])


def _parts(check: exp.Expr) -> Iterator[exp.Expr]:
    """Yield the conditions that hold together."""
    from sqlglot import exp

    # With a stack of its own: a condition may have thousands of parts.
    waiting = [check]
    while waiting:
        each = waiting.pop()
        each = each.unnest() if isinstance(each, exp.Paren) else each
        if isinstance(each, exp.And):
            waiting += [each.expression, each.this]
        else:
            yield each


def _column(node: exp.Expr | None, table: TableFacts) -> ColumnFacts | None:
    from sqlglot import exp

    while isinstance(node, exp.Paren | exp.Cast):
        node = node.this
    return table.column(node.name) if isinstance(node, exp.Column) else None


def _value(node: exp.Expr | None) -> object:
    """Return a literal: a number, or a text; None for anything else."""
    from sqlglot import exp

    while isinstance(node, exp.Paren | exp.Cast):
        node = node.this
    if isinstance(node, exp.Neg):
        inner = _value(node.this)
        return -inner if isinstance(inner, Decimal) else None
    if isinstance(node, exp.Literal):
        if node.is_string:
            return str(node.this)
        try:
            return Decimal(str(node.this))
        except InvalidOperation:
            return None
    return bool(node.this) if isinstance(node, exp.Boolean) else None


def _of_one(part: exp.Expr, table: TableFacts) -> bool:
    """Let one column follow a condition; return whether it can."""
    from sqlglot import exp

    if isinstance(part, exp.Between):
        column = _column(part.this, table)
        low, high = _value(part.args["low"]), _value(part.args["high"])
        return column is not None and _bound(column, ">=", low) and _bound(column, "<=", high)
    if isinstance(part, exp.In):
        column = _column(part.this, table)
        values = [_value(each) for each in part.expressions]
        if column is None or not values or any(each is None for each in values):
            return False
        column.listed = [each if not isinstance(each, Decimal) or each % 1 else int(each) for each in values]
        return True
    if isinstance(part, exp.EQ) and isinstance(part.expression, exp.Any):
        return _any_of(part, table)
    if isinstance(part, exp.Or):
        return _either(part, table)
    if type(part).__name__ in COMPARISONS:
        return _compared(part, COMPARISONS[type(part).__name__], table)
    if isinstance(part, exp.RegexpLike | exp.SimilarTo):
        column, pattern = _column(part.this, table), _value(part.expression)
        if column is None or not isinstance(pattern, str):
            return False
        column.pattern = pattern if isinstance(part, exp.RegexpLike) else f"^({pattern})$"
        return True
    if isinstance(part, exp.Like):
        return _like(part, table)
    if isinstance(part, exp.Not) and isinstance(part.this, exp.Is):
        column = _column(part.this.this, table)
        if column is not None:
            column.nullable = False
        return column is not None
    return False


def _any_of(part: exp.EQ, table: TableFacts) -> bool:
    """Take `column = ANY (ARRAY[…])`, which is how some databases keep `IN`."""
    from sqlglot import exp

    column = _column(part.this, table)
    values = [_value(each) for array in part.expression.find_all(exp.Array) for each in array.expressions]
    if column is None or not values or any(each is None for each in values):
        return False
    column.listed = [each if not isinstance(each, Decimal) or each % 1 else int(each) for each in values]
    return True


def _either(part: exp.Or, table: TableFacts) -> bool:
    """Take a list that is written as `a = 1 OR a = 2`, and `a IS NULL OR …`."""
    from sqlglot import exp

    arms = list(part.flatten())
    nulls = [each for each in arms if isinstance(each, exp.Is) and isinstance(each.expression, exp.Null)]
    rest = [each for each in arms if each not in nulls]
    if len(nulls) == 1 and len(rest) == 1:
        # A check is not broken where it is unknown.
        return _of_one(rest[0], table)
    columns = {
        column.name for each in arms if isinstance(each, exp.EQ) and (column := _column(each.this, table)) is not None
    }
    values = [_value(each.expression) for each in arms if isinstance(each, exp.EQ)]
    if len(columns) != 1 or len(values) < len(arms) or any(each is None for each in values):
        return False
    column = table.column(columns.pop())
    assert column is not None
    column.listed = values
    return True


def _compared(part: exp.Expr, operator: str, table: TableFacts) -> bool:
    left, right = part.this, part.expression
    if _column(left, table) is None and not _is_length(left):
        left, right, operator = right, left, TURNED[operator]
    value = _value(right)
    if _is_length(left) and isinstance(value, Decimal):
        column = _column(left.this, table)
        return column is not None and _length(column, operator, int(value))
    column = _column(left, table)
    if column is None or value is None:
        return False
    if operator == "==":
        column.listed = [value]
        return True
    if operator == "!=":
        if value == "" and column.sort == "text":
            column.shortest = max(column.shortest, 1)
            return True
        return False
    return _bound(column, operator, value)


def _is_length(node: exp.Expr) -> bool:
    from sqlglot import exp

    return isinstance(node, exp.Length)


def _length(column: ColumnFacts, operator: str, value: int) -> bool:
    low, high = {
        ">=": (value, None), ">": (value + 1, None), "<=": (None, value), "<": (None, value - 1), "==": (value, value),
    }.get(operator, (None, None))  # fmt: skip
    if low is None and high is None:
        return False
    column.shortest = max(column.shortest, low or 0)
    column.length = high if column.length is None else min(column.length, high) if high is not None else column.length
    return True


def _bound(column: ColumnFacts, operator: str, value: object) -> bool:
    if isinstance(value, Decimal) and column.sort in ("integer", "decimal", "real"):
        if operator in (">", ">="):
            if not isinstance(column.low, Decimal) or value >= column.low:
                column.low, column.above = value, operator == ">"
        elif not isinstance(column.high, Decimal) or value <= column.high:
            column.high, column.below = value, operator == "<"
        # The places of a real number have no next one.
        return not (column.sort == "real" and operator in ("<", ">"))
    if isinstance(value, str) and column.sort == "text":
        # Databases without types for days and times keep them as texts.
        column.sort = next((sort for sort, form in FORMS.items() if re.fullmatch(form, value)), "text")
    if isinstance(value, str) and column.sort in ("date", "datetime", "time") and operator in (">=", "<="):
        written = value.replace(" ", "T")
        if not re.fullmatch(r"\d{4}-\d\d-\d\d(T\d\d:\d\d(:\d\d)?)?|\d\d:\d\d(:\d\d)?", written):
            return False
        if column.sort == "datetime" and "T" not in written:
            written += "T00:00"
        if operator == ">=":
            column.low = written
        else:
            column.high = written
        return True
    return False


def _one(char: str) -> str:
    """Return the pattern of one character of `LIKE`."""
    return lines.ANYTHING.rstrip("*") if char == "_" else re.escape(char)


def _like(part: exp.Like, table: TableFacts) -> bool:
    column, text = _column(part.this, table), _value(part.expression)
    if column is None or not isinstance(text, str) or "\\" in text:
        return False
    if text.count("%") == 1 and column.length is not None and column.length >= len(text) - 1:
        # The length of the column is that of the whole text.
        rest = f"{lines.ANYTHING.rstrip('*')}{{0,{column.length - len(text) + 1}}}"
        column.pattern = "^" + "".join(rest if char == "%" else _one(char) for char in text) + "$"
        return True
    parts = [lines.ANYTHING if char == "%" else _one(char) for char in text]
    column.pattern = f"^{''.join(parts)}$"
    return True


def _of_two(part: exp.Expr, table: TableFacts) -> bool:
    """Take the comparison of two columns as a condition of the record type."""
    operator = COMPARISONS.get(type(part).__name__)
    if operator is None:
        return False
    one, two = _column(part.this, table), _column(part.expression, table)
    comparable = (
        one is not None and two is not None and (one.sort == two.sort or {one.sort, two.sort} <= {"integer", "decimal"})
    )
    if one is None or two is None or not comparable or not (NAME.fullmatch(one.name) and NAME.fullmatch(two.name)):
        return False
    table.always.append(f"{one.name} {operator} {two.name}")
    return True
