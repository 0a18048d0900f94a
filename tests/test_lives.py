"""A statistician's view of a table of people: marriage, pay, and height, measured with SciPy alone."""

from __future__ import annotations

import os
from collections.abc import Callable
from datetime import date
from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from scipy import stats

from yurt.core.kinds.catalogue import locales

from .test_kinds import entries, made

FULL = os.environ.get("YURT_TESTS") == "full"
LOCALES = locales() if FULL else ("de-DE", "en-US", "ja-JP", "ar-EG")
LINES = (
    "age: age\nborn: birth-date\nsex: sex\ncode: sex-code\nletter: sex-letter\neducation: education\n"
    "doing: employment-status\ndepartment: department\njob: job-title\nlevel: pay-grade\nsalary: salary\n"
    "years: years-employed\nmarital: marital-status\nchildren: number-of-children\nheight: body-height\n"
    "weight: body-weight\nshoe: shoe-size\nblood: blood-group\nprefix: honorific-prefix\ngiven: given-name\n"
    "mail: email\nlatin: 'full-name(script = latin)'\ncard: cc-name"
)
ROWS = 10_000
SCHOOL = (
    "less than primary", "primary", "lower secondary", "upper secondary", "post-secondary", "short-cycle tertiary",
    "bachelor", "master", "doctorate",
)  # fmt: skip
People = dict[str, np.ndarray]
TODAY = date(2026, 6, 1)


def rank(first: Any, second: Any) -> float:
    return float(stats.spearmanr(first, second).statistic)


def tie(first: Any, second: Any) -> float:
    """Cramér's V of two columns of words: 0 for independence, 1 for full dependence."""
    table = stats.contingency.crosstab(first, second).count
    return float(stats.contingency.association(table, method="cramer"))


def share(mask: Any, of: Any) -> float:
    return float(np.mean(mask[of])) if of.any() else 0.0


def school(people: People) -> np.ndarray:
    return np.array([SCHOOL.index(each) for each in people["education"]])


def levels(people: People) -> np.ndarray:
    """Return the pay grades in the order of their mean pay: the words depend on the language."""
    words = sorted(set(people["level"]), key=lambda word: people["salary"][people["level"] == word].mean())
    return np.array([words.index(each) for each in people["level"]])


def states(people: People) -> dict[str, str]:
    """Return the words for single and widowed: those of the youngest and the oldest people."""
    words = set(people["marital"])
    ages = {word: people["age"][people["marital"] == word].mean() for word in words}
    return {"single": min(words, key=ages.__getitem__), "widowed": max(words, key=ages.__getitem__)}


def single(people: People) -> np.ndarray:
    women = {states({k: v[people["sex"] == sex] for k, v in people.items()})["single"] for sex in ("female", "male")}
    return np.isin(people["marital"], list(women))


def widowed(people: People) -> np.ndarray:
    words = {states({k: v[people["sex"] == sex] for k, v in people.items()})["widowed"] for sex in ("female", "male")}
    return np.isin(people["marital"], list(words))


# A measure of ten thousand people, and its range in real populations.
PAIRS: dict[str, tuple[Callable[[People], float], float, float]] = {
    "age and birthday": (lambda p: rank(p["age"], p["born"]), -1.0, -0.99),
    "age and education, up to thirty": (lambda p: rank(p["age"][p["age"] < 30], school(p)[p["age"] < 30]), 0.1, 0.5),
    "age and education, from forty": (lambda p: rank(p["age"][p["age"] > 40], school(p)[p["age"] > 40]), -0.3, -0.02),
    "doctorates before twenty-six": (lambda p: share(p["education"] == "doctorate", p["age"] < 26), 0.0, 0.0),
    "education and salary": (lambda p: rank(school(p), p["salary"]), 0.3, 0.85),
    "level and salary": (lambda p: rank(levels(p), p["salary"]), 0.3, 0.8),
    "age and level": (lambda p: rank(p["age"], levels(p)), 0.35, 0.85),
    "age and salary, up to fifty": (lambda p: rank(p["age"][p["age"] < 50], p["salary"][p["age"] < 50]), 0.15, 0.6),
    "age and years with the employer": (lambda p: rank(p["age"], p["years"]), 0.25, 0.7),
    "the retired below fifty": (lambda p: share(p["doing"] == "retired", p["age"] < 50), 0.0, 0.0),
    "the retired from seventy-five on": (lambda p: share(p["doing"] == "retired", p["age"] >= 75), 0.97, 1.0),
    "those at school from forty on": (lambda p: share(p["doing"] == "in education", p["age"] >= 40), 0.0, 0.0),
    "those at school up to twenty-two": (lambda p: share(p["doing"] == "in education", p["age"] <= 22), 0.15, 0.7),
    "job and department": (lambda p: tie(p["job"], p["department"]), 0.99, 1.0),
    "sex and job": (lambda p: tie(p["sex"], p["department"]), 0.2, 0.6),
    "education and job": (lambda p: tie(p["education"], p["job"]), 0.25, 0.8),
    "the single at eighteen": (lambda p: share(single(p), p["age"] == 18), 0.8, 1.0),
    "the single at sixty": (lambda p: share(single(p), abs(p["age"] - 60) < 5), 0.03, 0.3),
    "the widowed below twenty-five": (lambda p: share(widowed(p), p["age"] < 25), 0.0, 0.005),
    "widowed women from seventy on": (
        lambda p: share(widowed(p), (p["age"] > 70) & (p["sex"] == "female")),
        0.25,
        0.75,
    ),
    "widowed men from seventy on": (lambda p: share(widowed(p), (p["age"] > 70) & (p["sex"] == "male")), 0.08, 0.4),
    "age and children": (lambda p: rank(p["age"], p["children"]), 0.2, 0.6),
    "being single and children": (lambda p: rank(single(p), p["children"]), -0.7, -0.25),
    "sex and height": (lambda p: rank(p["sex"] == "male", p["height"]), 0.5, 0.85),
    "height and weight": (lambda p: rank(p["height"], p["weight"]), 0.3, 0.75),
    "height and shoe size": (lambda p: rank(p["height"], p["shoe"]), 0.6, 0.98),
    "age and weight, up to sixty": (lambda p: rank(p["age"][p["age"] < 60], p["weight"][p["age"] < 60]), 0.05, 0.35),
    "sex and blood group": (lambda p: tie(p["sex"], p["blood"]), 0.0, 0.05),
    "height and salary": (lambda p: rank(p["height"], p["salary"]), -0.2, 0.2),
    "sex and its code": (lambda p: tie(p["sex"], p["code"]), 1.0, 1.0),
}


