"""The highest level of education that a person has reached at an age, by ISCED 2011.

The numbers stand for the words of `EDUCATION`.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext
    from yurt.core.kinds.picks import Codes

# Shares (in percent) of the levels among people of forty, and the age at which each is reached at the earliest.
SHARES = (1, 3, 12, 40, 7, 6, 16, 13, 2)
AGES = np.array([0, 11, 15, 18, 19, 20, 21, 23, 27])
UPPER_SECONDARY, BACHELOR, MASTER = 3, 6, 7
# Those who were born earlier stayed at school for a shorter time: how far that moves them down, by year of age.
EARLIER = 0.0035
# Years that some take longer than others.
SLOWER = 3


def planned(context: KindContext) -> Codes:
    """Return the level that a person reaches in the end."""
    ends = np.cumsum(SHARES) / 100
    older = np.clip(context.age() - 40, 0, 45) * EARLIER
    found: Codes = np.searchsorted(ends[:-1], context.unit("education") * (1 - older), side="right").astype(np.int64)
    return found


def reached(context: KindContext) -> Codes:
    """Return the level that a person has reached at their age, at most the planned one."""
    slower = (context.unit("education", "slower") * SLOWER).astype(np.int64)
    plan = context.life("planned education")
    # Up to the end of school everybody is about as old.
    at_school = np.minimum(np.searchsorted(AGES, context.age(), side="right"), UPPER_SECONDARY + 1)
    possible = np.maximum(at_school, np.searchsorted(AGES, context.age() - slower, side="right")) - 1
    found: Codes = np.minimum(plan, np.maximum(possible, 0))
    return found


def learning(context: KindContext) -> Codes:
    """Return whether a person is still on the way to the planned level."""
    young = context.age() < 32
    return ((context.life("education") < context.life("planned education")) & young).astype(np.int64)
