"""Kinds of work: the department, the title, the level and the salary of one person agree."""

from __future__ import annotations

from math import floor, log10
from typing import TYPE_CHECKING

from yurt.core.base.types import INTEGER
from yurt.core.kinds.catalogue import Parameter, kind
from yurt.core.kinds.contract import Contract, Terms, between, fact, listed
from yurt.core.kinds.lists import facts

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext
    from yurt.core.kinds.picks import Codes, Pick

# The age at which people stop working.
RETIRED = 65
# How much a level earns in comparison with the middle one, and how frequent it is.
LEVELS = (("level-1", 0.72, 0.26), ("level-2", 1.0, 0.36), ("level-3", 1.35, 0.22), ("level-4", 1.75, 0.11),
          ("level-5", 2.5, 0.05))  # fmt: skip


def _job(context: KindContext) -> Pick:
    return context.pick("jobs")


def _level(context: KindContext) -> Codes:
    import numpy as np

    ends = np.cumsum([share for _, _, share in LEVELS])
    return np.minimum(np.searchsorted(ends, context.unit("level"), side="right"), len(LEVELS) - 1)


@kind(
    "department",
    "a part of a company",
    about="work",
    listed=("jobs", "department"),
)
def department(context: KindContext) -> Column:
    return _job(context).text("department")


@kind("job-title", "an occupation, in agreement with department and sex", about="work",
      source="HTML autofill (organization-title)", listed=("jobs", "male"),
      contract=listed("jobs", "male", "female"))  # fmt: skip
def job_title(context: KindContext) -> Column:
    return _job(context).text_by_sex("male", "female", context.sex())


@kind("pay-grade", "how far up somebody is", about="work", contract=fact("levels"))
def job_level(context: KindContext) -> Column:
    return context.by_locale(
        lambda number, places: context.word_of(context.facts[number]["levels"], _level(context)[places])
    )


def _salary(terms: Terms) -> Contract:
    """What the lowest and the highest level earn in any of the countries."""
    own = terms.one("middle")
    middles = [float(own) if own else float(facts(each, terms.folder)["salary"]) for each in terms.locales]
    low, high = LEVELS[0][1] * 0.9, LEVELS[-1][1] * 1.1
    steps = [10.0 ** (floor(log10(each)) - 2) for each in middles]
    return Contract(
        low=min(int(round(each * low / step) * step) for each, step in zip(middles, steps, strict=True)),
        high=max(int(round(each * high / step) * step) for each, step in zip(middles, steps, strict=True)),
    )


@kind("salary", "a year's salary in the currency of the country, in agreement with the level", about="work",
      type=INTEGER, parameters={"middle": Parameter("the salary of the middle level")}, contract=_salary)  # fmt: skip
def salary(context: KindContext) -> Column:
    import numpy as np

    own = context.given("middle")
    middle = np.array([float(own) if own else float(each["salary"]) for each in context.facts])
    step = 10.0 ** (np.floor(np.log10(middle)) - 2)
    level = np.array([factor for _, factor, _ in LEVELS])[_level(context)]
    values = middle[context.locale()] * level * (0.9 + 0.2 * context.unit("salary"))
    return context.whole(np.rint(values / step[context.locale()]) * step[context.locale()])


@kind(
    "years-employed",
    "years with the employer, fewer than the person could have worked",
    about="work",
    type=INTEGER,
    contract=between(0, RETIRED - 17),
)
def years_employed(context: KindContext) -> Column:
    import numpy as np

    return context.whole(np.clip(context.age() - 17, 1, RETIRED - 17) * context.unit("employed") ** 2)
