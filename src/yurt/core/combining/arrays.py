"""The array for some factors: from algebra if possible, otherwise grown, then made smaller by search."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from yurt.core.combining.algebra import ORDERS, POWERS, uniform
from yurt.core.combining.greedy import row_by_row
from yurt.core.combining.growth import Growth, Subset
from yurt.core.combining.rules import Rule, Rules
from yurt.core.combining.search import smaller
from yurt.core.combining.tuples import fewer, orthogonal

Array = NDArray[np.int64]
# The strength from which combinations are more than pairs.
MANY = 3
# The steps of a search, the pairs that it examines in total, and the cost limit of the candidates for a row: some
# seconds.
STEPS, CELLS, WORK = 20_000, 1_500_000_000, 2_000_000


def covering(
    levels: Sequence[int], strength: int = 2, rules: Sequence[Rule] = (), *,
    more: Sequence[tuple[Subset, int]] = (), seeds: Array | None = None,
) -> Array:  # fmt: skip
    """Return rows (shape rows × factors) that contain every possible combination of `strength` factors.

    `more` gives some factors another strength. `seeds` are complete rows that count and come first. All other rows
    follow the rules; combinations that no such row can have are left out.
    """
    levels = tuple(levels)
    seeds = np.empty((0, len(levels)), dtype=np.int64) if seeds is None else seeds
    strength = min(strength, len(levels))
    space = Rules(levels, rules)
    if not levels:
        return seeds
    if strength == 2 and not rules and not more and not len(seeds):
        return _pairs(levels)
    nothing = np.empty((0, 0), dtype=np.int64)
    grown = Growth(space, strength, more).grown(seeds, nothing, ())
    if rules or more or len(seeds) or strength < MANY or strength == len(levels):
        return grown
    given = orthogonal(levels[0], len(levels), strength) if len(set(levels)) == 1 else None
    if given is not None and len(given) == levels[0] ** strength:
        return given
    grown = fewer(grown, levels, strength)
    return grown if given is None else min(grown, given, key=len)


def _pairs(levels: tuple[int, ...]) -> Array:
    """Return rows with all pairs: from algebra, or row by row and then made smaller, whichever has fewer."""
    space = Rules(levels)
    nothing = (np.empty((0, 0), dtype=np.int64), ())
    empty = np.empty((0, len(levels)), dtype=np.int64)
    best = min((Growth(space, 2).grown(empty, *base) for base in (nothing, *_bases(levels))), key=len)
    if len(best) == _least(levels) or len(levels) < 3 or max(levels) == 2:
        return best
    symbols = sum(levels)
    candidates = max(4, min(100, WORK // (symbols * len(levels))))
    steps = min(STEPS, CELLS // symbols**2)
    # An array from algebra has few rows to lose.
    tried = (smaller(best, levels, steps // 4), smaller(row_by_row(levels, candidates), levels, steps))
    return min(tried, key=len)


def _least(levels: tuple[int, ...]) -> int:
    """Return the minimum number of rows: the number of pairs of the two largest factors."""
    first, second = sorted((*levels, 1), reverse=True)[:2]
    return first * second


def _bases(levels: tuple[int, ...]) -> list[tuple[Array, tuple[int, ...]]]:
    """Return arrays from algebra for the factors with the most levels, to start with."""
    order = sorted(range(len(levels)), key=lambda each: -levels[each])
    found = []
    # With one level more than needed, an array often has room for the factors with fewer levels.
    sizes = {power for each in set(levels) for power in [power for power in POWERS if power >= each][:2]}
    sizes |= {each for each in levels if each in ORDERS}
    for q in sorted(sizes):
        chosen = [each for each in order if levels[each] <= q]
        above = [each for each in order if levels[each] > q]
        base = uniform(q, len(chosen)) if not above else None
        if base is None:
            continue
        found.append((_without_excess(base, [levels[each] for each in chosen]), tuple(chosen)))
        same = [each for each in chosen if levels[each] * 2 > q]
        if 2 < len(same) < len(chosen):
            part = uniform(q, len(same))
            if part is not None:
                found.append((_without_excess(part, [levels[each] for each in same]), tuple(same)))
    return found


def _without_excess(base: Array, levels: list[int]) -> Array:
    """Free the cells of levels that a factor does not have."""
    return np.where(base < np.array(levels), base, -1)
