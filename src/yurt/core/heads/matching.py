"""The heads with a pattern: `/regex/`, `like "HK-40218"`, `text 3..20 of Greek`."""

from __future__ import annotations

from datetime import date

from yurt.core.base.nearest import did_you_mean
from yurt.core.base.types import TEXT
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.head import Describer, HeadRule, NotUnique
from yurt.core.model import Matching, OneOf, Phrase, Schema
from yurt.core.model.restriction import left_of_pattern
from yurt.core.patterns.automaton import capacity
from yurt.core.patterns.charsets import POSIX, PRINTABLE, charset, scripts
from yurt.core.patterns.parse import MAX_LENGTH, UNBOUNDED, PatternFault, parse
from yurt.core.patterns.tree import Characters, Pattern, Repeat, by_example

LETTERS = "abcdefghijklmnopqrstuvwxyz"


def pattern(builder: Builder, tree: Tree) -> Matching:
    """Return the head of `/regex/`."""
    return Matching(parse(builder.pattern(tree.children[-1]) or ""))


def like(builder: Builder, tree: Tree) -> Matching:
    """Return the head of `like "HK-40218"`."""
    example = builder.quoted(tree.children[1])
    if not example or len(example) > MAX_LENGTH:
        builder.findings.error(
            "an example that is empty or too long", builder.span(tree), 'for example `like "HK-40218"`'
        )
        example = "A"
    return Matching(by_example(example))


def text(builder: Builder, tree: Tree) -> Matching:
    """Return the head of `text 3..20 of Greek`."""
    _, low_tree, up_to, _, charset_tree = tree.children
    high_tree = up_to.children[0] if up_to is not None else None
    sizes = [builder.number(each) for each in (low_tree, high_tree) if each is not None]
    lengths = [each for each in sizes if isinstance(each, int)]
    span = builder.span(tree)
    if not lengths or len(lengths) != len(sizes):
        example = "a length such as `text 3..20`, or a text in quotes"
        builder.findings.error("`text` needs a length or a quoted text", span, example)
        return Matching(Pattern("", Characters("a")))
    low, high = lengths[0], lengths[-1]
    if not 0 <= low <= high <= MAX_LENGTH:
        expected = f"0 to {MAX_LENGTH:,}, the lower one first"
        builder.findings.error(f"the length {low}..{high} is not possible", span, expected)
        low = high = 1
    inner = Characters(PRINTABLE, but="")
    if charset_tree is None or not _is_any(charset_tree):
        inner = Characters(_charset(builder, charset_tree) if charset_tree is not None else LETTERS)
    written = " ".join(builder.text.text[tree.start : tree.end].split())
    unlimited = up_to is not None and high_tree is None
    repeat = Repeat(inner, low, min(low + UNBOUNDED, MAX_LENGTH), unlimited) if unlimited else Repeat(inner, low, high)
    return Matching(Pattern(written, repeat))


def _is_any(tree: Tree) -> bool:
    return len(tree.children) == 1 and str(tree.children[0]) == "any"


def _charset(builder: Builder, tree: Tree) -> str:
    """Return the characters of POSIX classes, scripts, and quoted texts together."""
    found: set[str] = set()
    for token in tree.children:
        span = builder.place(token)
        if token.type == "STRING":
            chars = builder.quoted(token)
            if not chars:
                builder.findings.error("a set without characters", span, 'the characters themselves: "abc-_"')
        elif (known := charset(str(token))) is None:
            hint = did_you_mean(str(token), [*POSIX, *scripts()])
            expected = (
                "`any` alone, a POSIX class (" + ", ".join(POSIX) + "), a Unicode script such as Greek, or a quoted set"
            )
            builder.findings.error(f"`{token}` is not a set of characters", span, expected, hint)
            continue
        else:
            chars = known
        found.update(chars)
    return "".join(sorted(found - {"\0"})) or "a"


def _described(head: Matching, writer: Describer) -> str:
    source = head.pattern.source
    return writer.cut(source if source.startswith(("text ", "like ")) else f"/{source}/")


def _cardinality(head: Matching, phrase: Phrase, today: date, schema: Schema) -> int:
    narrowed = phrase.narrowed
    try:
        left = left_of_pattern(head.pattern, narrowed) if narrowed is not None else head.pattern
        if left is None:
            return 0
        if isinstance(left, OneOf):
            return len(left.values)
        if narrowed is not None and narrowed.matching is not None:
            raise NotUnique("too many texts match to list them; write a single pattern")
        return capacity(left)
    except PatternFault as fault:
        raise NotUnique(str(fault)) from None


HEAD = HeadRule(
    Matching,
    {"matching_pattern": pattern, "matching_like": like, "matching_text": text},
    lambda head, scope, record: TEXT,
    _described,
    _cardinality,
    # A character takes up to four bytes while a text is composed.
    lambda head, scope: 4 * head.pattern.longest,
)
