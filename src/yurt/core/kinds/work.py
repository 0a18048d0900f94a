"""Kinds of work: the department, the title, the level and the salary of one person agree."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from yurt.core.kinds.catalogue import Parameter, kind
from yurt.core.types import INTEGER

if TYPE_CHECKING:
    from yurt.core.engine.world.lines import Pick
    from yurt.core.engine.world.world import World

# The age at which people stop working.
RETIRED = 65
# How much a level earns in comparison with the middle one, and how frequent it is.
LEVELS = (("level-1", 0.72, 0.26), ("level-2", 1.0, 0.36), ("level-3", 1.35, 0.22), ("level-4", 1.75, 0.11),
          ("level-5", 2.5, 0.05))  # fmt: skip


def _job(world: World) -> Pick:
    return world.pick("jobs")


def _level(world: World) -> Any:
    import numpy as np

    ends = np.cumsum([share for _, _, share in LEVELS])
    return np.minimum(np.searchsorted(ends, world.unit("level"), side="right"), len(LEVELS) - 1)


@kind("department", "a part of a company", about="work", listed=("jobs", "department"))
def department(world: World) -> Any:
    return _job(world).text("department")


@kind("job-title", "an occupation, in agreement with department and sex", about="work",
      source="HTML autofill (organization-title)", listed=("jobs", "male"))  # fmt: skip
def job_title(world: World) -> Any:
    return _job(world).text_by_sex("male", "female", world.sex())


@kind("job-level", "how far up somebody is", about="work")
def job_level(world: World) -> Any:
    return world.by_locale(
        lambda number, places: world.word_of(world.agreed.facts[number]["levels"], _level(world)[places])
    )


@kind("salary", "a year's salary in the currency of the country, in agreement with the level", about="work",
      type=INTEGER, parameters={"middle": Parameter("the salary of the middle level")})  # fmt: skip
def salary(world: World) -> Any:
    import numpy as np

    own = world.given("middle")
    middle = np.array([float(own) if own else float(each["salary"]) for each in world.agreed.facts])
    step = 10.0 ** (np.floor(np.log10(middle)) - 2)
    level = np.array([factor for _, factor, _ in LEVELS])[_level(world)]
    values = middle[world.locale()] * level * (0.9 + 0.2 * world.unit("salary"))
    return world.whole(np.rint(values / step[world.locale()]) * step[world.locale()])


@kind("years-employed", "years with the employer, fewer than the person could have worked", about="work", type=INTEGER)
def years_employed(world: World) -> Any:
    import numpy as np

    return world.whole(np.clip(world.age() - 17, 1, RETIRED - 17) * world.unit("employed") ** 2)
