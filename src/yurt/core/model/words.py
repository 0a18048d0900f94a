"""The words of the language, as messages and suggestions know them."""

from __future__ import annotations

HEADS = (
    "integer", "decimal", "text", "boolean", "date", "time", "datetime", "duration", "one of", "from", "like", "bytes",
    "sequence", "uuid", "every", "ref", "list", "pattern",
)  # fmt: skip
CLAUSES = (
    "usually", "missing", "optional", "unique", "hidden", "only if", "named", "as", "on", "in", "in turn", "tracks",
    "matching", "without", "outliers", "distinct", "weighted by", "jitter", "locale", "live",
)  # fmt: skip
# What messages list of them.
SOME_CLAUSES = ", ".join(CLAUSES[:9]) + ", …"
# What an argument of a distribution must be.
ANY, POSITIVE, CHANCE = "any", "above 0", "above 0 and at most 1"
DISTRIBUTIONS: dict[str, tuple[tuple[str, ...], str]] = {
    # name: (what each argument must be, how it is written)
    "uniform": ((), "uniform"),
    "normal": ((ANY, POSITIVE), "normal(mean, spread)"),
    "lognormal": ((POSITIVE, POSITIVE), "lognormal(median, sigma)"),
    "exponential": ((POSITIVE,), "exponential(mean above the lower end)"),
    "gamma": ((POSITIVE, POSITIVE), "gamma(shape, scale)"),
    "weibull": ((POSITIVE, POSITIVE), "weibull(shape, scale)"),
    "pareto": ((POSITIVE,), "pareto(exponent)"),
    "beta": ((POSITIVE, POSITIVE), "beta(a, b)"),
    "poisson": ((POSITIVE,), "poisson(mean)"),
    "binomial": ((POSITIVE, CHANCE), "binomial(trials, chance)"),
    "triangular": ((ANY,), "triangular(most frequent value)"),
    "geometric": ((CHANCE,), "geometric(chance to stop at each step)"),
    "zipf": ((POSITIVE,), "zipf(exponent)"),
    "low": ((), "low"),
    "middle": ((), "middle"),
    "high": ((), "high"),
}
DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
EXPRESSION_WORDS = ("if", "then", "else", "and", "or", "not", "in", "is", "matches", "true", "false", "null")
RESERVED = frozenset(EXPRESSION_WORDS)
NOW_NAMES = ("today", "now", "row")

SCHEMA_KEYS = (
    "yurt", "title", "locale", "catalogue", "seed", "today", "include", "kinds", "lists", "sets", "variants", "records",
)  # fmt: skip
INCLUDED_KEYS = ("yurt", "title", "kinds", "lists", "sets")
RECORD_KEYS = ("count", "locale", "key", "unique", "fields", "always")

# What the grammar calls a word → what a message calls it.
TERMINALS = {
    "INTEGER": "integer", "DECIMAL": "decimal", "TEXT": "text", "BOOLEAN": "boolean", "DATE": "date",
    "DATETIME": "datetime", "ONE_OF": "one of", "PATTERN": "pattern", "LIKE": "like", "SEQUENCE": "sequence",
    "UUID": "uuid", "REF": "ref", "FROM": "from", "STEP": "step", "PER": "per", "USUALLY": "usually", "ON": "on",
    "TIME": "time", "DURATION_WORD": "duration", "BYTES": "bytes", "BASE": "hex", "VERSION": "v7", "EVERY": "every",
    "LIST": "list", "OF": "of", "ZONE": "zone", "IN_TURN": "in turn", "TRACKS": "tracks", "BY": "by",
    "MATCHING": "matching", "WITHOUT": "without", "AS": "as", "JITTER": "jitter", "DISTINCT": "distinct",
    "LOCALE": "locale", "LIVE": "live",
    "OUTLIERS": "outliers", "WEIGHTED_BY": "weighted by", "EVERY_COMBINATION": "every combination of",
    "CLOCK": "a time", "ZONE_NAME": "a zone", "SOME": "some", "PROFILE": "hours",
    "MISSING": "missing", "OPTIONAL": "optional", "UNIQUE": "unique", "HIDDEN": "hidden",
    "ONLY_IF": "only if", "NAMED": "named",
    "IF": "if", "THEN": "then", "ELSE": "else", "AND": "and", "OR": "or", "NOT": "not", "IN": "in", "IS": "is",
    "MATCHES": "matches", "TRUE": "true", "FALSE": "false", "NULL": "null", "COMPARE": "==", "PLUS": "+",
    "MINUS": "-", "STAR": "*", "SLASH": "/", "MOMENT": "a date and time", "DAY": "a date", "DURATION": "a duration",
    "PERCENT": "a percentage", "NUMBER": "a number", "STRING": "a quoted text", "REGEX": "a /pattern/",
    "NAME": "a name", "WORD": "a word", "KIND": "a kind", "ITEM": "a value", "COMMA": ",", "VBAR": "|", "LPAR": "(",
    "RPAR": ")", "LSQB": "[", "RSQB": "]", "DOT": ".", "__ANON_0": "..", "EQUAL": "=", "AMPERSAND": "&",
}  # fmt: skip