def people_of(locale: str) -> People:
    """Return ten thousand people of a locale, by column."""
    people = {name: np.array(values) for name, values in made(LINES, ROWS, f"locale: {locale}\n").items()}
    people["born"] = people["born"].astype("datetime64[D]").astype(np.int64)
    people["weight"] = people["weight"].astype(float)
    return people


@pytest.mark.parametrize("locale", LOCALES)
def test_people_have_lives(locale: str) -> None:
    people = people_of(locale)
    found = {name: measure(people) for name, (measure, _, _) in PAIRS.items()}
    wrong = {name: round(value, 3) for name, value in found.items() if not _inside(value, *PAIRS[name][1:])}
    assert not wrong
    # Repeated facts agree: the name in the address, on the card, and in Latin letters.
    last = [each.split()[-1].lower() for each in people["card"]]
    latin = [each.lower().replace("'", "") for each in people["latin"]]
    same = [
        name.replace("-", " ").split()[-1] in text for name, text in zip(last, latin, strict=True) if text.isascii()
    ]
    assert np.mean(same) > 0.97


def _inside(value: float, low: float, high: float) -> bool:
    return low - 1e-9 <= value <= high + 1e-9


# The percentage of couples with one family name, by law and custom.
ONE_NAME = {
    "de-AT": (70, 86), "cs-CZ": (84, 96), "uk-UA": (79, 93), "it-IT": (0, 5), "es-ES": (0, 2), "ko-KR": (0, 9), "ja-JP": (100, 100),
    "el-GR": (2, 15), "en-US": (70, 86), "sv-SE": (50, 70),
}  # fmt: skip


@pytest.mark.parametrize("locale", ONE_NAME)
def test_a_household_is_one_family(locale: str) -> None:
    numbers = range(1, 6)
    lines = "born: birth-date(youngest = 18, oldest = 90)\nsex: sex\nadults: household-adults\nat_home: household-children\n"
    lines += "size: household-size\nall: number-of-children\nname: family-name\nother: partner-family-name\n"
    lines += "given: partner-given-name\nother_born: partner-birth-date\n"
    for each in numbers:
        lines += f"g{each}: child-given-name({each})\nb{each}: child-birth-date({each})\nf{each}: child-family-name({each})\n"
    columns = made(lines, 8000, f"locale: {locale}\n")
    rows = [dict(zip(columns, row, strict=True)) for row in zip(*columns.values(), strict=True)]
    sexes: dict[str, set[str]] = {}
    for line in entries(locale, "given-names"):
        sexes.setdefault(line["name"], set()).add(line["sex"])
    # One feminine form may belong to several names.
    male: dict[str, set[str]] = {}
    for line in entries(locale, "family-names"):
        for form in filter(None, line.values()):
            male.setdefault(form, set()).add(line["name"])
    years = 365.2425
    couples = [row for row in rows if row["adults"] == 2]
    assert 0.4 < len(couples) / len(rows) < 0.75
    older = [(row["born"] - row["other_born"]).days / years * (1 if row["sex"] == "female" else -1) for row in couples]
    assert 1.2 < sum(older) / len(older) < 2.8 and max(map(abs, older)) < 12
    low, high = ONE_NAME[locale]
    assert low <= 100 * sum(bool(male[row["other"]] & male[row["name"]]) for row in couples) / len(couples) <= high
    of_other_sex = sum(sexes[row["given"]] != {row["sex"]} for row in couples) / len(couples)
    assert 0.96 < of_other_sex <= 1
    for row in rows:
        children = [(row[f"b{each}"], row[f"g{each}"], row[f"f{each}"]) for each in numbers[: row["at_home"]]]
        assert row["size"] == row["adults"] + row["at_home"] and row["at_home"] <= row["all"]
        assert len({name for _, name, _ in children}) == len(children), row
        for earlier, later in pairwise(born for born, _, _ in children):
            assert (later - earlier).days > 250, row
        for born, _, family in children:
            assert 15.9 < (born - row["born"]).days / years < 47 and (TODAY - born).days / years < 25.1, row
            assert born <= TODAY
            # The father's name, or that of the only parent.
            father = row["name"] if row["sex"] == "male" or row["adults"] == 1 else row["other"]
            assert male[family] & (male[father] | male[row["name"]]), row
    assert 1.9 < sum(row["size"] for row in rows) / len(rows) < 2.6
