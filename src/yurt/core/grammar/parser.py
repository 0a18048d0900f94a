"""Parses phrases, expressions and counts with the grammar in `phrase.lark`, and says what was expected instead."""

from __future__ import annotations

import contextlib
import os
import re
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from lark import Lark, Tree
from lark.exceptions import UnexpectedCharacters, UnexpectedInput, UnexpectedToken

from yurt.core.base.nearest import did_you_mean
from yurt.core.grammar.words import CLAUSES, GRAMMAR, HEADS, SOME_CLAUSES, TERMINALS
from yurt.core.model.words import EXPRESSION_WORDS
from yurt.core.source.diagnostics import Findings, Span
from yurt.core.source.yaml_nodes import HALF, QUOTE_ADVICE, Text

MAX_PHRASE = 20_000
MAX_NESTING = 40
# Levels of a tree: every operator is one.
MAX_DEPTH = 120
A_CLAUSE = re.compile(rf"(?:{'|'.join(CLAUSES)})(?![\w-])")
SMALL_WORDS = ("on", "from", "step", "per")
COUNT_EXAMPLE = "a number such as 24, a range 20..30, or `0..5 per hiker`"
LOOKALIKES = {
    "\u201c": '"', "\u201d": '"', "\u201e": '"', "\u2018": "'", "\u2019": "'", "\u2013": "-", "\u2014": "-",
    "\u2212": "-", "\u00a0": " ", "\u2026": "...", "\u00d7": "*",
}  # fmt: skip


def _tables_file() -> str | bool:
    """Return where the parse tables are kept between runs; building them costs ten times as much as loading them."""
    home = os.environ.get("XDG_CACHE_HOME") or (Path.home() / ".cache" if os.path.expanduser("~") != "~" else None)
    if not home:
        return False
    folder = Path(home) / "yurt"
    with contextlib.suppress(OSError):
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        owner = getattr(os, "getuid", lambda: folder.stat().st_uid)()
        if os.access(folder, os.W_OK) and folder.stat().st_uid == owner:
            return str(folder / "phrase-tables")
    return False


@lru_cache(maxsize=1)
def parser() -> Lark:
    """Return the parser of phrases, expressions and counts."""
    return Lark(
        GRAMMAR,
        parser="lalr",
        lexer="contextual",
        start=["phrase", "expression", "count"],
        propagate_positions=True,
        maybe_placeholders=True,
        cache=_tables_file(),
    )


def parse(text: Text, start: str, findings: Findings, cut: str | None = None) -> Tree | None:
    """Return the tree of a phrase, expression or count; note a mistake and return None when there is one.

    `cut` is what YAML took for a comment behind the text, if anything.
    """
    if _unreadable(text, start, findings):
        return None
    try:
        tree = parser().parse(text.text, start=start)
    except UnexpectedInput as fault:
        _report(fault, text, start, findings, cut)
        return None
    return None if _too_deep(tree, text, findings) else tree


def _too_deep(tree: Tree, text: Text, findings: Findings) -> bool:
    """Note a tree with too many levels: Python walks trees by recursion. This walk does not."""
    waiting = [(tree, 1)]
    while waiting:
        node, depth = waiting.pop()
        if depth > MAX_DEPTH:
            expected = f"at most {MAX_DEPTH} parts inside one another; move some to helper fields"
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
            expected = f"at most {MAX_NESTING} brackets inside one another"
            findings.error("nested too deeply", text.span(at, at + 1), expected)
            return True
    return False


def _report(fault: UnexpectedInput, text: Text, start: str, findings: Findings, cut: str | None) -> None:
    """Note what is wrong at the spot where the parser stopped."""
    phrase = text.text
    at = fault.pos_in_stream if fault.pos_in_stream is not None and fault.pos_in_stream >= 0 else len(phrase)
    if isinstance(fault, UnexpectedToken) and fault.token.type == "$END":
        at = len(phrase.rstrip())
    names = _acceptable(fault)
    word = _word_at(phrase, at)
    span = text.span(at, at + len(word)) if word else text.span(max(at - 1, 0), at)
    # What stands where a head begins, directly before the spot.
    head = re.search(r"(?:^|\bdraw *\(|\bof(?: *\()?) *([A-Za-z][\w-]*) *$", phrase[max(at - 60, 0) : at])
    first = head if head and (start == "phrase" or head.start(1)) else None
    if trap := _trap(phrase, at, cut, names):
        end = text.at[-1]
        # What YAML cut off stands behind the text, after a blank.
        span = Span(end + 1, end + 2) if trap.start == len(phrase) else text.span(trap.start, trap.end)
        findings.error(trap.message, span, hint=trap.hint)
    elif first and first[1] not in (*HEADS, "one"):
        begin = max(at - 60, 0) + first.start(1)
        message = f"`{first[1]}` is not a head that takes anything behind it"
        expected = "a comma and a clause, or a head: " + ", ".join(HEADS)
        findings.error(message, text.span(begin, begin + len(first[1])), expected, did_you_mean(first[1], HEADS))
    elif "COMMA" in names and start == "phrase" and A_CLAUSE.match(phrase, at):
        findings.error(f"no comma before `{word}`", span, "a comma between the clauses", f"write `, {word}`")
    else:
        message = f"`{word}` does not fit here" if word else "something is missing at the end"
        findings.error(message, span, _expected(names, start), _nearest_word(phrase, at, names) if word else None)


