"""Statistics of the people of a country, rounded: blood groups, height, body mass, retirement, marriage, names.

Blood groups are the published shares of blood services; height and body mass follow NCD-RisC (2016, 2020), ages of
retirement the OECD (Pensions at a Glance 2023). `married` is the difference of the age at marriage from Central Europe
in years (negative is earlier), `divorce` the relative number of divorces. `surname` is the share of the most common
surname, and `shared-name` that of couples with one family name (by law and custom, rounded), both in percent.
"""

from __future__ import annotations

import csv
from functools import cache
from pathlib import Path

from yurt.core.base.data_classes import dataclass


@dataclass(frozen=True)
class Population:
    """The usual values of one country: centimetres, kilograms per square metre, years, percent."""

    blood: tuple[float, ...]
    tall_female: float
    tall_male: float
    mass: float
    retired: float
    married: float
    divorce: float
    surname: float
    shared_name: float


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
    """Return the statistics of a country by its code; those of Germany for an unknown one."""
    return _countries().get(country) or _countries()["DE"]
