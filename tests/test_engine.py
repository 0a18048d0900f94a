"""The engine alone: streams, permutations, distributions, and children, checked by SciPy."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from scipy import stats

import yurt
from yurt.core.columns.functions import KERNELS
from yurt.core.distributions import normal
from yurt.core.distributions.distribution import OutOfReach
from yurt.core.distributions.registry import all_distributions
from yurt.core.engine.family import DrawnFamily
from yurt.core.language.reader import read
from yurt.core.model.functions import FUNCTIONS, OF_SIBLINGS
from yurt.core.sampling import grids
from yurt.core.sampling.permutation import Permutation, tiered
from yurt.core.sampling.streams import stream
from yurt.core.sampling.weights import weighted
from yurt.core.source.diagnostics import Source

from .conftest import HUTS, schema_of

MILLION = np.arange(1_000_000, dtype=np.uint64)
# A correct engine fails such a test once in a million runs; fixed seeds make the result repeatable.
NOISE = 1e-6


def test_streams_are_uniform_and_independent() -> None:
    paths = [(1, "a", "x"), (2, "a", "x"), (1, "a", "y"), (1, "b", "x"), (1, "a", "x", 1), (3, "a", "x")]
    drawn = np.stack([stream(*path).unit(MILLION) for path in paths])
    for each in drawn:
        assert stats.chisquare(np.histogram(each, 1000, (0, 1))[0]).pvalue > NOISE
        assert abs(np.corrcoef(each[:-1], each[1:])[0, 1]) < 5 / 1000
        assert (each > 0).all()
        assert (each < 1).all()
    assert np.abs(np.corrcoef(drawn) - np.eye(len(paths))).max() < 5 / 1000
    for other in drawn[1:]:
        table = np.histogram2d(drawn[0], other, 32, ((0, 1), (0, 1)))[0]
        assert stats.chi2_contingency(table).pvalue > NOISE
    low_bits = stream(1, "a").bits(MILLION) & np.uint64(0xFF)
    assert stats.chisquare(np.bincount(low_bits.astype(np.int64), minlength=256)).pvalue > NOISE


@pytest.mark.parametrize("size", [1, 2, 3, 10, 97, 1000, 65_537, 200_000])
def test_a_permutation_takes_every_place_once(size: int) -> None:
    places = Permutation(size, stream(7, "p", size))(np.arange(size, dtype=np.uint64))
    assert np.array_equal(np.sort(places), np.arange(size))
    if size > 1000:
        assert abs(np.corrcoef(places, np.arange(size))[0, 1]) < 5 / np.sqrt(size)


def test_large_permutations_and_running_numbers_do_not_repeat() -> None:
    assert len(np.unique(Permutation(2**62, stream(1))(MILLION))) == 1_000_000
    assert len(np.unique(tiered(MILLION, stream(2)))) == 1_000_000
    assert tiered(MILLION[:10_000], stream(2)).max() < 10_000


N = 2001
SHAPES = {
    # Name: arguments in steps of a grid of N points, and SciPy's distribution before truncation.
    "uniform": ((), stats.uniform(-0.5, N)),
    "low": ((), stats.triang(0, -0.5, N)),
    "middle": ((), stats.triang(0.5, -0.5, N)),
    "high": ((), stats.triang(1, -0.5, N)),
    "triangular": ((400,), stats.triang(400.5 / N, -0.5, N)),
    "normal": ((1500, 700), stats.norm(1500, 700)),
    "lognormal": ((300, 0.8, -20), stats.lognorm(0.8, -20, 300)),
    "exponential": ((900,), stats.expon(-0.5, 900)),
    "gamma": ((2.5, 300, -20), stats.gamma(2.5, -20, 300)),
    "weibull": ((1.7, 900, -20), stats.weibull_min(1.7, -20, 900)),
    "pareto": ((1.2, -20), stats.pareto(1.2, -20, 19.5)),
    "beta": ((2, 5), stats.beta(2, 5, -0.5, N)),
}


@pytest.mark.parametrize("name", SHAPES)
def test_continuous_shapes_are_truncated_without_piling_up(name: str) -> None:
    arguments, shape = SHAPES[name]
    u = stream(3, name).unit(MILLION[:100_000])
    drawn = all_distributions()[name].inverse(u, np.array(float(N)), *(np.array(float(each)) for each in arguments))
    low, high = shape.cdf(-0.5), shape.cdf(N - 0.5)
    assert stats.kstest(drawn, lambda x: (shape.cdf(x) - low) / (high - low)).pvalue > NOISE
    # On the grid, each point has the probability of its interval, including the first and the last.
    edges = np.concatenate((np.arange(0, N, 23), [N])) - 0.5
    share = np.diff(shape.cdf(edges)) / (high - low)
    counts = np.histogram(grids.places(drawn, np.array(N)), edges)[0]
    enough = share * len(u) > 5
    expected = share[enough] / share[enough].sum() * counts[enough].sum()
    assert stats.chisquare(counts[enough], expected).pvalue > NOISE


@pytest.mark.parametrize(
    ("name", "argument", "n"),
    [
        ("geometric", 0.45, 12),
        ("geometric", 0.01, 300),
        ("zipf", 1.1, 24),
        ("zipf", 0.7, 1000),
        ("zipf", 1.0, 1_000_000),
    ],
)
def test_discrete_shapes(name: str, argument: float, n: int) -> None:
    u = stream(4, name, n).unit(MILLION[:100_000])
    drawn = grids.draw(name, u, np.array(n), [np.array(argument)], MILLION)
    k = np.arange(n)
    weights = (1 - argument) ** k if name == "geometric" else (k + 1.0) ** -argument
    expected = weights / weights.sum() * len(u)
    counts = np.bincount(drawn, minlength=n).astype(float)
    # Rare points are pooled, because the test needs at least five expected in each class.
    cut = max(1, int((expected >= 5).sum()))
    observed = np.append(counts[:cut], counts[cut:].sum())
    wanted = np.append(expected[:cut], expected[cut:].sum())
    kept = wanted > 0
    assert stats.chisquare(observed[kept], wanted[kept]).pvalue > NOISE


@pytest.mark.parametrize(
    ("name", "arguments", "first", "last"),
    [
        ("poisson", (3.5,), 0, 12),
        ("poisson", (3.5,), 2, 6),
        ("poisson", (400.0,), 0, 2000),
        ("binomial", (12, 0.3), 0, 30),
        ("binomial", (500, 0.45), 200, 240),
        ("binomial", (7, 1.0), 0, 9),
    ],
)
def test_counts(name: str, arguments: tuple[float, ...], first: int, last: int) -> None:
    u = stream(9, name, first, last).unit(MILLION[:100_000])
    given = [np.array(each) for each in (*arguments, float(-first))]
    drawn = grids.draw(name, u, np.array(last - first + 1), given, MILLION) + first
    k = np.arange(first, last + 1)
    weights = stats.poisson(*arguments).pmf(k) if name == "poisson" else stats.binom(*arguments).pmf(k)
    expected = weights / weights.sum() * len(u)
    counts = np.bincount(drawn - first, minlength=len(k))
    kept = expected >= 5
    assert counts[~kept].sum() < 60
    if kept.sum() > 1:
        assert stats.chisquare(counts[kept], expected[kept] * counts[kept].sum() / expected[kept].sum()).pvalue > NOISE
    else:
        assert counts[kept].sum() == len(u)


def test_the_normal_far_from_its_mean_is_still_right() -> None:
    u = stream(5, "tail").unit(MILLION[:100_000])
    drawn = normal.inverse(u, np.array(100.0), np.array(-800.0), np.array(100.0))
    shape = stats.truncnorm(7.995, 8.995, -800, 100)
    assert stats.kstest(drawn, shape.cdf).pvalue > NOISE
    with pytest.raises(OutOfReach):
        normal.inverse(u, np.array(100.0), np.array(-80_000.0), np.array(100.0))


def test_weighted_draws_follow_their_weights() -> None:
    weights = np.array([0.0, 5, 1, 0.01, 3, 0])
    drawn = weighted(weights)(stream(6, "w").unit(MILLION))
    assert stats.chisquare(np.bincount(drawn, minlength=6)[1:5], weights[1:5] / weights.sum() * 1e6).pvalue > NOISE


def test_children_stand_with_their_parents() -> None:
    family = DrawnFamily(200_000, 0, 5, stream(8, "c"), lambda u: (u * 6).astype(np.int64))
    parents, ordinals = family.places(np.arange(family.total, dtype=np.uint64))
    sizes = np.bincount(parents.astype(np.int64), minlength=200_000)
    assert (np.diff(parents.astype(np.int64)) >= 0).all()
    assert stats.chisquare(np.bincount(sizes, minlength=6)).pvalue > NOISE
    some = np.array([family.total - 1, 0, 300_000, 5], dtype=np.uint64)
    assert np.array_equal(family.places(some)[0], parents[some.astype(np.int64)])
    assert np.array_equal(ordinals, np.concatenate([np.arange(size) for size in sizes]))


def test_favoured_weekdays_have_four_times_the_share() -> None:
    schema, _ = read(Source("s", schema_of("day: date 2026-06-17..2026-09-29, usually on fri | sat", 100_000)))
    days = yurt.table(schema, "row", seed=3)["day"].to_numpy().astype("datetime64[D]")
    allowed = np.arange("2026-06-17", "2026-09-30", dtype="datetime64[D]")
    weights = np.where(np.isin((allowed.astype(int) + 3) % 7, (4, 5)), 4.0, 1.0)
    counts = np.bincount((days - allowed[0]).astype(int), minlength=len(allowed))
    assert stats.chisquare(counts, weights / weights.sum() * len(days)).pvalue > NOISE


def test_every_function_is_computed() -> None:
    assert {*KERNELS, *OF_SIBLINGS} == set(FUNCTIONS)
    assert {"zipf", "normal", "low"} <= set(all_distributions())


def test_any_slice_is_a_part_of_the_whole() -> None:
    schema = yurt.read(HUTS)
    whole = yurt.table(schema, "stay")
    assert whole.slice(6000, 37).equals(yurt.table(schema, "stay", rows=(6001, 6037)))
    assert yurt.table(schema, "hiker", rows=(1, 100), count=100_000).equals(yurt.table(schema, "hiker", rows=(1, 100)))


def test_the_interface_of_the_core_is_free_of_the_command_line(tmp_path: Path) -> None:
    import subprocess
    import sys

    code = f"import sys, yurt; yurt.read({str(HUTS)!r}); assert not {{'click', 'rich', 'numpy', 'pyarrow'}} & set(sys.modules)"
    subprocess.run([sys.executable, "-c", code], check=True)


DAYS_OF_2026 = np.arange("2026-01-01", "2027-01-01", dtype="datetime64[D]")
WEEKDAY = (DAYS_OF_2026.astype(np.int64) + 3) % 7
MONTH = DAYS_OF_2026.astype("datetime64[M]").astype(np.int64) % 12
PLACE = np.arange(365)


def share_of(cumulative: Any, size: int) -> Any:
    """Return the probability of each grid point under a distribution truncated at both ends."""
    shares = np.diff(cumulative(np.arange(size + 1) - 0.5))
    return shares / shares.sum()


def by_groups(allowed: Any, weekdays: Any, of_weekdays: Any, months: Any, of_months: Any) -> Any:
    """Return the share of each day of 2026 if groups of weekdays and months have these shares."""
    found = np.zeros(365)
    for by_month, first in zip(months, of_months, strict=True):
        for by_weekday, second in zip(weekdays, of_weekdays, strict=True):
            days = allowed & by_month & by_weekday
            found[days] = first * second / max(days.sum(), 1)
    return found


# A line, the probability of each of its values from SciPy or plain arithmetic, and the first value.
MORE_SHAPES = {
    "histogram": ("integer 0..99, usually histogram(0..9 60%, 50..99 40%)", np.repeat([0.06, 0, 0.008], [10, 40, 50])),
    "histogram, cut": (
        "integer 5..54, usually histogram(0..9 60%, 50..59 40%)",
        np.repeat([0.06, 0, 0.04], [5, 40, 5]) / 0.5,
    ),
    "mixture": (
        "integer 0..60, usually normal(10, 3) 70% | poisson(40)",
        0.7 * share_of(stats.norm(10, 3).cdf, 61) + 0.3 * share_of(lambda x: stats.poisson(40).cdf(np.floor(x)), 61),
    ),
    "outliers": (
        "integer 0..50, usually normal(10, 3), outliers 10%",
        0.9 * share_of(stats.norm(10, 3).cdf, 51) + 0.1 / 51,
    ),
    "mixture, tracked": (
        "integer 0..60, usually gamma(3, 4) 50% | binomial(60, 0.8), outliers 5%, tracks b by 0.5",
        0.95
        * (
            0.5 * share_of(stats.gamma(3, scale=4).cdf, 61)
            + 0.5 * share_of(lambda x: stats.binom(60, 0.8).cdf(np.floor(x)), 61)
        )
        + 0.05 / 61,
    ),
    "normal on chosen days": (
        "date 2026-01-01..2026-12-31, on sat | sun, in mar..oct, usually normal(2026-07-01, 60d)",
        share_of(stats.norm(181, 60).cdf, 365) * np.isin(WEEKDAY, (5, 6)) * ((MONTH > 1) & (MONTH < 10)),
    ),
    "profile": (
        "date 2026-01-01..2026-12-31, on mon..sat, usually weekdays(sat 40%) and months(jul..aug 50%)",
        by_groups(
            WEEKDAY < 6,
            [WEEKDAY == 5, WEEKDAY != 5],
            [0.4, 0.6],
            [np.isin(MONTH, (6, 7)), ~np.isin(MONTH, (6, 7))],
            [0.5, 0.5],
        ),
    ),
    "months that the range cuts": (
        "date 2026-01-01..2026-12-31, in jun..sep, usually months(may..jun 50%, jul..aug 25%)",
        by_groups(
            (MONTH > 4) & (MONTH < 9),
            [WEEKDAY >= 0],
            [1],
            [MONTH == 5, np.isin(MONTH, (6, 7)), MONTH == 8],
            [0.5, 0.25, 0.25],
        ),
    ),
    "a range that cuts months and weeks": (
        "date 2026-01-01..2026-01-08, usually weekdays(thu 50%, fri 50%)",
        by_groups(PLACE < 8, [WEEKDAY == 3, WEEKDAY == 4], [0.5, 0.5], [MONTH == 0], [1]),
    ),
    "a range of date-times that cuts days": (
        "datetime 2026-01-01T18:00..2026-02-16T23:00, usually months(jan 50%, feb 50%) and hours(20 60%, 22 40%)",
        by_groups(PLACE < 47, [WEEKDAY >= 0], [1], [MONTH == 0, MONTH == 1], [0.5, 0.5]),
    ),
    "beta": ("integer 0..99, usually beta(2, 5)", share_of(lambda x: stats.beta(2, 5).cdf((x + 0.5) / 100), 100)),
}


@pytest.mark.parametrize("name", MORE_SHAPES)
def test_what_is_usual_has_the_shares_that_were_asked_for(name: str) -> None:
    line, shares = MORE_SHAPES[name]
    schema, _ = read(Source("s", schema_of(f"a: {line}\nb: integer 1..1000", 200_000)))
    found = yurt.table(schema, "row", seed=9)["a"].to_numpy()
    first = np.datetime64("2026-01-01", "D") if found.dtype.kind == "M" else int(re.findall(r"\d+", line)[0])
    counts = np.bincount(
        (found.astype("datetime64[D]") - first).astype(np.int64) if found.dtype.kind == "M" else found - first,
        minlength=len(shares),
    )
    assert not counts[shares == 0].any()
    expected = shares / shares.sum() * 200_000
    # Values too rare for the test are pooled.
    rare = expected < 10
    observed, wanted = np.append(counts[~rare], counts[rare].sum()), np.append(expected[~rare], expected[rare].sum())
    kept = wanted > 0
    assert stats.chisquare(observed[kept], wanted[kept]).pvalue > NOISE
