"""The tables that Lark has made of the grammar, `phrase.json`, and the words in it for messages and suggestions.

The grammar itself is in `phrase.lark`, from which `tools/catalogue.py` makes the tables.
"""

from __future__ import annotations

import json
from pathlib import Path

TABLES = json.loads(Path(__file__).with_name("phrase.json").read_text("utf-8"))
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
# Words of the grammar, and their names in messages.
TERMINALS: dict[str, str] = {**TABLES["words"], **CALLED, **SIGNS}


def _beginning(rule: str) -> tuple[str, ...]:
    """Return the words at the start of the parts of a rule, without names for many texts."""
    return tuple(dict.fromkeys(TERMINALS[each] for each in TABLES["beginning"][rule] if each not in CALLED))


TYPES = _beginning("_head")
OF_FILES = _beginning("_of_file")
HEADS = (*TYPES, *OF_FILES)
CLAUSES = _beginning("_clause")
# The clauses that messages list.
SOME_CLAUSES = ", ".join(CLAUSES[:9]) + ", …"
