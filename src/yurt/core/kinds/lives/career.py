"""Work: employment status, open jobs, level, and pay."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from yurt.core.base import normal
from yurt.core.kinds.lives.population import population
from yurt.core.kinds.lives.school import BACHELOR, MASTER, UPPER_SECONDARY

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext
    from yurt.core.kinds.picks import Codes
    from yurt.core.sampling.streams import Unit

# Employment status: the numbers of `ACTIVITIES`.
LEARNING, EMPLOYED, SELF_EMPLOYED, UNEMPLOYED, HOME, RETIRED = range(6)
# Of those who are neither at school nor retired: cumulative shares of self-employed and unemployed, then the share of
# women and men at home. The others are employed.
ON_THEIR_OWN, OUT_OF_WORK = 0.1, 0.15
AT_HOME = (0.09, 0.02)
# The requirement of a job: none, a training, a bachelor's degree, a master's degree, or years of practice.
UNSKILLED, TRAINED, DEGREE, PROFESSION, LEADING = range(5)
# The pay of a level compared with the second one, and its minimum age.
LEVELS = ((0.78, 0), (1.0, 0), (1.25, 26), (1.5, 30), (1.95, 36))
# The pay of a job of a class compared with the median of the country.
CLASSES = (0.66, 0.88, 1.15, 1.7, 1.6)
# The ages at which people of a class begin to work.
STARTS = np.array([16, 18, 22, 25, 24])
SPREAD = 0.13
LOWEST, HIGHEST = 0.3, 8.0


def activity(context: KindContext) -> Codes:
    """Return the employment status."""
    age, u = context.age(), context.unit("activity")
    pensions = np.array([population(str(each["country-code"])).retired for each in context.facts])[context.locale()]
    home = OUT_OF_WORK + np.array(AT_HOME)[context.sex()]
    found = np.select(
        [u < ON_THEIR_OWN, u < OUT_OF_WORK, u < home], [SELF_EMPLOYED, UNEMPLOYED, HOME], default=EMPLOYED
    )
    # Half have stopped at the usual age, and hardly anybody five years earlier.
    stopped = 1 / (1 + np.exp(-(age - pensions) * 1.1))
    found = np.where(context.unit("activity", "retired") < np.where(age < pensions - 5, 0.0, stopped), RETIRED, found)
    school = (age < 16) | ((context.life("learning") > 0) & (context.unit("activity", "school") < 0.8))
    found = np.where(school, LEARNING, found)
    return found.astype(np.int64)


def job_class(context: KindContext) -> Codes:
    """Return the class of jobs of a person, by education and age."""
    school, age, u = context.life("education"), context.age(), context.unit("job", "class")
    found = np.where(u < np.where(school >= UPPER_SECONDARY, 0.78, 0.2), TRAINED, UNSKILLED)
    found = np.where((school >= BACHELOR) & (u < 0.85), DEGREE, found)
    found = np.where((school >= MASTER) & (u < 0.4) & (age >= 27), PROFESSION, found)
    leads = (age >= 36) & (school >= UPPER_SECONDARY) & (context.unit("job", "leads") < 0.07)
    return np.where(leads, LEADING, found).astype(np.int64)


def level(context: KindContext) -> Codes:
    """Return the level of a person, 0 to 4, by age."""
    age = context.age()
    place = 0.45 * np.clip((age - 20) / 45, 0, 1) + 0.55 * context.unit("level")
    place = place + 0.08 * (context.life("job class") == LEADING)
    found = np.searchsorted((0.25, 0.58, 0.78, 0.9), place, side="right")
    open_to = np.searchsorted([least for _, least in LEVELS], age, side="right") - 1
    reached: Codes = np.minimum(found, np.maximum(open_to, 0)).astype(np.int64)
    return reached


def pay(context: KindContext) -> Unit:
    """Return the annual salary compared with the median of the country: by job, level, and years of practice."""

    level, jobs = context.life("level"), context.life("job class")
    found = np.array([pays for pays, _ in LEVELS])[level] * np.array(CLASSES)[jobs] * _of_job(context)
    found = found * (0.92 + 0.004 * np.clip(context.age() - 20, 0, 40))
    found = found * np.exp(normal.inverse(context.unit("salary")) * SPREAD)
    clipped: Unit = np.clip(found, LOWEST, HIGHEST)
    return clipped


def _of_job(context: KindContext) -> Unit:
    """Return the pay of the job compared with others of its class."""
    jobs = context.pick("jobs")
    return jobs.numbers("pay") if jobs.has("pay") else np.ones(context.rows)


def years_worked(context: KindContext) -> Codes:
    """Return the years with the employer: fewer than since the end of school, and none after retirement."""
    started = np.maximum(STARTS[context.life("job class")], 16)
    possible = np.clip(np.minimum(context.age(), 65) - started, 0, None)
    found: Codes = np.floor((possible + 1) * context.unit("employed") ** 2).astype(np.int64).clip(0, possible)
    return found
