"""Statistics of the people of a country, rounded: blood groups, height, body mass, retirement, marriage, surnames.

Blood groups are the published shares of blood services; height and body mass follow NCD-RisC (2016, 2020), ages of
retirement the OECD (Pensions at a Glance 2023). `married` says by how many years people marry earlier (below 0) or
later than in the middle of Europe, `divorce` how many marriages end so in comparison. `surname` is the share of the
commonest surname in percent.
"""

from __future__ import annotations

import csv
from dataclasses import dataclass
from functools import cache
from pathlib import Path


@dataclass(frozen=True, slots=True)
class Population:
    """What is usual in one country: centimetres, kilograms by square metre, years, percent."""

    blood: tuple[float, ...]
    tall_female: float
    tall_male: float
    mass: float
    retired: float
    married: float
    divorce: float
    surname: float


@cache
def _countries() -> dict[str, Population]:
    path = Path(__file__).with_name("population.csv")
    found = {}
    for line in csv.DictReader(path.read_text("utf-8").splitlines()):
        blood = tuple(float(each) for each in line.pop("blood").split())
        country, *numbers = line.values()
        found[country] = Population(blood, *map(float, numbers))
    return found


def population(country: str) -> Population:
    """Return the statistics of a country, by its code; those of Germany for one that is not known."""
    return _countries().get(country) or _countries()["DE"]
