"""The words of the grammar for messages and suggestions, derived from `phrase.lark`."""

from __future__ import annotations

import re
from pathlib import Path

GRAMMAR = Path(__file__).with_name("phrase.lark").read_text("utf-8")
# Terminals that stand for many texts, and their names in messages.
CALLED = {
    "CLOCK": "a time", "ZONE_NAME": "a zone", "MOMENT": "a date and time", "DAY": "a date", "DURATION": "a duration",
    "PERCENT": "a percentage", "NUMBER": "a number", "STRING": "a quoted text", "REGEX": "a /pattern/",
    "NAME": "a name", "WORD": "a word", "KIND": "a kind", "ITEM": "a value", "LOCALE_TAG": "a locale",
    "COMPARE": "==",
}  # fmt: skip
# Lark's names for the signs that have no name in the grammar.
SIGNS = {
    "COMMA": ",", "VBAR": "|", "LPAR": "(", "RPAR": ")", "LSQB": "[", "RSQB": "]", "DOT": ".", "__ANON_0": "..",
    "EQUAL": "=", "AMPERSAND": "&",
}  # fmt: skip


def _words() -> dict[str, str]:
    """Return the word for each terminal: the first of several, without its lookahead."""
    found = {}
    for name, pattern in re.findall(r'^([A-Z_]+)(?:\.\d+)?:\s*(/.*/|".*")$', GRAMMAR, re.M):
        plain = re.sub(r"\(\?[!=].*$", "", pattern[1:-1])
        found[name] = plain.strip("()").split("|")[0].replace(" +", " ").replace("[47]", "7")
    return found


def _first_words(rule: str) -> tuple[str, ...]:
    """Return the word at the start of each part of a rule, if it is a word of its own."""
    parts = re.findall(r"[a-z_]+", re.search(rf"^{rule}: ((?:.|\n +\|)*)", GRAMMAR, re.M)[1])  # type: ignore[index]
    found: dict[str, None] = {}
    for part in parts:
        first = re.search(rf"^{part}: +([A-Z_]+)", GRAMMAR, re.M)
        if first is not None and first[1] not in CALLED:
            found[TERMINALS[first[1]]] = None
    return tuple(found)


# Words of the grammar, and their names in messages.
TERMINALS = {**_words(), **CALLED, **SIGNS}
TYPES = _first_words("_head")
OF_FILES = _first_words("_of_file")
HEADS = (*TYPES, *OF_FILES)
CLAUSES = _first_words("_clause")
# The clauses that messages list.
SOME_CLAUSES = ", ".join(CLAUSES[:9]) + ", …"
