"""Errors in lists: an element is wrong, left out, repeated, or in another position."""

from __future__ import annotations

from random import Random
from typing import Any

from yurt.core.base.types import Type
from yurt.core.dirt.sorts import NUMBER, wrong
from yurt.core.formats.common.raw import Number, written
from yurt.core.formats.json.reading import DECODER

LEFT_OUT, TWICE, MOVED = "element left out", "element twice", "elements swapped"
# The weight of an error within an element, compared with each of the others.
ELEMENTS = 5


def wrong_list(text: str, dice: Random, of: Type) -> tuple[str, str] | None:
    """Return a JSON list with an error, and the kind of error; None for a list that no error fits."""
    values: list[Any] = DECODER.decode(text)
    if not values:
        return None
    at = dice.randrange(len(values))
    match dice.randrange(ELEMENTS + 3):
        case 0:
            return written([*values[:at], *values[at + 1 :]]), LEFT_OUT
        case 1:
            return written([*values[: at + 1], *values[at:]]), TWICE
        case 2:
            other = (at + 1) % len(values)
            moved = list(values)
            moved[at], moved[other] = moved[other], moved[at]
            return (written(moved), MOVED) if moved != values else None
        case _:
            if isinstance(values[at], list | dict | None):
                return None
            told = values[at] if isinstance(values[at], str) else written(values[at])
            found = wrong(told, dice, of)
            if found is None:
                return None
            number = of.numeric and NUMBER.fullmatch(found[0]) and not found[0].lstrip("-").startswith("0")
            element = Number(found[0]) if number else found[0]
            return written([*values[:at], element, *values[at + 1 :]]), found[1]
