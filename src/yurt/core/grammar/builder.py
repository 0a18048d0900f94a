"""From parse trees to expressions, and to the small parts of heads and clauses."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime, time
from decimal import Decimal
from functools import reduce

from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.shares import faulty_sum
from yurt.core.grammar import parser, strings
from yurt.core.grammar.tree import Token, Tree
from yurt.core.model import Phrase, expressions_in
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
)
from yurt.core.patterns.parse import PatternFault
from yurt.core.patterns.parse import parse as parse_pattern
from yurt.core.source.diagnostics import Findings, Span
from yurt.core.source.nodes import Text

UNITS = {
    "w": 7 * 86_400_000_000,
    "d": 86_400_000_000,
    "h": 3_600_000_000,
    "min": 60_000_000,
    "s": 1_000_000,
    "ms": 1000,
}
MAX_DIGITS = 18
LARGEST = 10**18 - 1
MAX_PARTS = 300
MAX_PATH = 20


@dataclass
class Known:
    """What a phrase may use besides its own words.

    `kinds` are the schema's own ones, `bound` the values of a kind's parameters, `drawn` counts the `draw(…)` so far,
    `expanded` the inserted kinds of the whole schema. `live` names the kinds whose safe ranges the schema lifts, and
    `countries` are those of the record type, if they are the same in each row.
    """

    kinds: dict[str, OwnKind] = field(default_factory=dict)
    bound: dict[str, Expression] = field(default_factory=dict)
    drawn: int = 0
    expanded: list[int] = field(default_factory=lambda: [0])
    live: frozenset[str] = frozenset()
    countries: tuple[str, ...] = ()


@dataclass(frozen=True)
class OwnKind:
    """A kind that the schema defines: a phrase and the names of its parameters."""

    parameters: tuple[str, ...]
    phrase: Text


class Builder:
    """Builds the parts of one text; mistakes go to `findings`.

    `inner` returns the phrase of a value that is part of another one; its second argument says where it is.
    """

    def __init__(self, text: Text, findings: Findings, known: Known, inner: Callable[[Tree, str], Phrase]) -> None:
        self.text = text
        self.findings = findings
        self.known = known
        self.inner = inner

    def span(self, tree: Tree) -> Span:
        """Return the span of a tree in the file."""
        return parser.span_of(tree, self.text)

    def number(self, tree: Tree) -> int | Decimal:
        """Return the value of a number; decimals keep their places."""
        return number(tree, self.text, self.findings)

    def duration(self, tree: Tree) -> Duration:
        """Return the value of a duration such as `14d`."""
        return duration(tree, self.text, self.findings)

    def quoted(self, token: Token) -> str:
        """Return the text inside a quoted token."""
        return text_of(token, self.text, self.findings)

    def pattern(self, token: Token) -> str | None:
        """Return the regular expression of a `/…/` token; None if it cannot be used."""
        return pattern_between_slashes(token, self.text, self.findings)

    def place(self, token: Token) -> Span:
        """Return the span of a token in the file."""
        return token_text(token, self.text).span()

    def percentage(self, token: Token, span: Span) -> float:
        """Return a share from 0 to 1."""
        share = float(str(token).rstrip("% ")) / 100
        if share > 1:
            self.findings.error(f"{token} is more than 100%", span, "0% to 100%")
        return min(share, 1.0)

    def list_and_column(self, name: Token, column: Token | None) -> tuple[str, str]:
        """Return the names of a value list and its column; a file name is in quotes, and a column may be."""
        parts = [
            self.quoted(each) if each is not None and each.type == "STRING" else str(each or "")
            for each in (name, column)
        ]
        return (f'"{parts[0]}"' if name.type == "STRING" else parts[0]), parts[1]

    def build(self, tree: Tree) -> Expression:
        """Return the expression of a tree."""
        make: Callable[[Tree], Expression] = getattr(self, f"_{tree.data}")
        return make(tree)

    def _expression(self, tree: Tree) -> Expression:
        return self.build(tree.children[0])

    def _binary(self, operator: str, tree: Tree) -> Expression:
        left, right = self.build(tree.children[0]), self.build(tree.children[-1])
        return Binary(operator, left, right, parser.span_of(tree, self.text))

    def _either(self, tree: Tree) -> Expression:
        return self._binary("or", tree)

    def _both(self, tree: Tree) -> Expression:
        return self._binary("and", tree)

    def _joining(self, tree: Tree) -> Expression:
        return self._binary("&", tree)

    def _comparison(self, tree: Tree) -> Expression:
        left, operator, right = tree.children
        for side, other in ((left, right), (right, left)):
            if side.data == "null" and operator in ("==", "!="):
                shown = self.text.text[other.start : other.end]
                test = f"{shown} is null" if operator == "==" else f"{shown} is not null"
                span = parser.span_of(tree, self.text)
                self.findings.error("a comparison with null is never true", span, hint=f"write `{test}`")
        return self._binary(str(operator), tree)

    def _arithmetic(self, tree: Tree) -> Expression:
        return self._binary(str(tree.children[1]), tree)

    def _choice(self, tree: Tree) -> Expression:
        condition, then, otherwise = (self.build(each) for each in tree.children if isinstance(each, Tree))
        return Choice(condition, then, otherwise, parser.span_of(tree, self.text))

    def _negation(self, tree: Tree) -> Expression:
        return Unary("not", self.build(tree.children[-1]), parser.span_of(tree, self.text))

    def _minus(self, tree: Tree) -> Expression:
        inside = self.build(tree.children[-1])
        span = parser.span_of(tree, self.text)
        if isinstance(inside, Literal) and isinstance(inside.value, int | Decimal):
            return Literal(-inside.value, span)
        return Unary("-", inside, span)

    def _negated(self, tree: Tree, built: Expression) -> Expression:
        negated = any(isinstance(each, Token) and each.type == "NOT" for each in tree.children)
        return Unary("not", built, parser.span_of(tree, self.text)) if negated else built

    def _membership(self, tree: Tree) -> Expression:
        item, *options = (self.build(each) for each in tree.children if isinstance(each, Tree))
        return self._negated(tree, Membership(item, tuple(options), parser.span_of(tree, self.text)))

    def _null_test(self, tree: Tree) -> Expression:
        return self._negated(tree, NullTest(self.build(tree.children[0]), parser.span_of(tree, self.text)))

    def _matching(self, tree: Tree) -> Expression:
        token = tree.children[-1]
        pattern = pattern_between_slashes(token, self.text, self.findings)
        built = Matching(self.build(tree.children[0]), pattern or "", parser.span_of(tree, self.text))
        return self._negated(tree, built)

    def _call(self, tree: Tree) -> Expression:
        name, *arguments = tree.children
        built = tuple(self.build(each) for each in arguments if each is not None)
        return Call(str(name), built, parser.span_of(tree, self.text))

    def _member(self, tree: Tree) -> Expression:
        reference, *path = [str(each) for each in tree.children]
        if len(path) > MAX_PATH:
            self.findings.error(f"a path of more than {MAX_PATH} steps", parser.span_of(tree, self.text))
            path = path[:1]
        return Member(reference, ".".join(path), parser.span_of(tree, self.text))

    def _name(self, tree: Tree) -> Expression:
        name = str(tree.children[0])
        return self.known.bound.get(name) or Name(name, parser.span_of(tree, self.text))

    def _draw(self, tree: Tree) -> Expression:
        """A value that is drawn in place."""
        self.known.drawn += 1
        number = self.known.drawn
        phrase = self.inner(tree.children[-1], "`draw(…)`")
        return Draw(phrase, number, tuple(expressions_in(phrase)), self.span(tree))

    def _null(self, tree: Tree) -> Expression:
        return Literal(None, parser.span_of(tree, self.text))

    def _truth(self, tree: Tree) -> Expression:
        return Literal(tree.children[0].type == "TRUE", parser.span_of(tree, self.text))

    def _number(self, tree: Tree) -> Expression:
        return Literal(number(tree, self.text, self.findings), parser.span_of(tree, self.text))

    def _duration(self, tree: Tree) -> Expression:
        return Literal(duration(tree, self.text, self.findings), parser.span_of(tree, self.text))

    def _day(self, tree: Tree) -> Expression:
        return self._calendar(tree, date.fromisoformat, date(2000, 1, 1))

    def _clock(self, tree: Tree) -> Expression:
        span = parser.span_of(tree, self.text)
        try:
            return Literal(time.fromisoformat(str(tree.children[0])), span)
        except ValueError:
            self.findings.error(f"`{tree.children[0]}` is not a time of day", span, "00:00 to 23:59:59")
            return Literal(time(), span)

    def _moment(self, tree: Tree) -> Expression:
        return self._calendar(tree, datetime.fromisoformat, datetime(2000, 1, 1))

    def _calendar(self, tree: Tree, read: Callable[[str], date], stand_in: date) -> Expression:
        span = parser.span_of(tree, self.text)
        try:
            return Literal(read(str(tree.children[0])), span)
        except ValueError:
            self.findings.error(f"`{tree.children[0]}` is not a calendar date", span, "a date such as 2026-06-01")
            return Literal(stand_in, span)

    def _string(self, tree: Tree) -> Expression:
        return Literal(text_of(tree.children[0], self.text, self.findings), parser.span_of(tree, self.text))

    def weights(self, given: list[Tree | None], span: Span) -> tuple[list[float], bool]:
        """Return weights that add up to 1, and whether any were given."""
        sorts = {str(each.data) for each in given if each is not None}
        if len(sorts) > 1:
            self.findings.error("shares and multiples are mixed", span, "all weights as 55%, or all as * 3")
            return [1 / len(given)] * len(given), False
        if not sorts:
            return [1 / len(given)] * len(given), False
        amounts = [float(str(each.children[-1]).rstrip("% ")) if each is not None else None for each in given]
        if sorts == {"times"}:
            weights = [1.0 if each is None else each for each in amounts]
        else:
            asked = sum(each for each in amounts if each is not None)
            free = amounts.count(None)
            if wrong := faulty_sum([str(each.children[-1]) for each in given if each is not None], rest=free > 0):
                advice = "100%, or an item without a share, which takes the rest"
                self.findings.error(f"the shares add up to {wrong}", span, advice)
            rest = max(100 - asked, 0) / free if free else 0
            weights = [rest if each is None else each for each in amounts]
        total = sum(weights)
        if total <= 0:
            self.findings.error("all weights are 0", span, "at least one weight above 0")
            return [1 / len(given)] * len(given), False
        return [each / total for each in weights], True

    def template(self, token: Token) -> Template:
        """Return the parts of `"… {expression} …"`; `{{` and `}}` stand for single braces."""
        place = token_text(token, self.text)
        faults: list[tuple[int, str]] = []
        chars = strings.characters(str(token), lambda offset, message: faults.append((offset, message)))
        for offset, message in faults:
            self.findings.error(message, place.span(offset, offset + 1))
        parts: list[Expression] = []
        plain = ""
        at = 0
        while at < len(chars):
            char, offset = chars[at]
            following = chars[at + 1][0] if at + 1 < len(chars) else ""
            if char in "{}" and following == char:
                plain += char
                at += 2
            elif char == "{" and len(parts) > MAX_PARTS:
                self.findings.error(
                    f"more than {MAX_PARTS} parts", place.span(offset, offset + 1), "shorter texts, joined by `&`"
                )
                break
            elif char == "{":
                close = _closing_brace([each for each, _ in chars], at)
                if close is None:
                    self.findings.error(
                        "a brace that is never closed", place.span(offset, offset + 1), "`{expression}`"
                    )
                    break
                inner = Text("".join(each for each, _ in chars[at + 1 : close]), ()).text
                at_inner = tuple(place.at[each] for _, each in chars[at + 1 : close + 1])
                parts += [Literal(plain, place.span())] if plain else []
                plain = ""
                found = self.expression(Text(inner, at_inner))
                parts += [found] if found is not None else []
                at = close + 1
            elif char == "}":
                self.findings.error(
                    "a closing brace without an opening one", place.span(offset, offset + 1), hint="write `}}`"
                )
                break
            else:
                plain += char
                at += 1
        parts += [Literal(plain, place.span())] if plain or not parts else []
        return Template(tuple(parts), place.span())

    def of(self, text: Text) -> Builder:
        """Return the builder of another text in the same context."""
        return Builder(text, self.findings, self.known, self.inner)

    def expression(self, text: Text, cut: str | None = None) -> Expression | None:
        """Read another text as an expression; None if it cannot be parsed."""
        if not text.text.strip():
            self.findings.error("an expression is missing", text.span(0, 1), "a condition such as `party > 6`")
            return None
        tree = parser.parse(text, "expression", self.findings, cut)
        return self.of(text).build(tree) if tree is not None else None


def token_text(token: Token, text: Text) -> Text:
    """Return the characters of a token with their offsets."""
    return text.cut(token.start, token.end)


def number(tree: Tree, text: Text, findings: Findings) -> int | Decimal:
    """Return the value of a number; decimals keep their places."""
    written = "".join(str(each) for each in tree.children if each is not None)
    if len(written.strip("-").replace(".", "").lstrip("0")) > MAX_DIGITS:
        findings.error("a number of more than 18 digits", parser.span_of(tree, text), "at most 18 digits")
        return LARGEST
    return Decimal(written) if "." in written else int(written)


def duration(tree: Tree, text: Text, findings: Findings) -> Duration:
    """Return the value of a duration such as `14d`."""
    written = str(tree.children[0])
    digits = written.rstrip("abcdefghijklmnopqrstuvwxyz")
    unit = written[len(digits) :]
    amount = Decimal(digits)
    whole = amount == amount.to_integral_value()
    if len(digits) > 9 or (unit in ("y", "mo", "w", "d") and not whole):
        advice = "whole years, months, weeks and days; for parts of a day use h, min, s"
        findings.error(f"`{written}` is not a duration", parser.span_of(tree, text), advice)
        return Duration()
    if unit in ("y", "mo"):
        return Duration(months=int(amount) * (12 if unit == "y" else 1))
    return Duration(microseconds=int(amount * UNITS[unit]), in_days=unit in ("w", "d"))


def text_of(token: Token, text: Text, findings: Findings) -> str:
    """Return the text inside a quoted token."""

    def complain(offset: int, message: str) -> None:
        findings.error(message, token_text(token, text).span(offset, offset + 1))

    return strings.unquote(str(token), complain)


def pattern_between_slashes(token: Token, text: Text, findings: Findings) -> str | None:
    r"""Return the regular expression of a `/…/` token if it is usable; `\/` stands for a slash."""
    source = str(token)[1:-1].replace("\\/", "/")
    try:
        return parse_pattern(source).source
    except PatternFault as fault:
        at = fault.at + 1 + str(token)[1:].count("\\/", 0, fault.at + 1)
        findings.error(f"in the pattern: {fault}", token_text(token, text).span(at, at + 1))
        return None


def _closing_brace(chars: list[str], start: int) -> int | None:
    quote = ""
    for at in range(start + 1, len(chars)):
        if quote:
            quote = "" if chars[at] == quote else quote
        elif chars[at] in "\"'":
            quote = chars[at]
        elif chars[at] == "}":
            return at
    return None


def all_of(conditions: list[Expression]) -> Expression | None:
    """Join conditions with `and`; None for no condition."""
    return reduce(lambda left, right: Binary("and", left, right, right.span), conditions) if conditions else None
