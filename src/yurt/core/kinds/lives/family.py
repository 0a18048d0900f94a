"""The family: marital status and number of children."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from yurt.core.kinds.lives.population import population

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext
    from yurt.core.kinds.picks import Codes

SINGLE, MARRIED, DIVORCED, WIDOWED, PARTNERED = range(5)
# By age: the share of those who have never married; of the others, the divorced and the widowed (women, men).
AGES = (17, 20, 25, 30, 35, 45, 55, 65, 75, 85, 100)
NEVER = (1.0, 0.97, 0.82, 0.58, 0.40, 0.25, 0.16, 0.10, 0.07, 0.06, 0.06)
DIVORCED_BY = (0.0, 0.0, 0.02, 0.05, 0.09, 0.16, 0.20, 0.18, 0.12, 0.07, 0.05)
WIDOWED_BY = (
    (0.0, 0.0, 0.0, 0.001, 0.004, 0.015, 0.04, 0.11, 0.28, 0.60, 0.85),
    (0.0, 0.0, 0.0, 0.0005, 0.001, 0.004, 0.012, 0.035, 0.10, 0.27, 0.55),
)
PARTNERS = 0.03
# Women marry a little earlier.
EARLIER = 2.0
# The number of children by the age of the parent, for those who are or were married, and for the others.
CHILDREN_BY = (0.0, 0.3, 0.7, 1.2, 1.6, 1.9, 1.9, 2.0, 2.1, 2.3, 2.5)
UNMARRIED = 0.35
MOST_CHILDREN = 7
YOUNGEST_PARENT = 16


def marital(context: KindContext) -> Codes:
    """Return the marital status, by age, sex, and country."""
    people = [population(str(each["country-code"])) for each in context.facts]
    locale, sex = context.locale(), context.sex()
    married = np.array([each.married for each in people])[locale]
    # Nobody marries before the age of 17 even where people marry early.
    age = np.clip(context.age() - np.where(context.age() > 20, married, 0) + EARLIER * (sex == 0), 0, 100)
    never = np.interp(age, AGES, NEVER)
    divorced = np.interp(age, AGES, DIVORCED_BY) * np.array([each.divorce for each in people])[locale]
    widowed = np.where(sex == 0, *(np.interp(context.age(), AGES, each) for each in WIDOWED_BY))
    u = context.unit("marital")
    ever = (u - never) / np.maximum(1 - never, 1e-9)
    found = np.where(ever < widowed, WIDOWED, np.where(ever < widowed + divorced * (1 - widowed), DIVORCED, MARRIED))
    partners = (found == MARRIED) & (context.unit("marital", "partners") < PARTNERS)
    return np.where(u < never, SINGLE, np.where(partners, PARTNERED, found)).astype(np.int64)


def children(context: KindContext) -> Codes:
    """Return the number of children of a person, by age and marital status (Poisson)."""
    mean = np.interp(context.age(), AGES, CHILDREN_BY)
    mean = mean * np.where(context.life("marital") == SINGLE, UNMARRIED, 1.0)
    u, chance = context.unit("children"), np.exp(-mean)
    found, total = np.zeros(len(u), dtype=np.int64), chance.copy()
    for number in range(1, MOST_CHILDREN + 1):
        found += u > total
        chance = chance * mean / number
        total = total + chance
    # A parent is at least 16, and children are born two years apart.
    most: Codes = np.minimum(found, np.maximum(context.age() - YOUNGEST_PARENT, 0) // 2)
    return most
