"""Sampling alone: the calendar of four hundred years, weights, groups, and shuffles, checked by counts and SciPy."""

from __future__ import annotations

from collections import Counter
from datetime import date, timedelta

import numpy as np
import pytest
from scipy import stats

from yurt.core.distributions.registry import all_distributions
from yurt.core.model import Days
from yurt.core.sampling import almanac, grids
from yurt.core.sampling.permutation import Permutation, Shuffles, tiered
from yurt.core.sampling.streams import stream
from yurt.core.sampling.weights import Grouped, weighted

EPOCH = date(1970, 1, 1)
ROWS = np.arange(40_000, dtype=np.uint64)
EVERY_DAY, EVERY_MONTH = (True,) * 7, (True,) * 12
WEEKEND = (False, False, False, False, False, True, True)
WINTER = tuple(month in (11, 0, 1) for month in range(12))

# ---- the calendar ----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("weekdays", "months"), [(EVERY_DAY, EVERY_MONTH), (WEEKEND, EVERY_MONTH), (EVERY_DAY, WINTER), (WEEKEND, WINTER)]
)
@pytest.mark.parametrize(
    "start",
    [date(1970, 1, 1), date(1969, 12, 25), date(2000, 2, 20), date(1900, 2, 20), date(2399, 12, 1), date(1600, 1, 1)],
)
def test_days_are_counted_as_the_calendar_has_them(
    weekdays: tuple[bool, ...], months: tuple[bool, ...], start: date
) -> None:
    table = almanac.counted(Days(weekdays, months))
    day = (start - EPOCH).days
    counted = 0
    for ahead in range(400):
        here = start + timedelta(days=ahead)
        assert table.before(np.array(day + ahead)) - table.before(np.array(day)) == counted
        if weekdays[here.weekday()] and months[here.month - 1]:
            rank = table.before(np.array(day + ahead))
            assert table.day_at(np.array([rank])).tolist() == [day + ahead]
            counted += 1


def test_the_calendar_repeats_itself_after_four_hundred_years() -> None:
    assert (date(2370, 1, 1) - EPOCH).days == almanac.CYCLE
    assert almanac.CYCLE % 7 == 0
    table = almanac.counted(Days(WEEKEND, EVERY_MONTH))
    days = np.array([-almanac.CYCLE, 0, almanac.CYCLE, 2 * almanac.CYCLE])
    weekend_days = almanac.CYCLE // 7 * 2
    assert np.diff(table.before(days)).tolist() == [weekend_days] * 3


def test_weights_of_weekdays_and_months_multiply() -> None:
    weekdays, months = (1.0, 2.0, 0.0, 1.0, 1.0, 3.0, 0.5), tuple(1.0 + month / 10 for month in range(12))
    table = almanac.weighted(weekdays, months)
    for ahead in range(0, 5000, 37):
        here = EPOCH + timedelta(days=ahead)
        weight = table.before(np.array(ahead + 1)) - table.before(np.array(ahead))
        assert weight == pytest.approx(weekdays[here.weekday()] * months[here.month - 1])


@pytest.mark.parametrize("weekdays", [(1.0,) * 7, (0.3, 2.0, 0.0, 1.0, 1.1, 3.0, 0.5), (0.0,) * 6 + (0.7,)])
def test_the_days_near_and_the_whole_cycle_agree_to_the_bit(weekdays: tuple[float, ...]) -> None:
    table = almanac.weighted(weekdays, (1.0,) * 12)
    near = np.arange(almanac.NEAR - 400, almanac.NEAR + 1)
    far = np.arange(almanac.NEAR - 400, almanac.NEAR + 400)
    among_far = table.before(far)
    assert (table.before(near) == among_far[: len(near)]).all()
    assert (np.diff(among_far) > 0).any()
    for aim in (table.before(near), np.nextafter(table.before(near), 0)):
        together = table.day_at(np.append(aim, among_far[-1] + 5))[:-1]
        assert (np.concatenate([table.day_at(each) for each in np.split(aim, len(aim))]) == together).all()


# ---- weights ---------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    "weights",
    [[1.0], [1.0, 1.0], [0.5, 0.3, 0.2], [1.0, 0.0, 1.0], [0.0, 0.0, 1.0], list(range(1, 200)), [1e-9, 1.0, 1e-9]],
    ids=lambda each: f"{len(each)} places",
)
def test_places_come_by_their_weights(weights: list[float]) -> None:
    u = stream(3, "weights").unit(ROWS)
    found = np.bincount(weighted(np.array(weights, dtype=float))(u), minlength=len(weights))
    wanted = np.array(weights) / np.sum(weights) * len(u)
    assert found.shape == wanted.shape
    assert (found[np.array(weights) == 0] == 0).all()
    often = wanted > 5
    if often.sum() > 1:
        seen, asked = found[often], wanted[often] * found[often].sum() / wanted[often].sum()
        assert stats.chisquare(seen, asked).pvalue > 1e-4


def test_a_larger_number_never_gives_an_earlier_place() -> None:
    for weights in ([0.2, 0.0, 0.5, 0.3], list(np.linspace(1, 0.01, 5000))):
        places = weighted(np.array(weights))(np.linspace(1e-12, 1 - 1e-12, 100_000))
        assert (np.diff(places) >= 0).all()
        assert places[0] == 0
        assert places[-1] == len(weights) - 1


