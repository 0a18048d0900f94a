"""Derived fields as formulas of a spreadsheet, over the other cells of their row."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime
from decimal import Decimal

from yurt.core.model import Derived, Record
from yurt.core.model.expressions import (
    Binary,
    Call,
    Choice,
    Draw,
    Duration,
    Expression,
    Literal,
    Matching,
    Member,
    Membership,
    Name,
    NullTest,
    Template,
    Unary,
)  # fmt: skip

# What stands for the number of the row in a formula.
ROW = "\0"
OPERATORS = {"==": "=", "!=": "<>", "<": "<", "<=": "<=", ">": ">", ">=": ">=", "+": "+", "-": "-", "*": "*", "/": "/"}
# The functions that mean the same, with the numbers of arguments.
FUNCTIONS = {
    "round": ("ROUND", (1, 2)), "abs": ("ABS", (1,)), "min": ("MIN", (2, 3, 4, 5)), "max": ("MAX", (2, 3, 4, 5)),
    "sqrt": ("SQRT", (1,)), "year": ("YEAR", (1,)), "month": ("MONTH", (1,)), "day": ("DAY", (1,)),
    "hour": ("HOUR", (1,)),
}  # fmt: skip
DAY = 86_400_000_000
DEEPEST = 40


class NoFormula(Exception):
    """A part of an expression that has no counterpart."""


class Formula:
    """Writes the formula of one field."""

    def __init__(self, record: Record, names: Sequence[str]) -> None:
        self.record, self.columns = record, {name: letters(at) for at, name in enumerate(names)}

    def of(self, expression: Expression, depth: int = 0) -> str:
        """Return an expression as a formula. Raises NoFormula."""
        if depth > DEEPEST:
            raise NoFormula("expression so deep")

        def inner(each: Expression) -> str:
            return self.of(each, depth + 1)

        match expression:
            case Literal(value, _):
                return literal(value)
            case Name(name, _):
                return self._cell(name, depth)
            case Unary(operator, operand, _):
                return f"(-{inner(operand)})" if operator == "-" else f"NOT({inner(operand)})"
            case Binary("and" | "or" as operator, left, right, _):
                return f"{operator.upper()}({inner(left)},{inner(right)})"
            case Binary("&", left, right, _):
                return f"({inner(left)}&{inner(right)})"
            case Binary("==" | "!=" as operator, left, right, _) if self._texts(left, right):
                # The operator of spreadsheets does not tell capitals from small letters.
                same = f"EXACT({inner(left)},{inner(right)})"
                return same if operator == "==" else f"NOT({same})"
            case Binary(operator, left, right, _) if operator in OPERATORS:
                return f"({inner(left)}{OPERATORS[operator]}{inner(right)})"
            case Choice(condition, then, otherwise, _):
                return f"IF({inner(condition)},{inner(then)},{inner(otherwise)})"
            case Membership(item, options, span):
                each_one = [self.of(Binary("==", item, each, span), depth + 1) for each in options]
                return f"OR({','.join(each_one)})"
            case Call("days", (Binary("-", left, right, _),), _):
                return f"({inner(left)}-{inner(right)})"
            case Call("round", (only,), _):
                return f"ROUND({inner(only)},0)"
            case Call(function, arguments, _) if len(arguments) in FUNCTIONS.get(function, ("", ()))[1]:
                return f"{FUNCTIONS[function][0]}({','.join(map(inner, arguments))})"
            case Call(function, _, _):
                raise NoFormula(f"`{function}(…)`")
            case Member(reference, name, _):
                raise NoFormula(f"`{reference}.{name}` of another sheet")
            case NullTest():
                raise NoFormula("`is null`")
            case Matching():
                raise NoFormula("`matches`")
            case Template():
                raise NoFormula("text with values in it")
            case Draw():
                raise NoFormula("`draw(…)`")
            case _:
                raise NoFormula("such expression")

    def _cell(self, name: str, depth: int) -> str:
        field = self.record.by_name.get(name)
        if field is None:
            raise NoFormula(f"`{name}`")
        title = self.record.column(name)
        if not field.helper and title in self.columns:
            return f"{self.columns[title]}{ROW}"
        if isinstance(field.head, Derived):
            return self.of(field.head.expression, depth + 1)
        raise NoFormula(f"`{name}`, which is not in the sheet")

    def _texts(self, left: Expression, right: Expression) -> bool:
        """Return whether two expressions are compared as texts; NoFormula if that is not known."""
        both = (left, right)
        if any(isinstance(each, Literal) and isinstance(each.value, str) for each in both):
            return True
        if all(isinstance(each, Name | Choice) for each in both):
            raise NoFormula("comparison of two fields")
        return False


def letters(at: int) -> str:
    """Return the letters of a column, counted from 0."""
    found = ""
    at += 1
    while at:
        at, rest = divmod(at - 1, 26)
        found = chr(ord("A") + rest) + found
    return "$" + found


def literal(value: object) -> str:
    """Return a constant as a formula has it. Raises NoFormula."""
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, int | Decimal):
        text = f"{value:f}" if isinstance(value, Decimal) else str(value)
        return f"({text})" if value < 0 else text
    if isinstance(value, str) and len(value) <= 255:
        return '"' + value.replace('"', '""') + '"'
    if isinstance(value, datetime):
        raise NoFormula("date-time")
    if isinstance(value, date):
        return f"DATE({value.year},{value.month},{value.day})"
    if isinstance(value, Duration) and not value.months and value.microseconds % DAY == 0:
        return str(value.microseconds // DAY)
    raise NoFormula("value of that type")


def formulas_of(record: Record, names: Sequence[str]) -> dict[str, str]:
    """Return the formulas of the derived fields that have one, by column; `ROW` stands for the number of the row."""
    found = {}
    for each in record.shown:
        title = record.column(each.name)
        if isinstance(each.head, Derived) and title in names and not each.parent:
            try:
                found[title] = "=" + Formula(record, names).of(each.head.expression)
            except NoFormula:
                continue
    return found


def left_as_values(record: Record) -> list[str]:
    """Return which derived fields stay values, and why."""
    names = [record.column(each.name) for each in record.shown]
    found = []
    for each in record.shown:
        if isinstance(each.head, Derived):
            try:
                Formula(record, names).of(each.head.expression)
            except NoFormula as fault:
                found.append(f"{record.name}.{each.name} stays a value, because a formula has no {fault}")
    return found
