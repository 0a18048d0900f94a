"""The highest level of education that a person has reached at an age, by ISCED 2011.

The numbers are positions in `EDUCATION`.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext
    from yurt.core.kinds.picks import Codes

# Shares (in percent) of the levels among people of forty, and the minimum age for each.
SHARES = (1, 3, 12, 40, 7, 6, 16, 13, 2)
AGES = np.array([0, 11, 15, 18, 19, 20, 21, 23, 27])
UPPER_SECONDARY, BACHELOR, MASTER = 3, 6, 7
# Older generations spent fewer years at school: the shift towards lower levels per year of age.
EARLIER = 0.0035
# The additional years that some people need.
SLOWER = 3


def planned(context: KindContext) -> Codes:
    """Return the final level of a person."""
    ends = np.cumsum(SHARES) / 100
    older = np.clip(context.age() - 40, 0, 45) * EARLIER
    found: Codes = np.searchsorted(ends[:-1], context.unit("education") * (1 - older), side="right").astype(np.int64)
    return found


def reached(context: KindContext) -> Codes:
    """Return the level of a person at their age, at most the final one."""
    slower = (context.unit("education", "slower") * SLOWER).astype(np.int64)
    plan = context.life("planned education")
    # Until the end of school everybody is about the same age.
    at_school = np.minimum(np.searchsorted(AGES, context.age(), side="right"), UPPER_SECONDARY + 1)
    possible = np.maximum(at_school, np.searchsorted(AGES, context.age() - slower, side="right")) - 1
    found: Codes = np.minimum(plan, np.maximum(possible, 0))
    return found


def learning(context: KindContext) -> Codes:
    """Return whether a person has yet to reach the final level."""
    young = context.age() < 32
    return ((context.life("education") < context.life("planned education")) & young).astype(np.int64)