def test_draws_stay_inside_their_group() -> None:
    weights = np.array([1.0, 3.0, 2.0, 1.0, 1.0, 1.0])
    group = np.array([0, 0, 1, 2, 2, 2])
    draw = Grouped(weights, group, 3)
    edges = np.array([1e-300, 1e-9, 0.2500001, 0.5, 1 - 1e-9, 1 - 2.0**-53])
    for number in range(3):
        assert set(group[draw(edges, number)]) == {number}
    u = stream(3, "groups").unit(ROWS)
    seen = Counter(draw(u, np.zeros(len(u), dtype=np.int64)).tolist())
    assert set(seen) == {0, 1}
    assert seen[1] / seen[0] == pytest.approx(3, rel=0.05)


# ---- permutations ----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("size", [1, 2, 3, 10, 97, 1000])
def test_every_key_has_a_shuffle_of_its_own(size: int) -> None:
    keys = np.repeat(np.arange(20, dtype=np.uint64), size)
    places = np.tile(np.arange(size, dtype=np.uint64), 20)
    found = Shuffles(size, keys)(places).reshape(20, size)
    assert all(sorted(each) == list(range(size)) for each in found.tolist())
    if size > 9:
        assert len({tuple(each) for each in found.tolist()}) == 20


def test_a_permutation_of_part_of_the_rows_is_part_of_the_permutation() -> None:
    whole = Permutation(5000, stream(1, "p"))(np.arange(5000, dtype=np.uint64))
    some = np.array([0, 17, 4999, 3], dtype=np.uint64)
    assert Permutation(5000, stream(1, "p"))(some).tolist() == whole[some.astype(int)].tolist()
    assert stats.spearmanr(np.arange(5000), whole).statistic == pytest.approx(0, abs=0.05)
    assert (Permutation(5000, stream(2, "p"))(np.arange(5000, dtype=np.uint64)) != whole).mean() > 0.99


def test_running_numbers_are_as_short_as_they_can_be() -> None:
    rows = np.array([0, 9_999, 10_000, 999_999, 1_000_000, 10**12], dtype=np.uint64)
    found = tiered(rows, stream(1, "t"))
    assert all(
        value < limit for value, limit in zip(found.tolist(), [10**4] * 2 + [10**6] * 2 + [10**8, 10**14], strict=True)
    )
    assert len(set(tiered(np.arange(30_000, dtype=np.uint64), stream(1, "t")).tolist())) == 30_000


@pytest.mark.parametrize("path", [("a",), ("a", "b"), ("a", 1), ("ab",), ("a", "b", 0)])
def test_streams_of_other_paths_have_nothing_in_common(path: tuple[str | int, ...]) -> None:
    one, other = stream(1, *path).unit(ROWS), stream(1, *path, "x").unit(ROWS)
    assert abs(np.corrcoef(one, other)[0, 1]) < 0.02
    assert stats.kstest(one, "uniform").pvalue > 1e-4
    assert abs(np.corrcoef(one[1:], one[:-1])[0, 1]) < 0.02
    assert len(np.unique(stream(1, *path).bits(ROWS))) == len(ROWS)
    assert ((one > 0) & (one < 1)).all()


# ---- distributions over a grid ---------------------------------------------------------------------------------------

# Arguments in points of a grid of 60, for each distribution that SciPy has.
ARGUMENTS: dict[str, tuple[float, ...]] = {
    "normal": (30.0, 8.0),
    "lognormal": (2.5, 0.5, 0.0),
    "exponential": (10.0,),
    "triangular": (20.0,),
    "geometric": (0.1,),
    "poisson": (12.0, 0.0),
    "binomial": (40.0, 0.3, 0.0),
    "zipf": (1.2,),
    "uniform": (),
    "low": (),
    "high": (),
    "middle": (),
}


@pytest.mark.parametrize("name", ARGUMENTS)
def test_the_shares_of_places_are_those_that_are_drawn(name: str) -> None:
    """`by_place` gives the probability of each point; draws follow it and increase with the random number."""
    n, arguments = 60, ARGUMENTS[name]
    u = stream(5, name).unit(ROWS)
    given = [np.array(each) for each in arguments]
    drawn = grids.draw(name, u, np.array(n), given, ROWS)
    assert 0 <= drawn.min() <= drawn.max() < n
    shares = grids.by_place(name, n, *arguments)
    wanted = shares / shares.sum() * len(u)
    often = wanted > 8
    seen = np.bincount(drawn, minlength=n)
    rest = wanted[~often].sum()
    assert abs(seen[~often].sum() - rest) < 5 * np.sqrt(rest + 1)
    asked = wanted[often] * seen[often].sum() / wanted[often].sum()
    assert stats.chisquare(seen[often], asked).pvalue > 1e-4
    ordered = grids.draw(name, np.sort(u), np.array(n), given, ROWS)
    assert (np.diff(ordered) >= 0).all()


def test_every_distribution_is_named_like_its_module_and_has_a_meaning() -> None:
    for name, each in all_distributions().items():
        assert each.name == name
        assert each.shape.startswith(name)
        assert not each.scipy or hasattr(stats, each.scipy)


def test_positions_are_rounded_to_places_of_the_grid() -> None:
    positions = np.array([-0.5, -0.49, 0.49, 0.51, 58.4, 59.4999, 60.7])
    assert grids.places(positions, np.array(60)).tolist() == [0, 0, 0, 1, 58, 59, 59]
