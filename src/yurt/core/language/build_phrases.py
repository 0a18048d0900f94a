"""From the parse tree of a phrase to its model: the head, and the clauses around it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from lark import Token, Tree

from yurt.core.language import grammar
from yurt.core.language.build_expressions import (
    Expressions,
    duration,
    number,
    pattern_between_slashes,
    template,
    text_of,
)  # fmt: skip
from yurt.core.language.diagnostics import Findings, Span
from yurt.core.language.expressions import Expression, Literal, walk
from yurt.core.language.words import DAYS, DISTRIBUTIONS
from yurt.core.language.yaml_nodes import Text
from yurt.core.model import (
    Boolean,
    Count,
    Date,
    DateTime,
    DecimalNumber,
    Derived,
    Head,
    Integer,
    ItemValue,
    KindOf,
    Matching,
    OneOf,
    Phrase,
    Range,
    Reference,
    Sequence,
    Usually,
    Uuid,
)  # fmt: skip
from yurt.core.nearest import did_you_mean
from yurt.core.patterns.parse import MAX_LENGTH
from yurt.core.patterns.parse import parse as parse_pattern
from yurt.core.patterns.tree import Characters, Pattern, Repeat, by_example

OPTIONAL_SHARE = 0.1
LETTERS = "abcdefghijklmnopqrstuvwxyz"
EXAMPLES = {"integer": "integer 1..12", "decimal": "decimal 18.00..95.00", "date": "date 2026-06-15..2026-09-30",
            "datetime": "datetime 2026-06-15T08:00..2026-06-15T18:00"}  # fmt: skip


@dataclass
class Draft:
    """What one phrase says: the phrase itself and the clauses that belong to the field as a whole."""

    phrase: Phrase
    unique: bool = False
    hidden: bool = False
    optional: bool = False
    only_if: Expression | None = None
    named: str | None = None


class Phrases(Expressions):
    """Builds the phrase of one text."""

    def draft(self, tree: Tree) -> Draft:
        head_tree, *clauses = tree.children
        make: Callable[[Tree], Head] = getattr(self, f"_head_{head_tree.data}")
        head = make(head_tree)
        draft = Draft(Phrase(head, span=grammar.span_of(tree, self.text)))
        usually: Usually | None = None
        missing: float | None = None
        missing_if: Expression | None = None
        seen: set[str] = set()
        for clause in clauses:
            name = str(clause.data).replace("usually_on", "usually").replace("_", " ")
            span = grammar.span_of(clause, self.text)
            if name in seen:
                self.findings.error(f"`{name}` stands here twice", span)
            seen.add(name)
            if name == "usually":
                usually = self._usually(clause, span)
            elif name == "missing":
                _, share, *condition = clause.children
                missing = self._percentage(share, span)
                missing_if = self.build(condition[-1]) if isinstance(condition[-1], Tree) else None
            elif name == "only if":
                draft.only_if = self.build(clause.children[-1])
            elif name == "named":
                draft.named = text_of(clause.children[-1], self.text, self.findings)
            else:
                setattr(draft, name, True)
        if missing is None:
            missing = OPTIONAL_SHARE if draft.optional else 0.0
        draft.phrase = Phrase(head, usually, missing, missing_if, draft.phrase.span)
        return draft

    # ---- heads -------------------------------------------------------------------------------------------------

    def _range(self, tree: Tree | None, head: str, whole: Tree) -> Range:
        if tree is None:
            span = grammar.span_of(whole, self.text)
            self.findings.error(f"`{head}` needs a range", span, f"for example `{EXAMPLES[head]}`")
            return Range(Literal(0, span), Literal(0, span))
        return Range(self.build(tree.children[0]), self.build(tree.children[1]))

    def _head_integer(self, tree: Tree) -> Head:
        _, range_tree, _, step_tree = tree.children
        step = number(step_tree, self.text, self.findings) if step_tree is not None else 1
        if not isinstance(step, int) or step < 1:
            self.findings.error(
                "the step of an integer is a whole number from 1", grammar.span_of(step_tree, self.text)
            )
            step = 1
        return Integer(self._range(range_tree, "integer", tree), step)

    def _head_decimal(self, tree: Tree) -> Head:
        _, range_tree, _, step_tree = tree.children
        found = self._range(range_tree, "decimal", tree)
        step = Decimal(number(step_tree, self.text, self.findings)) if step_tree is not None else None
        written = [each.value for end in (found.low, found.high) for each in walk(end) if isinstance(each, Literal)]
        decimals = [each for each in [*written, step] if isinstance(each, Decimal)]
        places = max((-int(each.as_tuple().exponent) for each in decimals), default=0)
        if not places:
            self.findings.error(
                "a decimal without places", grammar.span_of(tree, self.text), "places in a bound or step: 18.00..95.00"
            )
            places = 2
        units = int(step.scaleb(places)) if step is not None else 1
        if units < 1:
            self.findings.error("a step of 0", grammar.span_of(step_tree, self.text), "a step above 0")
        return DecimalNumber(found, places, max(units, 1))

    def _head_date(self, tree: Tree) -> Head:
        return Date(self._range(tree.children[1], "date", tree))

    def _head_datetime(self, tree: Tree) -> Head:
        _, range_tree, _, step_tree = tree.children
        step = duration(step_tree, self.text, self.findings).microseconds if step_tree is not None else 1_000_000
        if step < 1:
            self.findings.error(
                "the step is not a length in w, d, h, min, s or ms", grammar.span_of(step_tree, self.text)
            )
        return DateTime(self._range(range_tree, "datetime", tree), max(step, 1))

    def _head_text(self, tree: Tree) -> Head:
        sizes = [number(each, self.text, self.findings) for each in tree.children[1:] if each is not None]
        lengths = [each for each in sizes if isinstance(each, int)]
        span = grammar.span_of(tree, self.text)
        if not lengths or len(lengths) != len(sizes):
            example = "a length such as `text 3..20`, or a text in quotes"
            self.findings.error("`text` needs a length or a quoted text", span, example)
            return Matching(Pattern("", Characters("a")))
        low, high = lengths[0], lengths[-1]
        if not 0 <= low <= high <= MAX_LENGTH:
            self.findings.error(
                f"the length {low}..{high} is not possible", span, f"0 to {MAX_LENGTH:,}, the lower first"
            )
            low = high = 1
        return Matching(Pattern(f"[a-z]{{{low},{high}}}", Repeat(Characters(LETTERS), low, high)))

    def _head_template(self, tree: Tree) -> Head:
        return Derived(template(tree.children[1], self.text, self.findings))

    def _head_boolean(self, tree: Tree) -> Head:
        share = tree.children[1]
        return Boolean(self._percentage(share, grammar.span_of(tree, self.text)) if share is not None else 0.5)

    def _head_pattern(self, tree: Tree) -> Head:
        source = pattern_between_slashes(tree.children[-1], self.text, self.findings)
        return Matching(parse_pattern(source or ""))

    def _head_like(self, tree: Tree) -> Head:
        example = text_of(tree.children[1], self.text, self.findings)
        if not example or len(example) > MAX_LENGTH:
            span = grammar.span_of(tree, self.text)
            self.findings.error("an example that is empty or too long", span, 'for example `like "HK-40218"`')
            example = "A"
        return Matching(by_example(example))

    def _head_sequence(self, tree: Tree) -> Head:
        _, _, start, _, step = tree.children
        values = [number(each, self.text, self.findings) if each is not None else 1 for each in (start, step)]
        if not all(isinstance(each, int) for each in values) or not values[1]:
            self.findings.error(
                "a sequence counts in whole numbers", grammar.span_of(tree, self.text), "`sequence from 10001 step 5`"
            )
            return Sequence()
        return Sequence(int(values[0]), int(values[1]))

    def _head_uuid(self, tree: Tree) -> Head:
        return Uuid()

    def _head_ref(self, tree: Tree) -> Head:
        return Reference(str(tree.children[1]))

    def _head_derived(self, tree: Tree) -> Head:
        return Derived(self.build(tree.children[-1]))

    def _head_kind(self, tree: Tree) -> Head:
        return KindOf(str(tree.children[0]))

    def _head_one_of(self, tree: Tree) -> Head:
        items = [each for each in tree.children if isinstance(each, Tree)]
        tokens = [each.children[0] for each in items]
        for token in tokens:
            if token[0] in grammar.LOOKALIKES:
                at = self.text.span(token.start_pos, (token.start_pos or 0) + 1)
                hint = f"write `{grammar.LOOKALIKES[token[0]]}` instead"
                self.findings.error(f"`{token[0]}` is a typographic character", at, hint=hint)
        values = self._values(tokens)
        seen: dict[ItemValue, Token] = {}
        for value, token in zip(values, tokens, strict=True):
            if value in seen:
                self.findings.error(f"`{token}` is listed twice", self.text.span(token.start_pos, token.end_pos))
            seen[value] = token
        weights, weighted = self._weights([each.children[1] for each in items], grammar.span_of(tree, self.text))
        return OneOf(tuple(values), tuple(weights), weighted)

    def _values(self, tokens: list[Token]) -> list[ItemValue]:
        """Numbers, truth values and dates only when all items are written so in their canonical form; else texts."""
        if not any(token.type == "STRING" for token in tokens):
            for read in CANONICAL:
                values = [read(str(token)) for token in tokens]
                if all(value is not None for value in values):
                    return [value for value in values if value is not None]
        plain = (text_of(each, self.text, self.findings) if each.type == "STRING" else str(each) for each in tokens)
        return list(plain)

    def _weights(self, given: list[Tree | None], span: Span) -> tuple[list[float], bool]:
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
            if asked > 100 + 1e-9 or (not free and abs(asked - 100) > 0.01):
                advice = "100%, or an item without a share, which takes the rest"
                self.findings.error(f"the shares add up to {asked:g}%", span, advice)
            rest = max(100 - asked, 0) / free if free else 0
            weights = [rest if each is None else each for each in amounts]
        total = sum(weights)
        if total <= 0:
            self.findings.error("all weights are 0", span, "at least one weight above 0")
            return [1 / len(given)] * len(given), False
        return [each / total for each in weights], True

    # ---- clauses -----------------------------------------------------------------------------------------------

    def _usually(self, clause: Tree, span: Span) -> Usually:
        if clause.data == "usually_on":
            words = [each for each in clause.children if isinstance(each, Token) and each.type == "WORD"]
            for word in words:
                if str(word) not in DAYS:
                    at = self.text.span(word.start_pos, word.end_pos)
                    self.findings.error(f"`{word}` is not a weekday", at, ", ".join(DAYS), did_you_mean(word, DAYS))
            days = tuple(DAYS.index(str(word)) for word in words if str(word) in DAYS)
            return Usually("on", days=tuple(sorted(set(days))), span=span)
        _, word, *given = clause.children
        arguments = tuple(self.build(each) for each in given if each is not None)
        name = str(word)
        if name not in DISTRIBUTIONS:
            at = self.text.span(word.start_pos, word.end_pos)
            known = (*DISTRIBUTIONS, "on")
            self.findings.error(f"unknown distribution `{name}`", at, ", ".join(known), did_you_mean(name, known))
            return Usually("uniform", span=span)
        rules, shape = DISTRIBUTIONS[name]
        wanted = len(rules)
        if len(arguments) != wanted:
            self.findings.error(
                f"`{name}` takes {wanted} argument{'s' * (wanted != 1)}, not {len(arguments)}", span, shape
            )
            return Usually("uniform", span=span)
        return Usually(name, arguments, span=span)

    def _percentage(self, token: Token, span: Span) -> float:
        share = float(str(token).rstrip("% ")) / 100
        if share > 1:
            self.findings.error(f"{token} is more than everything", span, "0% to 100%")
        return min(share, 1.0)


def _canonical_integer(written: str) -> int | None:
    digits = written.removeprefix("-")
    canonical = digits.isascii() and digits.isdecimal() and str(int(digits)) == digits and len(digits) <= 18
    return int(written) if canonical else None


def _canonical_decimal(written: str) -> Decimal | None:
    whole, point, places = written.removeprefix("-").partition(".")
    canonical = _canonical_integer(whole) is not None and (not point or (places.isascii() and places.isdecimal()))
    return Decimal(written) if canonical and len(whole + places) <= 18 else None


def _canonical_truth(written: str) -> bool | None:
    return {"true": True, "false": False}.get(written)


def _canonical_date(written: str) -> date | None:
    try:
        return date.fromisoformat(written) if len(written) == 10 else None
    except ValueError:
        return None


CANONICAL: tuple[Callable[[str], ItemValue | None], ...] = (
    _canonical_integer, _canonical_decimal, _canonical_truth, _canonical_date,
)  # fmt: skip


def table_values(keys: list[str]) -> list[tuple[ItemValue, ...]]:
    """Return the values that the rows of a `by` table name, separated by `|`, by the rules of `one of`."""
    parts = [[each.strip() for each in key.split("|")] for key in keys]
    flat = [each for row in parts for each in row]
    for read in CANONICAL:
        if all(read(each) is not None for each in flat):
            return [tuple(value for each in row if (value := read(each)) is not None) for row in parts]
    return [tuple(each[1:-1] if each[:1] == each[-1:] and each[:1] in "\"'" else each for each in row) for row in parts]


def phrase(text: Text, findings: Findings, cut: str | None = None) -> Draft | None:
    """Read a text as a phrase; None when it cannot be parsed."""
    tree = grammar.parse(text, "phrase", findings, cut)
    return Phrases(text, findings).draft(tree) if tree is not None else None


def count(text: Text, findings: Findings) -> Count:
    """Read the count of a record type: `24`, `20..30` or `0..5 per hiker`."""
    span = text.span()
    tree = grammar.parse(text, "count", findings) if text.text.strip() else None
    if tree is None:
        if not text.text.strip():
            findings.error("the count is missing", text.span(0, 1), grammar.COUNT_EXAMPLE)
        return Count(0, 0, span=span)
    low_tree, high_tree, _, per = tree.children
    low = number(low_tree, text, findings)
    high = number(high_tree, text, findings) if high_tree is not None else low
    if not isinstance(low, int) or not isinstance(high, int) or high < low:
        findings.error("a count is a whole number, the lower one first", span, grammar.COUNT_EXAMPLE)
        return Count(0, 0, span=span)
    return Count(low, high, str(per) if per is not None else None, span)
