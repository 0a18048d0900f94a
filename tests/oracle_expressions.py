"""A second implementation of the expression language, from the language reference alone: expressions become nested
tuples."""

from __future__ import annotations

import operator
import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any


class Unknown(Exception):
    """The value was drawn or depends on other rows, so it cannot be known."""


@dataclass(frozen=True)
class Span:
    """A duration: months, and microseconds."""

    months: int
    micros: int


UNITS = {"y": (12, 0), "mo": (1, 0), "w": (0, 7 * 86400), "d": (0, 86400), "h": (0, 3600), "min": (0, 60), "s": (0, 1)}


def shifted(day: Any, by: Span, sign: int) -> Any:
    if by.months:
        months = day.year * 12 + day.month - 1 + sign * by.months
        last = (date(months // 12 + (months % 12 == 11), (months + 1) % 12 + 1, 1) - timedelta(days=1)).day
        day = day.replace(year=months // 12, month=months % 12 + 1, day=min(day.day, last))
    if isinstance(day, date) and not isinstance(day, datetime) and by.micros % 86_400_000_000:
        day = datetime.combine(day, time())
    return day + sign * timedelta(microseconds=by.micros)


TOKEN = re.compile(
    r"\s*(?:(?P<moment>\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d)?)|(?P<day>\d{4}-\d\d-\d\d)|(?P<clock>\d\d:\d\d(:\d\d)?)|"
    r"(?P<span>\d+(?:y|mo|w|d|h|min|s)\b)|(?P<number>\d+(?:\.\d+)?(?!\.\d))|"
    r"(?P<text>\"(?:[^\"\\]|\\.)*\"|'(?:[^'\\]|\\.)*')|(?P<regex>/(?:[^/\\]|\\.)+/)|(?P<word>[A-Za-z_]\w*(?:\.[A-Za-z_]\w*)*)|"
    r"(?P<sign><=|>=|==|!=|[-+*/&<>()\[\],]))"
)
FUNCTIONS: dict[str, Callable[..., Any]] = {
    "days": lambda span: span.micros // 86_400_000_000, "round": lambda x, n=0: _rounded(Decimal(x), n), "abs": abs,
    "length": len, "size": len, "upper": str.upper, "lower": str.lower, "mod": lambda a, b: a % b, "max": max, "min": min,
    "join": lambda values, between: between.join(map(str, values)), "year": lambda day: day.year, "trim": str.strip,
    "month": lambda day: day.month, "sum": sum, "weekday": lambda day: day.isoweekday(), "hours": lambda span: span.micros // 3_600_000_000,
    "minutes": lambda span: span.micros // 60_000_000, "left": lambda text, n: text[:n],
}  # fmt: skip


def _rounded(value: Decimal, places: int) -> Decimal:
    return value.quantize(Decimal(1).scaleb(-places), rounding="ROUND_HALF_UP")


class Parser:
    """Parses an expression into nested tuples."""

    def __init__(self, text: str) -> None:
        self.tokens: list[tuple[str, str]] = []
        at = 0
        while text[at:].strip():
            found = TOKEN.match(text, at)
            assert found, text[at:]
            self.tokens.append((str(found.lastgroup), found[found.lastgroup]))  # type: ignore[index]
            at = found.end()
        self.tokens.append(("end", ""))
        self.at = 0

    def next(self) -> tuple[str, str]:
        self.at += 1
        return self.tokens[self.at - 1]

    def take(self, *words: str) -> str:
        return (
            self.next()[1] if self.tokens[self.at][1] in words and self.tokens[self.at][0] in ("word", "sign") else ""
        )

    def whole(self) -> Any:
        if self.take("if"):
            condition = self.whole()
            assert self.take("then")
            yes = self.whole()
            assert self.take("else")
            return "if", condition, yes, self.whole()
        return self.any_of()

    def chain(self, part: Callable[[], Any], *signs: str) -> Any:
        left = part()
        while sign := self.take(*signs):
            left = sign, left, part()
        return left

    def any_of(self) -> Any:
        return self.chain(lambda: self.chain(self.not_, "and"), "or")

    def not_(self) -> Any:
        return ("not", self.not_()) if self.take("not") else self.compared()

    def compared(self) -> Any:
        left = self.chain(self.sum, "&")
        if sign := self.take("==", "!=", "<", "<=", ">", ">="):
            return sign, left, self.chain(self.sum, "&")
        if self.take("is"):
            negated = bool(self.take("not"))
            assert self.take("null")
            return ("not", ("null", left)) if negated else ("null", left)
        if self.take("matches"):
            return "matches", left, self.next()[1][1:-1]
        negated = bool(self.take("not"))
        if self.take("in"):
            assert self.take("[")
            values = [self.whole()]
            while self.take(","):
                values.append(self.whole())
            assert self.take("]")
            return ("not", ("in", left, values)) if negated else ("in", left, values)
        return left

    def sum(self) -> Any:
        return self.chain(lambda: self.chain(self.single, "*", "/"), "+", "-")

    def single(self) -> Any:
        if self.take("-"):
            return "-", ("value", 0), self.single()
        if self.take("("):
            found = self.whole()
            assert self.take(")")
            return found
        sort, text = self.next()
        if sort == "text":
            return "value", re.sub(r"\\(.)", lambda m: {"n": "\n", "t": "\t"}.get(m[1], m[1]), text[1:-1])
        if sort == "number":
            return "value", Decimal(text) if "." in text else int(text)
        if sort in ("day", "moment", "clock"):
            return "value", {"day": date, "moment": datetime, "clock": time}[sort].fromisoformat(text)  # type: ignore[attr-defined]
        if sort == "span":
            number, unit = re.fullmatch(r"(\d+)(\w+)", text).groups()  # type: ignore[union-attr]
            months, seconds = UNITS[unit]
            return "value", Span(months * int(number), seconds * int(number) * 1_000_000)
        assert sort == "word", (sort, text, self.tokens)
        if text in ("true", "false", "null"):
            return "value", {"true": True, "false": False, "null": None}[text]
        if self.take("("):
            if text in ("some", "ordinal", "running", "previous"):
                return ("unknown",)
            arguments = []
            while not self.take(")"):
                arguments.append(self.whole())
                self.take(",")
            return "call", text, arguments
        return "name", text


def computed(tree: Any, scope: Callable[[str], Any]) -> Any:
    """Return the value of an expression; None for null."""
    sort, *parts = tree
    if sort == "value":
        return parts[0]
    if sort == "unknown":
        raise Unknown
    if sort == "name":
        return scope(parts[0])
    if sort == "if":
        return computed(parts[1] if computed(parts[0], scope) is True else parts[2], scope)
    if sort == "call":
        values = [computed(each, scope) for each in parts[1]]
        return None if any(each is None for each in values) else FUNCTIONS[parts[0]](*values)
    if sort in ("and", "or"):
        values = [computed(each, scope) for each in parts]
        deciding = sort == "or"
        return deciding if deciding in values else None if None in values else not deciding
    left = computed(parts[0], scope)
    if sort == "null":
        return left is None
    if sort == "in":
        return None if left is None else any(_same(left, computed(each, scope)) for each in parts[1])
    if left is None:
        return None
    if sort == "not":
        return not left
    if sort == "matches":
        return re.fullmatch(parts[1], str(left)) is not None
    right = computed(parts[1], scope)
    return None if right is None else _combined(sort, left, right)


def _same(a: Any, b: Any) -> bool:
    return bool(a == b)


def _combined(sign: str, a: Any, b: Any) -> Any:
    if sign == "&":
        return written(a) + written(b)
    if sign in ("+", "-") and isinstance(b, Span) and not isinstance(a, Span):
        return shifted(a, b, 1 if sign == "+" else -1)
    if sign in ("+", "-") and isinstance(a, Span):
        return Span(a.months + b.months, a.micros + b.micros * (1 if sign == "+" else -1))
    if sign == "-" and isinstance(a, date):
        a, b = (datetime.combine(x, time()) if not isinstance(x, datetime) else x for x in (a, b))
        return Span(0, (a - b) // timedelta(microseconds=1))
    if isinstance(a, datetime) != isinstance(b, datetime) and isinstance(a, date) and isinstance(b, date):
        a, b = (x if isinstance(x, datetime) else datetime.combine(x, time()) for x in (a, b))
    if isinstance(a, Span):
        a, b = (a.micros, b.micros)
    return SIGNS[sign](a, b)


SIGNS: dict[str, Callable[[Any, Any], Any]] = {
    "+": operator.add, "-": operator.sub, "*": operator.mul, "/": lambda a, b: Decimal(a) / Decimal(b), "==": operator.eq,
    "!=": operator.ne, "<": operator.lt, "<=": operator.le, ">": operator.gt, ">=": operator.ge,
}  # fmt: skip


def written(value: Any) -> str:
    if isinstance(value, bool):
        return str(value).lower()
    return "" if value is None else value.isoformat() if isinstance(value, date | time) else str(value)
