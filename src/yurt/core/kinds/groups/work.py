"""Kinds of work: the department, the title, the level, and the salary of one person agree."""

from __future__ import annotations

from math import floor, log10
from typing import TYPE_CHECKING

from yurt.core.base.types import INTEGER
from yurt.core.kinds.catalogue import Parameter, kind
from yurt.core.kinds.contract import Contract, Terms, between, fact, listed, one_of
from yurt.core.kinds.lists import facts
from yurt.core.kinds.lives.words import ACTIVITIES

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext
    from yurt.core.kinds.picks import Pick

# The limits of salaries, compared with the median of the country.
LEAST, MOST = 0.3, 8.0
LONGEST_WORK = 80


def _job(context: KindContext) -> Pick:
    return context.pick("jobs")


@kind(
    "department",
    "a part of a company",
    about="work",
    by_age=True,
    listed=("jobs", "department"),
)
def department(context: KindContext) -> Column:
    return _job(context).text("department")


@kind("job-title", "an occupation, in agreement with department and sex", about="work", by_age=True,
      source="HTML autofill (organization-title)", listed=("jobs", "male"),
      contract=listed("jobs", "male", "female"))  # fmt: skip
def job_title(context: KindContext) -> Column:
    return _job(context).text_by_sex("male", "female", context.sex())


@kind("pay-grade", "the level of a job", about="work", by_age=True, contract=fact("levels"))
def job_level(context: KindContext) -> Column:
    return context.by_locale(
        lambda number, places: context.word_of(context.facts[number]["levels"], context.life("level")[places])
    )


def _salary(terms: Terms) -> Contract:
    """The lowest and the highest salary in any of the countries."""
    own = terms.one("middle")
    middles = [float(own) if own else float(facts(each, terms.folder)["salary"]) for each in terms.locales]
    steps = [10.0 ** (floor(log10(each)) - 2) for each in middles]
    return Contract(
        low=min(int(round(each * LEAST / step) * step) for each, step in zip(middles, steps, strict=True)),
        high=max(int(round(each * MOST / step) * step) for each, step in zip(middles, steps, strict=True)),
    )


@kind(
    "salary",
    "a year's salary in the currency of the country, in agreement with age, job and level",
    about="work",
    by_age=True,
    type=INTEGER,
    parameters={"middle": Parameter("the salary in the middle of the country")},
    contract=_salary,
)
def salary(context: KindContext) -> Column:
    import numpy as np

    own = context.given("middle")
    middle = np.array([float(own) if own else float(each["salary"]) for each in context.facts])[context.locale()]
    step = 10.0 ** (np.floor(np.log10(middle)) - 2)
    return context.whole(np.rint(middle * context.life("pay") / step) * step)


@kind(
    "years-employed",
    "years with the employer, within the person's working life",
    about="work",
    by_age=True,
    type=INTEGER,
    contract=between(0, LONGEST_WORK),
)
def years_employed(context: KindContext) -> Column:
    return context.whole(context.life("years"))


@kind(
    "employment-status",
    "the employment status: studying, working, or retired, in agreement with age and education",
    about="work",
    by_age=True,
    contract=one_of(ACTIVITIES),
)
def employment_status(context: KindContext) -> Column:
    return context.word_of(list(ACTIVITIES), context.life("activity"))
