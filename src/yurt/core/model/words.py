"""The words of the language, as messages and suggestions know them."""

from __future__ import annotations

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
