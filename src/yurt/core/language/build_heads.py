"""From the parse tree of a head to its model."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from decimal import Decimal
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError, available_timezones

from lark import Token, Tree

from yurt.core import model
from yurt.core.base.nearest import did_you_mean
from yurt.core.kinds.catalogue import KINDS
from yurt.core.language import grammar
from yurt.core.language.build_expressions import (
    Expressions,
    duration,
    number,
    pattern_between_slashes,
    text_of,
    token_text,
)
from yurt.core.model import Head, ItemValue, Range
from yurt.core.model.expressions import Expression, Literal, Name, walk
from yurt.core.patterns.charsets import POSIX, charset, scripts
from yurt.core.patterns.parse import MAX_LENGTH
from yurt.core.patterns.parse import parse as parse_pattern
from yurt.core.patterns.tree import Characters, Pattern, Repeat, by_example
from yurt.core.source.diagnostics import Span

LETTERS = "abcdefghijklmnopqrstuvwxyz"
EXAMPLES = {"integer": "integer 1..12", "decimal": "decimal 18.00..95.00", "date": "date 2026-06-15..2026-09-30",
            "time": "time 08:00..22:00", "duration": "duration 30min..8h",
            "datetime": "datetime 2026-06-15T08:00..2026-06-15T18:00"}  # fmt: skip
MAX_BYTES = 5000
MAX_ITEMS = 1000
DAY = 86_400_000_000


class Heads(Expressions):
    """Builds heads."""

    def head(self, tree: Tree) -> Head:
        """Return the head of a tree."""
        make: Callable[[Tree], Head] = getattr(self, f"_head_{tree.data}")
        return make(tree)

    # ---- ranges ------------------------------------------------------------------------------------------------

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
        return model.Integer(self._range(range_tree, "integer", tree), step)

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
        return model.DecimalNumber(found, places, max(units, 1))

    def _head_date(self, tree: Tree) -> Head:
        return model.Date(self._range(tree.children[1], "date", tree))

    def _head_time(self, tree: Tree) -> Head:
        _, range_tree, _, step_tree = tree.children
        return model.Time(self._range(range_tree, "time", tree), self._step(step_tree, 60_000_000))

    def _head_datetime(self, tree: Tree) -> Head:
        _, range_tree, _, step_tree, _, zone = tree.children
        if zone is not None and not _zone_exists(str(zone)):
            hint = did_you_mean(str(zone), available_timezones())
            expected = "a zone such as Europe/Vienna, utc or +02:00"
            self.findings.error(f"there is no zone `{zone}`", token_text(zone, self.text).span(), expected, hint)
            zone = None
        found = self._range(range_tree, "datetime", tree)
        return model.DateTime(found, self._step(step_tree, 1_000_000), str(zone) if zone is not None else None)

    def _head_duration_head(self, tree: Tree) -> Head:
        _, range_tree, _, step_tree = tree.children
        found = self._range(range_tree, "duration", tree)
        step = self._step(step_tree, 0)
        written = [each for end in (found.low, found.high) for each in walk(end) if isinstance(each, Literal)]
        in_days = not step and all(getattr(each.value, "in_days", True) for each in written)
        return model.DurationRange(found, 1 if in_days else step or 60_000_000, in_days)

    def _step(self, tree: Tree | None, default: int) -> int:
        """Return a step in microseconds."""
        step = duration(tree, self.text, self.findings).microseconds if tree is not None else default
        if tree is not None and step < 1:
            message = "the step is not a length in w, d, h, min, s or ms"
            self.findings.error(message, grammar.span_of(tree, self.text))
        return max(step, 1) if tree is not None else step

    # ---- texts -------------------------------------------------------------------------------------------------

    def _head_text(self, tree: Tree) -> Head:
        _, low_tree, high_tree, _, charset_tree = tree.children
        sizes = [number(each, self.text, self.findings) for each in (low_tree, high_tree) if each is not None]
        lengths = [each for each in sizes if isinstance(each, int)]
        span = grammar.span_of(tree, self.text)
        if not lengths or len(lengths) != len(sizes):
            example = "a length such as `text 3..20`, or a text in quotes"
            self.findings.error("`text` needs a length or a quoted text", span, example)
            return model.Matching(Pattern("", Characters("a")))
        low, high = lengths[0], lengths[-1]
        if not 0 <= low <= high <= MAX_LENGTH:
            self.findings.error(
                f"the length {low}..{high} is not possible", span, f"0 to {MAX_LENGTH:,}, the lower first"
            )
            low = high = 1
        chars = self._charset(charset_tree) if charset_tree is not None else LETTERS
        written = " ".join(self.text.text[tree.meta.start_pos : tree.meta.end_pos].split())
        return model.Matching(Pattern(written, Repeat(Characters(chars), low, high)))

    def _charset(self, tree: Tree) -> str:
        """Return the characters of POSIX classes, scripts and quoted texts together."""
        found: set[str] = set()
        for token in tree.children:
            span = token_text(token, self.text).span()
            if token.type == "STRING":
                chars = text_of(token, self.text, self.findings)
                if not chars:
                    self.findings.error("a set without characters", span, 'the characters themselves: "abc-_"')
            elif (known := charset(str(token))) is None:
                hint = did_you_mean(str(token), [*POSIX, *scripts()])
                expected = "a POSIX class (" + ", ".join(POSIX) + "), a Unicode script such as Greek, or a quoted set"
                self.findings.error(f"`{token}` is not a set of characters", span, expected, hint)
                continue
            else:
                chars = known
            found.update(chars)
        return "".join(sorted(found - {"\0"})) or "a"

    def _head_template(self, tree: Tree) -> Head:
        return model.Derived(self.template(tree.children[1]))

    def _head_pattern(self, tree: Tree) -> Head:
        source = pattern_between_slashes(tree.children[-1], self.text, self.findings)
        return model.Matching(parse_pattern(source or ""))

    def _head_like(self, tree: Tree) -> Head:
        example = text_of(tree.children[1], self.text, self.findings)
        if not example or len(example) > MAX_LENGTH:
            span = grammar.span_of(tree, self.text)
            self.findings.error("an example that is empty or too long", span, 'for example `like "HK-40218"`')
            example = "A"
        return model.Matching(by_example(example))

    def _head_bytes(self, tree: Tree) -> Head:
        _, *size_trees, base = tree.children
        sizes = [number(each, self.text, self.findings) for each in size_trees if each is not None]
        low, high = sizes[0], sizes[-1]
        if not (isinstance(low, int) and isinstance(high, int) and 1 <= low <= high <= MAX_BYTES):
            span = grammar.span_of(tree, self.text)
            self.findings.error("a number of bytes that is not possible", span, f"1 to {MAX_BYTES:,}: `bytes 16`")
            low = high = 1
        return model.Bytes(low, high, base == "base64")

    # ---- identifiers, links ------------------------------------------------------------------------------------

    def _head_boolean(self, tree: Tree) -> Head:
        share = tree.children[1]
        return model.Boolean(self._percentage(share, grammar.span_of(tree, self.text)) if share is not None else 0.5)

    def _percentage(self, token: Token, span: Span) -> float:
        share = float(str(token).rstrip("% ")) / 100
        if share > 1:
            self.findings.error(f"{token} is more than everything", span, "0% to 100%")
        return min(share, 1.0)

    def _head_sequence(self, tree: Tree) -> Head:
        _, _, start, _, step = tree.children
        values = [number(each, self.text, self.findings) if each is not None else 1 for each in (start, step)]
        if not all(isinstance(each, int) for each in values) or not values[1]:
            self.findings.error(
                "a sequence counts in whole numbers", grammar.span_of(tree, self.text), "`sequence from 10001 step 5`"
            )
            return model.Sequence()
        return model.Sequence(int(values[0]), int(values[1]))

    def _head_uuid(self, tree: Tree) -> Head:
        return model.Uuid(7 if tree.children[1] == "v7" else 4)

    def _head_every(self, tree: Tree) -> Head:
        step = duration(tree.children[1], self.text, self.findings)
        if not step.microseconds and not step.months:
            self.findings.error("a step of 0", grammar.span_of(tree.children[1], self.text), "a step such as 15min")
        return model.TimeSeries(self.build(tree.children[3]), step)

    def _head_ref(self, tree: Tree) -> Head:
        return model.Reference(str(tree.children[1]))

    def _head_derived(self, tree: Tree) -> Head:
        return model.Derived(self.build(tree.children[-1]))

    def _head_kind(self, tree: Tree) -> Head:
        name, *given, _, of = tree.children
        arguments = self.arguments(str(name), tree, [each for each in given if each is not None])
        return model.KindOf(str(name), str(of) if of is not None else "", arguments=arguments)

    def arguments(self, name: str, tree: Tree, given: list[Tree]) -> tuple[tuple[str, tuple[Expression, ...]], ...]:
        """Return what a kind of the catalogue is told: each parameter with its values."""
        if name not in KINDS:
            return ()
        known = KINDS[name].parameters
        found: dict[str, tuple[Expression, ...]] = {}
        for position, each in enumerate(given):
            label, value = each.children
            span = grammar.span_of(each, self.text)
            several = value.data == "several"
            parameter = str(label) if label is not None else [*known, ""][min(position, len(known))]
            words = known[parameter].choices if parameter in known else ()
            values = tuple(self._value(part, words) for part in (value.children if several else (value,)))
            if parameter not in known:
                hint = did_you_mean(parameter, known)
                expected = f"{name}({', '.join(f'{one} = …' for one in known)})" if known else f"`{name}` alone"
                what = f"has no parameter `{parameter}`" if parameter else f"takes at most {len(known)} arguments"
                self.findings.error(f"`{name}` {what}", span, expected, hint)
            elif parameter in found:
                self.findings.error(f"`{parameter}` stands here twice", span)
            elif several and not known[parameter].several:
                self.findings.error(f"`{parameter}` has one value", span)
            else:
                found[parameter] = values
        return tuple(found.items())

    def _value(self, tree: Tree, words: tuple[str, ...]) -> Expression:
        """Return what stands for a parameter; one of its words means itself."""
        found = self.build(tree)
        return Literal(found.name, found.span) if isinstance(found, Name) and found.name in words else found

    def _head_list(self, tree: Tree) -> Head:
        raise NotImplementedError

    # ---- lists of values ---------------------------------------------------------------------------------------

    def _head_from_list(self, tree: Tree) -> Head:
        name, column = self._list_and_column(tree.children[1], tree.children[2])
        return model.FromList(name, column)

    def _list_and_column(self, name: Token, column: Token | None) -> tuple[str, str]:
        """Return the names of a value list and its column; a file stands in quotes, as does a column of any name."""
        parts = [
            text_of(each, self.text, self.findings) if each is not None and each.type == "STRING" else str(each or "")
            for each in (name, column)
        ]
        return (f'"{parts[0]}"' if name.type == "STRING" else parts[0]), parts[1]

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
        weights, weighted = self.weights([each.children[1] for each in items], grammar.span_of(tree, self.text))
        return model.OneOf(tuple(values), tuple(weights), weighted)

    def _values(self, tokens: list[Token]) -> list[ItemValue]:
        """Numbers, truth values and dates only when all items are written so in their canonical form; else texts."""
        if not any(token.type == "STRING" for token in tokens):
            return canonical([str(token) for token in tokens])
        return [text_of(each, self.text, self.findings) if each.type == "STRING" else str(each) for each in tokens]

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


def _zone_exists(name: str) -> bool:
    if name[0] in "+-":
        return int(name[1:3]) < 15 and int(name[4:]) < 60
    if name == "utc":
        return True
    try:
        ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        return False
    return True


# ---- values as they are written --------------------------------------------------------------------------------------


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


def canonical(written: list[str]) -> list[ItemValue]:
    """Return numbers, truth values or dates when all are written so in their canonical form, else the texts."""
    for read in CANONICAL:
        values = [read(each) for each in written]
        if all(value is not None for value in values):
            return [value for value in values if value is not None]
    return list(written)


def table_values(keys: list[str]) -> list[tuple[ItemValue, ...]]:
    """Return the values that the rows of a `by` table name, separated by `|`, by the rules of `one of`."""
    parts = [[each.strip() for each in key.split("|")] for key in keys]
    flat = iter(canonical([each for row in parts for each in row]))
    values = [tuple(next(flat) for _ in row) for row in parts]
    return [
        tuple(
            each[1:-1] if isinstance(each, str) and each[:1] == each[-1:] and each[:1] in "\"'" else each
            for each in row
        )
        for row in values
    ]
