"""Kinds of work: the department, the title, the level and the salary of one person agree."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.base.types import INTEGER
from yurt.core.kinds.catalogue import Parameter, kind

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


@kind("department", "a part of a company", about="work", listed=("jobs", "department"))
def department(context: KindContext) -> Column:
    return _job(context).text("department")


@kind("job-title", "an occupation, in agreement with department and sex", about="work",
      source="HTML autofill (organization-title)", listed=("jobs", "male"))  # fmt: skip
def job_title(context: KindContext) -> Column:
    return _job(context).text_by_sex("male", "female", context.sex())


@kind("job-level", "how far up somebody is", about="work")
def job_level(context: KindContext) -> Column:
    return context.by_locale(
        lambda number, places: context.word_of(context.facts[number]["levels"], _level(context)[places])
    )


@kind("salary", "a year's salary in the currency of the country, in agreement with the level", about="work",
      type=INTEGER, parameters={"middle": Parameter("the salary of the middle level")})  # fmt: skip
def salary(context: KindContext) -> Column:
    import numpy as np

    own = context.given("middle")
    middle = np.array([float(own) if own else float(each["salary"]) for each in context.facts])
    step = 10.0 ** (np.floor(np.log10(middle)) - 2)
    level = np.array([factor for _, factor, _ in LEVELS])[_level(context)]
    values = middle[context.locale()] * level * (0.9 + 0.2 * context.unit("salary"))
    return context.whole(np.rint(values / step[context.locale()]) * step[context.locale()])


@kind("years-employed", "years with the employer, fewer than the person could have worked", about="work", type=INTEGER)
def years_employed(context: KindContext) -> Column:
    import numpy as np

    return context.whole(np.clip(context.age() - 17, 1, RETIRED - 17) * context.unit("employed") ** 2)
