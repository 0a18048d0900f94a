"""The body: height by sex, age, and country; weight and shoe size by height; the blood group by country."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from yurt.core.base import normal
from yurt.core.kinds.lives.population import population

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext
    from yurt.core.kinds.picks import Codes
    from yurt.core.sampling.streams import Unit

# Standard deviations of the height of adults in centimetres, women and men.
DEVIATIONS = (6.4, 7.1)
# The share of the adult height at an age (CDC growth charts 2000, 50th percentile).
AGES = (0, 1, 2, 4, 6, 8, 10, 12, 14, 16, 18)
GROWN = (0.29, 0.43, 0.50, 0.60, 0.68, 0.75, 0.81, 0.87, 0.95, 0.985, 1.0)
# Centimetres that are lost with every year after sixty.
SHRUNK = 0.12
SHORTEST, TALLEST = 45, 215
# The standard deviation of the logarithm of the body mass index.
MASS_DEVIATION = 0.15
LIGHTEST, HEAVIEST = 2.5, 220.0


def height(context: KindContext) -> Unit:
    """Return the height in centimetres."""

    people = [population(str(each["country-code"])) for each in context.facts]
    tall = np.array([[each.tall_female, each.tall_male] for each in people])[context.locale(), context.sex()]
    age = context.age()
    grown = np.interp(age, AGES, GROWN)
    found = (tall + normal.inverse(context.unit("height")) * np.array(DEVIATIONS)[context.sex()]) * grown
    shrunk: Unit = np.clip(found - np.clip(age - 60, 0, None) * SHRUNK, SHORTEST, TALLEST)
    return shrunk


def weight(context: KindContext) -> Unit:
    """Return the weight in kilograms: a body mass index by country and age, times the square of the height."""

    mass = np.array([population(str(each["country-code"])).mass for each in context.facts])[context.locale()]
    age = context.age()
    # Children have an index of about 16; it rises until the age of sixty.
    usual = np.where(age < 18, 16 + np.clip(age - 6, 0, None) * 0.4, mass - 2.5 + np.clip(age - 18, 0, 42) * 0.08)
    index = usual * np.exp(normal.inverse(context.unit("weight")) * MASS_DEVIATION)
    found: Unit = np.clip(index * (context.life("height") / 100) ** 2, LIGHTEST, HEAVIEST)
    return found


def shoe(context: KindContext) -> Codes:
    """Return the shoe size (European, two thirds of a centimetre each): a foot is about 15% of the height."""

    part = np.array([0.1495, 0.1525])[context.sex()]
    foot = context.life("height") * part + normal.inverse(context.unit("shoe")) * 0.6
    found: Codes = np.clip(np.rint((foot + 1.5) * 1.5), 16, 52).astype(np.int64)
    return found


def blood(context: KindContext) -> Codes:
    """Return the blood group: a position in `BLOOD_GROUPS`."""
    shares = np.array([population(str(each["country-code"])).blood for each in context.facts])
    ends = np.cumsum(shares / shares.sum(axis=1, keepdims=True), axis=1)[context.locale()]
    found: Codes = (context.unit("blood")[:, None] > ends[..., :-1]).sum(axis=1).astype(np.int64)
    return found
