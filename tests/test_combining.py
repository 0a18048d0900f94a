"""Combinatorial arrays alone; itertools verifies every claim."""

from __future__ import annotations

from collections import Counter
from itertools import combinations, product

import numpy as np
import pytest

from yurt.core.combining.algebra import ORDERS, POWERS, binary, composite, multiplied, orthogonal, uniform
from yurt.core.combining.arrays import covering
from yurt.core.combining.greedy import row_by_row
from yurt.core.combining.growth import Growth, subsets_with
from yurt.core.combining.rules import Rule, Rules
from yurt.core.combining.search import Search, smaller


def uncovered(rows: np.ndarray, levels: list[int], strength: int) -> list[tuple[tuple[int, ...], tuple[int, ...]]]:
    """Return the factors and levels of each combination that no row covers."""
    found = []
    for chosen in combinations(range(len(levels)), strength):
        there = {tuple(row[list(chosen)]) for row in rows}
        found += [(chosen, each) for each in product(*(range(levels[at]) for at in chosen)) if each not in there]
    return found


def rule(factors: tuple[int, ...], levels: list[int], allowed: object) -> Rule:
    shape = tuple(levels[each] for each in factors)
    table = np.zeros(shape, dtype=np.bool_)
    for each in product(*map(range, shape)):
        table[each] = allowed(*each)  # type: ignore[operator]
    return Rule(factors, table)


# ---- algebra ---------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("q", ORDERS)
def test_an_orthogonal_array_has_every_pair_once(q: int) -> None:
    array = orthogonal(q) if q in POWERS else composite(q)
    factors = q + 1 if q in POWERS else {20: 5, 28: 5}.get(q, 4)
    assert array.shape == (q * q, factors)
    for one, two in combinations(range(factors)[-6:], 2):
        assert set(Counter(zip(array[:, one].tolist(), array[:, two].tolist(), strict=True)).values()) == {1}


@pytest.mark.parametrize("factors", [1, 2, 3, 4, 7, 10, 11, 35, 36, 100])
def test_a_binary_array_has_all_four_pairs(factors: int) -> None:
    array = binary(factors)
    assert array.shape[1] == factors
    assert uncovered(array, [2] * factors, min(2, factors)) == []
    # The minimum (G. Katona; D. Kleitman and J. Spencer, 1973): n rows suffice for C(n-1, ceil(n/2)) factors.
    assert len(array) <= {1: 4, 2: 4, 3: 4, 4: 5, 7: 6, 10: 6, 11: 7, 35: 8, 36: 9, 100: 10}[factors]


@pytest.mark.parametrize(("q", "factors"), [(3, 4), (3, 5), (3, 13), (4, 5), (4, 20), (5, 6), (5, 30), (7, 8), (2, 3)])
def test_more_factors_come_out_of_a_product(q: int, factors: int) -> None:
    array = uniform(q, factors)
    assert array is not None
    full = np.where(array < 0, 0, array)
    assert full.shape[1] == factors
    assert full.max() < q
    assert uncovered(array, [q] * factors, 2) == []


def test_the_powers_are_those_of_primes() -> None:
    primes = [each for each in range(2, max(POWERS) + 1) if all(each % other for other in range(2, each))]
    wanted = {prime**n for prime in primes for n in range(1, 8) if prime**n <= max(POWERS)}
    assert set(POWERS) <= wanted
    assert multiplied(orthogonal(3), 3).shape[1] > 4


# ---- growth ----------------------------------------------------------------------------------------------------------

SPACES = [
    ([2], 2),
    ([1, 1, 1], 2),
    ([3, 1, 2], 2),
    ([5, 4, 3, 2], 2),
    ([2] * 9, 3),
    ([3, 3, 3, 2, 2], 3),
    ([4, 3, 2, 2], 4),
    ([6, 2, 2, 2, 2, 2], 2),
    ([3] * 6, 1),
    ([7, 6, 5], 2),
]


@pytest.mark.parametrize(("levels", "strength"), SPACES, ids=str)
def test_all_combinations_stand_in_the_rows(levels: list[int], strength: int) -> None:
    rows = covering(levels, strength)
    t = min(strength, len(levels))
    assert uncovered(rows, levels, t) == []
    largest = np.prod(sorted(levels)[-t:])
    assert largest <= len(rows) <= np.prod(levels)


@pytest.mark.parametrize(("levels", "strength"), SPACES, ids=str)
def test_no_row_could_be_left_out_of_a_small_array(levels: list[int], strength: int) -> None:
    rows = covering(levels, strength)
    t = min(strength, len(levels))
    needed = [at for at in range(len(rows)) if uncovered(np.delete(rows, at, axis=0), levels, t)]
    assert len(needed) > 0.7 * len(rows)


