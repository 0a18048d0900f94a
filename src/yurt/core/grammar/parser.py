"""Parses phrases, expressions, and counts by the grammar in `phrase.lark`, and reports what was expected instead."""

from __future__ import annotations

import re

from yurt.core.base.nearest import did_you_mean, nearest
from yurt.core.grammar.automaton import Unexpected, automaton
from yurt.core.grammar.habits import ELSEWHERE, SMALL_WORDS, habit_behind, word_at, written_here
from yurt.core.grammar.tree import Tree
from yurt.core.grammar.words import CLAUSES, HEADS, OF_FILES, SOME_CLAUSES, TERMINALS, TYPES
from yurt.core.kinds.catalogue import KINDS
from yurt.core.model.words import EXPRESSION_WORDS
from yurt.core.source.diagnostics import Findings, Span
from yurt.core.source.nodes import HALF, Text

MAX_PHRASE = 20_000
MAX_NESTING = 40
# The maximum depth of a tree: every operator is one level.
MAX_DEPTH = 120
A_CLAUSE = re.compile(rf"(?:{'|'.join(CLAUSES)})(?![\w-])")
COUNT_EXAMPLE = "a number such as 24, a range 20..30, or `0..5 per hiker`"


def parse(text: Text, start: str, findings: Findings, cut: str | None = None) -> Tree | None:
    """Return the tree of a phrase, expression, or count; note a mistake and return None if there is one.

    `cut` is the part of the line that YAML took for a comment, if any.
    """
    if _unreadable(text, start, findings):
        return None
    try:
        tree = automaton().parse(text.text, start)
    except Unexpected as fault:
        _report(fault, text, start, findings, cut)
        return None
    return None if _too_deep(tree, text, findings) else tree


def _too_deep(tree: Tree, text: Text, findings: Findings) -> bool:
    """Note a tree with too many levels, because Python walks trees by recursion. This check does not."""
    waiting = [(tree, 1)]
    while waiting:
        node, depth = waiting.pop()
        if depth > MAX_DEPTH:
            expected = f"at most {MAX_DEPTH} nested parts; move some to helper fields"
            findings.error("nested too deeply", span_of(node, text), expected)
            return True
        waiting += [(each, depth + 1) for each in node.children if isinstance(each, Tree)]
    return False


def _unreadable(text: Text, start: str, findings: Findings) -> bool:
    if len(text.text) > MAX_PHRASE:
        findings.error(f"longer than {MAX_PHRASE:,} characters", text.span(0, 1))
        return True
    if half := HALF.search(text.text):
        findings.error(f"U+{ord(half[0]):04X} is half a character", text.span(half.start(), half.end()))
        return True
    depth = 0
    for at, char in enumerate(text.text):
        depth += (char in "([{") - (char in ")]}")
        if depth > MAX_NESTING:
            expected = f"at most {MAX_NESTING} nested brackets"
            findings.error("nested too deeply", text.span(at, at + 1), expected)
            return True
    return False


def _report(fault: Unexpected, text: Text, start: str, findings: Findings, cut: str | None) -> None:
    """Note the mistake at the spot where the parser stopped."""
    phrase = text.text
    at = len(phrase.rstrip()) if fault.ends else fault.at
    names = fault.expected
    word = word_at(phrase, at)
    span = text.span(at, at + len(word)) if word else text.span(max(at - 1, 0), at)
    # The word where a type begins, directly before the spot.
    head = re.search(r"(?:^|\bdraw *\(|\bof(?: *\()?) *([A-Za-z][\w-]*) *$", phrase[max(at - 60, 0) : at])
    first = head if head and (start == "phrase" or head.start(1)) else None
    if trap := habit_behind(phrase, at, cut, names):
        end = text.at[-1]
        # The part that YAML cut off comes after the text and a space.
        span = Span(end + 1, end + 2) if trap.start == len(phrase) else text.span(trap.start, trap.end)
        findings.error(trap.message, span, hint=trap.hint)
    elif first and first[1] not in (*HEADS, "one"):
        begin = max(at - 60, 0) + first.start(1)
        word, here = first[1], text.span(begin, begin + len(first[1]))
        if word in KINDS:
            findings.error(f"`{word}` is a kind, which has only clauses after it", here, "a comma and a clause")
            return
        hint = written_here(word) or did_you_mean(word, HEADS) or written_here(nearest(word, ELSEWHERE) or "")
        hint = hint or (_expression(phrase, at) if start == "phrase" else None)
        expected = f"a type: {', '.join(TYPES)}; for a column of a file: {', '.join(OF_FILES)}"
        findings.error(f"`{word}` is not a type", here, expected, hint)
    elif "COMMA" in names and start == "phrase" and A_CLAUSE.match(phrase, at):
        findings.error(f"no comma before `{word}`", span, "a comma between the clauses", f"write `, {word}`")
    else:
        message = f"`{word}` is not valid here" if word else "the end of the line is missing"
        hint = _constant(phrase[at:]) if start == "phrase" and "INTEGER" in names else None
        hint = hint or (_expression(phrase, at) if start == "phrase" else None)
        hint = hint or (_nearest_word(phrase, at, names) if word else None)
        findings.error(message, span, _expected(names, start), hint)


def _constant(rest: str) -> str | None:
    """Return the hint for a bare value in place of a type."""
    value = re.fullmatch(r"-?\d[\d.:T-]*|\"[^\"]*\"", rest.strip())
    return f"a constant is written `= {value.group()}`" if value else None


def _expression(phrase: str, at: int) -> str | None:
    """Return the hint for an expression without the mark that begins it."""
    if "=" in phrase[:at] or not re.match(r"[-+*/%<>]|[=!]=", phrase[at:]):
        return None
    return f"an expression is written `= {phrase.strip()}`"


def _nearest_word(phrase: str, at: int, names: list[str]) -> str | None:
    """Return the hint with the most similar word that is possible here."""
    candidates = {TERMINALS.get(name, "") for name in names} & {*HEADS, *CLAUSES, *EXPRESSION_WORDS, *SMALL_WORDS}
    two_words = re.compile(r"[\w-]+( [A-Za-z]+)?").match(phrase, at)
    hint = did_you_mean(two_words.group(), candidates) if two_words else None
    return hint or did_you_mean(word_at(phrase, at), candidates)


def _expected(names: list[str], start: str) -> str | None:
    """Describe in a few words what is possible at the spot."""
    if start == "count":
        return COUNT_EXAMPLE
    if "INTEGER" in names:
        return "a type (integer, date, one of, …) or the name of a kind"
    if "USUALLY" in names:
        return "a clause: " + SOME_CLAUSES
    if {"NAME", "NUMBER", "STRING"} <= set(names):
        return "a value: a number, a date, a text in quotes, a field name or a function"
    if "COMPARE" in names and start == "expression":
        return "an operator such as ==, <, and, or, +"
    words = [TERMINALS.get(name, name) for name in names if name not in ("$END", "COMPARE")]
    if "$END" in names and not words:
        return "the end"
    words = [f"`{word}`" if not word.startswith("a ") else word for word in words]
    listed = ", ".join(words[:6]) + (", …" if len(words) > 6 else "")
    return listed or None


def span_of(node: Tree, text: Text) -> Span:
    """Return the span of a tree in the file."""
    return text.span(node.start, node.end or 0) if node.start is not None else text.span()
