"""The values, lists, and patterns that remain after `matching` and `without`."""

from __future__ import annotations

from functools import lru_cache

from yurt.core.model.clauses import Restriction
from yurt.core.model.phrases import OneOf
from yurt.core.patterns.automaton import automaton
from yurt.core.patterns.match import matches, without
from yurt.core.patterns.parse import PatternFault, parse
from yurt.core.patterns.tree import Pattern, weight

# The number of texts of a pattern that are tested one by one; if there are more, rows are drawn until one fits.
LISTABLE = 50_000
# The maximum number of steps of these tests.
MAX_STEPS = 20_000_000


def fits(narrowed: Restriction, value: object) -> bool:
    """Return whether a value remains."""
    text = str(value).lower() if isinstance(value, bool) else str(value)
    if any(char in text for char in narrowed.without):
        return False
    return narrowed.matching is None or matches(parse(narrowed.matching), text)


def left_of_list(head: OneOf, narrowed: Restriction | None) -> OneOf | None:
    """Return the list of the remaining values, with their weights; None for none."""
    if narrowed is None:
        return head
    # To Python, 0 is false and 2 is 2.0: two lists may be equal that are not the same.
    return _left_of_list(head, narrowed, tuple(map(repr, head.values)))


@lru_cache(maxsize=64)
def _left_of_list(head: OneOf, narrowed: Restriction, written: tuple[str, ...]) -> OneOf | None:
    pairs = [pair for pair in zip(head.values, head.weights, strict=True) if fits(narrowed, pair[0])]
    total = sum(weight for _, weight in pairs)
    if total <= 0:
        return None
    values, weights = zip(*pairs, strict=True)
    return OneOf(values, tuple(each / total for each in weights), head.weighted)


@lru_cache(maxsize=64)
def left_of_pattern(pattern: Pattern, narrowed: Restriction) -> Pattern | OneOf | None:
    """Return what remains of a pattern: a list of texts if they can be listed, else a pattern; None for nothing.

    A pattern is returned without the excluded characters, but with texts that do not match; see `condition`.
    """
    rest = without(pattern, narrowed.without) if narrowed.without else pattern
    if rest is None or narrowed.matching is None:
        return rest
    try:
        machine = automaton(rest)
    except PatternFault:
        return rest
    if machine.capacity > min(LISTABLE, MAX_STEPS // (weight(parse(narrowed.matching).tree) * (pattern.longest + 1))):
        return rest
    wanted = parse(narrowed.matching)
    found: list[str] = []
    waiting = [(machine.start, "")]
    while waiting:
        number, text = waiting.pop()
        state = machine.states[number]
        found += [text] if state.accepting and matches(wanted, text) else []
        waiting += [(after, text + char) for chars, after in reversed(state.edges) for char in reversed(chars)]
    return OneOf(tuple(found), (1 / len(found),) * len(found), False) if found else None