def _nearest_word(phrase: str, at: int, names: list[str]) -> str | None:
    """Return the hint with the word of the language that could stand here and is most like what does."""
    candidates = {TERMINALS.get(name, "") for name in names} & {*HEADS, *CLAUSES, *EXPRESSION_WORDS, *SMALL_WORDS}
    two_words = re.compile(r"[\w-]+( [A-Za-z]+)?").match(phrase, at)
    hint = did_you_mean(two_words.group(), candidates) if two_words else None
    return hint or did_you_mean(_word_at(phrase, at), candidates)


def _acceptable(fault: UnexpectedInput) -> list[str]:
    if isinstance(fault, UnexpectedCharacters):
        return sorted(fault.allowed or ())
    if isinstance(fault, UnexpectedToken):
        return sorted(fault.accepts or fault.expected or ())
    return []


def _word_at(phrase: str, at: int) -> str:
    found = re.compile(r"[\w-]+|\S").match(phrase, at)
    return found.group() if found else ""


def _expected(names: list[str], start: str) -> str | None:
    """Say in a few words what could stand at the spot."""
    if start == "count":
        return COUNT_EXAMPLE
    if "INTEGER" in names:
        return "a head (integer, date, one of, …) or the name of a kind"
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


@dataclass(frozen=True, slots=True)
class Trap:
    """What people write by habit, and how it is written here; `start` and `end` are offsets in the phrase."""

    message: str
    hint: str
    start: int
    end: int


def _trap(phrase: str, at: int, cut: str | None, names: list[str]) -> Trap | None:
    """Recognise a habit behind a mistake at `at`."""
    rest = phrase[at:]
    here = (at, at + len(_word_at(phrase, at)))
    lookalike = next((place for place, char in enumerate(phrase) if char in LOOKALIKES), None)
    if lookalike is not None:
        char = phrase[lookalike]
        message = f"`{char}` is a typographic character"
        return Trap(message, f"write `{LOOKALIKES[char]}` instead", lookalike, lookalike + 1)
    if cut is not None:
        end = len(phrase)
        return Trap(f"YAML cut this value at ` #{cut[:20]}`, as a comment", QUOTE_ADVICE, end, end)
    unit, number = re.match(r"[a-z]\w*", rest), re.search(r"\d+(\.\d+)?\s*$", phrase[max(at - 40, 0) : at])
    if unit and number and unit.group() not in (*CLAUSES, *HEADS, *SMALL_WORDS, *EXPRESSION_WORDS):
        written = number.group().strip() + unit.group()
        return Trap(f"`{written}` is not a duration", "units are y mo w d h min s ms: 3mo, 14d, 90min", *here)
    if found := re.search(r"\b(\d{4})-(\d{1,2})-(\d{1,2})\b", phrase):
        padded = f"{found[1]}-{int(found[2]):02}-{int(found[3]):02}"
        if padded != found.group():
            return Trap(f"`{found.group()}` is not a date", f"write {padded}", *found.span())
    elif found := re.search(r"(?<![\w.])(\d+)\s*-\s*(\d+)(?![\w.])", phrase):
        return Trap(f"`{found.group()}` is not a range", f"a range is written {found[1]}..{found[2]}", *found.span())
    if re.match(r"=(?!=)", rest):
        return Trap("`=` does not compare", "write `==`", *here)
    if found := re.match(r"&&|\|\||!(?!=)", rest):
        return Trap(f"`{found.group()}` is not an operator here", "write and, or, not", *here)
    if rest.startswith("%"):
        return Trap("`%` is not an operator", "the remainder is written mod(a, b)", *here)
    if rest.startswith("/") and "REGEX" in names:
        return Trap("a pattern without its closing `/`", "a pattern stands between slashes: /[A-Z]{3}/", *here)
    if rest[:1] in ('"', "'"):
        return Trap("a quote that is never closed", 'close it, or write the quote itself as \\"', *here)
    return None


def span_of(node: Tree, text: Text) -> Span:
    """Return where a tree stands in the file."""
    return text.span(node.meta.start_pos, node.meta.end_pos) if not node.meta.empty else text.span()
