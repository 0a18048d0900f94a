"""Personal numbers, by country.

They agree with the person's birthday and sex if they contain them. `live` lifts the reserved ranges.
"""

from __future__ import annotations

from yurt.core.kinds.numbers.persons_elsewhere import ELSEWHERE
from yurt.core.kinds.numbers.persons_of_europe import EUROPE

PERSONS = {**EUROPE, **ELSEWHERE}
