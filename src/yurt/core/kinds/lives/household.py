"""The household of a person: the partner, and the children who still live at home.

Partners are about as old, the man two years older in the middle (Eurostat: age at first marriage). Parents are 16 to 46
when a child is born, with three years between children in the middle, and children leave home at 19 to 25.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from yurt.core.kinds.lives.family import MARRIED, PARTNERED, YOUNGEST_PARENT
from yurt.core.kinds.lives.population import population
from yurt.core.kinds.relative import Relative

if TYPE_CHECKING:
    from yurt.core.base.arrays import Numbers
    from yurt.core.kinds.context import KindContext
    from yurt.core.kinds.picks import Codes

YEAR = 365.2425
SAME_SEX = 0.02
# Years: how much older the man of a couple is, and the spread of that.
OLDER, SPREAD = 2.0, 3.0
OLDEST_AT_BIRTH, BETWEEN = 46.0, 3.0
LEAVES_HOME, LATER = 19.0, 6.0
MOST_AT_HOME = 5
# The children of those who have none: what is drawn for a row without such a child.
AS_IF = 15.0


def adults(context: KindContext) -> Codes:
    """Return how many adults live together: the person, and a partner."""
    status = context.life("marital")
    found: Codes = 1 + ((status == MARRIED) | (status == PARTNERED)).astype(np.int64)
    return found


def children(context: KindContext) -> Codes:
    """Return how many children live at home."""
    found = np.zeros(context.rows, dtype=np.int64)
    every = context.life("children").astype(np.int64)
    for number in range(1, MOST_AT_HOME + 1):
        age = (context.today() - _birth(context, every - number + 1)) / YEAR
        found += (every >= number) & (age < _leaves(context))
    return found


def partner(context: KindContext) -> Relative:
    """Return the partner that a person has or could have."""
    same = context.unit("partner", "sex") < SAME_SEX
    sex = np.where(same, context.sex(), 1 - context.sex())
    older = OLDER * (sex - context.sex())
    # The sum of two uniform numbers is close to a normal one, and has an end.
    spread = SPREAD * 2.45 * (context.unit("partner", "age") + context.unit("partner", "age 2") - 1)
    latest = np.maximum(context.born(), context.today() - int(18 * YEAR))
    born = np.minimum(context.born() - ((older + spread) * YEAR).astype(np.int64), latest)
    return Relative("partner", sex, born)


def child(context: KindContext, number: int) -> Relative:
    """Return a child by its number at home, from the eldest; one that could be there where there are fewer."""
    every = context.life("children").astype(np.int64)
    order = every - children(context) + number
    born = _birth(context, order)
    as_if = context.today() - (AS_IF * YEAR * context.unit("child", number, "as if")).astype(np.int64)
    sex = (context.unit("child", number, "sex") < 0.512).astype(np.int64)
    return Relative(f"child {number}", sex, np.where(order <= every, born, as_if))


def shares_name(context: KindContext) -> Codes:
    """Return 1 where a couple has one family name, by the custom of the country, and 0 elsewhere."""
    shares = [population(str(each["country-code"])).shared_name / 100 for each in context.facts]
    found: Codes = (context.unit("partner", "name") < np.array(shares)[context.locale()]).astype(np.int64)
    return found


def _birth(context: KindContext, order: Codes) -> Codes:
    """Return the birthday of the child with a number in each row, from the eldest of all, at home or not."""
    every = np.maximum(context.life("children"), 1)
    span = np.minimum(BETWEEN * 1.07 * every, context.age() - YOUNGEST_PARENT)
    last = np.minimum(context.age() - span, OLDEST_AT_BIRTH - span)
    first = np.clip(20 + 14 * context.unit("child", "first"), YOUNGEST_PARENT, np.maximum(last, YOUNGEST_PARENT))
    # Every child has a part of the span of its own, and the parts do not touch.
    u = np.zeros(context.rows)
    for number in range(1, int(order.max(initial=1)) + 1):
        u = np.where(order == number, context.unit("child", "born", number), u)
    found: Numbers = first + span * (order - 1 + 0.1 + 0.5 * u) / every
    return context.born() + np.maximum(found * YEAR, 0).astype(np.int64)


def _leaves(context: KindContext) -> Numbers:
    """Return the age at which the children of a person leave home."""
    return LEAVES_HOME + LATER * context.unit("child", "leaves")
