"""The words of the language, for messages and suggestions."""

from __future__ import annotations

DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
EXPRESSION_WORDS = ("if", "then", "else", "and", "or", "not", "in", "is", "matches", "true", "false", "null")
RESERVED = frozenset(EXPRESSION_WORDS)
NOW_NAMES = ("today", "now", "row")

SCHEMA_KEYS = (
    "yurt", "title", "locale", "list-folder", "live", "seed", "today", "include", "kinds", "value-lists",
    "field-groups", "variants", "output", "records",
)  # fmt: skip
INCLUDED_KEYS = ("yurt", "title", "kinds", "value-lists", "field-groups")
RECORD_KEYS = ("count", "locale", "key", "unique", "fields", "always")
