"""The aspects of a life by name: each follows from sex, age, and country, and from earlier aspects."""

from __future__ import annotations

from collections.abc import Callable

from yurt.core.base.arrays import Numbers
from yurt.core.kinds.context import KindContext
from yurt.core.kinds.lives import body, career, family, household, school

LIFE: dict[str, Callable[[KindContext], Numbers]] = {
    "planned education": school.planned, "education": school.reached, "learning": school.learning,
    "activity": career.activity, "job class": career.job_class, "level": career.level, "pay": career.pay,
    "years": career.years_worked, "marital": family.marital, "children": family.children,
    "adults": household.adults, "children at home": household.children,
    "one family name": household.shares_name,
    "height": body.height, "weight": body.weight, "shoe": body.shoe, "blood": body.blood,
}  # fmt: skip
