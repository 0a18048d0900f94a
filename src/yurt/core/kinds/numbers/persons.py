"""The numbers that states know persons by, by country.

They agree with the person's birthday and sex where the number says them. `live` lifts the ranges that are kept free.
"""

from __future__ import annotations

from yurt.core.kinds.numbers.persons_elsewhere import ELSEWHERE
from yurt.core.kinds.numbers.persons_of_europe import EUROPE

PERSONS = {**EUROPE, **ELSEWHERE}