def test_subsets_are_those_with_the_new_factor() -> None:
    assert set(subsets_with(3, [0, 1, 2], 2, [])) == {(0,), (1,), (2,)}
    assert set(subsets_with(3, [0, 1, 2], 3, [])) == {(0, 1), (0, 2), (1, 2)}
    assert set(subsets_with(3, [0, 1, 2], 2, [((1, 2, 3), 3)])) == {(0,), (1, 2)}
    assert set(subsets_with(0, [], 2, [])) == {()}


def test_seeds_come_first_and_count() -> None:
    levels = [3, 3, 2]
    seeds = np.array([[0, 0, 0], [1, 1, 1], [2, 2, 0]])
    rows = covering(levels, 2, seeds=seeds)
    assert rows[:3].tolist() == seeds.tolist()
    assert uncovered(rows, levels, 2) == []
    assert len(covering(levels, 2, seeds=covering(levels, 2))) == len(covering(levels, 2))


def test_more_strength_among_some_factors() -> None:
    levels = [3, 3, 3, 2, 2]
    rows = covering(levels, 2, more=[((0, 1, 2), 3)])
    assert uncovered(rows, levels, 2) == []
    assert uncovered(rows[:, :3], levels[:3], 3) == []
    assert len(covering(levels, 2)) < len(rows) <= len(covering(levels, 3))


RULES = {
    "never both": lambda levels: [rule((0, 1), levels, lambda a, b: not (a == 0 and b == 0))],
    "if so then": lambda levels: [rule((0, 2), levels, lambda a, b: a != 1 or b == 1)],
    "a chain": lambda levels: [rule((at, at + 1), levels, lambda a, b: b in (a, a + 1)) for at in range(3)],
    "three at once": lambda levels: [rule((0, 1, 2), levels, lambda a, b, c: (a + b + c) % 2 == 0)],
    "one level only": lambda levels: [rule((3,), levels, lambda a: a == 1)],
}


@pytest.mark.parametrize("name", RULES)
@pytest.mark.parametrize("strength", [2, 3])
def test_rows_follow_the_rules_and_have_all_that_is_left(name: str, strength: int) -> None:
    levels = [3, 3, 3, 2]
    rules = RULES[name](levels)
    whole = [
        row for row in product(*map(range, levels)) if all(r.allowed[tuple(row[f] for f in r.factors)] for r in rules)
    ]
    rows = covering(levels, strength, rules)
    assert {tuple(row) for row in rows.tolist()} <= set(whole)
    for chosen in combinations(range(4), strength):
        wanted = {tuple(row[at] for at in chosen) for row in whole}
        assert {tuple(row[list(chosen)].tolist()) for row in rows} == wanted


def test_a_space_without_a_row_has_none() -> None:
    levels = [2, 2]
    assert len(covering(levels, 2, [rule((0, 1), levels, lambda a, b: False)])) == 0
    assert covering([], 2).shape == (0, 0)


@pytest.mark.parametrize("name", RULES)
def test_feasible_is_what_can_be_completed(name: str) -> None:
    levels = [3, 3, 3, 2]
    rules = RULES[name](levels)
    space = Rules(levels, rules)
    whole = [
        row for row in product(*map(range, levels)) if all(r.allowed[tuple(row[f] for f in r.factors)] for r in rules)
    ]
    for partial in product(*(range(-1, each) for each in levels)):
        wanted = any(all(one in (-1, other) for one, other in zip(partial, row, strict=True)) for row in whole)
        assert space.feasible(np.array(partial)) == wanted
        found = space.completed(np.array(partial))
        assert (found is not None) == wanted
        spoken = {factor for each in rules for factor in each.factors}
        assert found is None or all(found[each] >= 0 for each in spoken)


# ---- greedy and search -----------------------------------------------------------------------------------------------


@pytest.mark.parametrize("levels", [[3, 3, 3], [4, 3, 2, 2], [5, 5], [2, 2, 2, 2, 2, 2]], ids=str)
def test_rows_one_by_one_are_complete_and_the_search_only_leaves_rows_out(levels: list[int]) -> None:
    rows = row_by_row(levels, 20)
    assert uncovered(rows, levels, 2) == []
    fewer = smaller(rows, levels, 2000)
    assert uncovered(fewer, levels, 2) == []
    assert len(fewer) <= len(rows)
    assert (row_by_row(levels, 20) == rows).all()
    assert (smaller(rows, levels, 2000) == fewer).all()


def test_the_search_counts_what_is_missing() -> None:
    levels = [3, 3, 3]
    rows = row_by_row(levels, 20)
    search = Search(rows[1:].copy(), levels, np.random.default_rng(1))
    assert search.missing() == len(uncovered(rows[1:], levels, 2))
    empty = Growth(Rules(levels), 2).grown(np.empty((0, 3), dtype=np.int64), np.empty((0, 0), dtype=np.int64), ())
    assert uncovered(empty, levels, 2) == []
