"""Common parts of personal numbers: the birthday and sex, and letters of names."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from yurt.core.base.data_classes import dataclass
from yurt.core.kinds.numbers.digits import (
    Cells,
    Digits,
    two_digits,
)
from yurt.core.kinds.numbers.numbered import numbered, places_of

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext


@dataclass(frozen=True)
class Birth:
    """Birthdays as numbers, and as cells for shapes: `d`, `m`, `y` (two digits of the year), `c` (all four)."""

    year: Digits
    cells: dict[str, Cells]


def birth(context: KindContext, months: int = 0, days: int = 0) -> Birth:
    """Return the persons' birthdays; `months` and `days` are added for some countries, `s` is odd for men."""
    dates = context.born().astype("datetime64[D]")
    year = dates.astype("datetime64[Y]").astype(np.int64) + 1970
    month = dates.astype("datetime64[M]").astype(np.int64) % 12 + 1
    day = (dates - dates.astype("datetime64[M]").astype("datetime64[D]")).astype(np.int64) + 1
    odd = (context.unit("number", "sex digit") * 5).astype(np.int64) * 2 + context.sex()
    cells = {
        "d": two_digits(day + days), "m": two_digits(month + months), "y": two_digits(year % 100),
        "c": places_of(year, 4), "s": odd[:, None],
    }  # fmt: skip
    return Birth(year, cells)


def number_of(
    context: KindContext, shape: str, checks: tuple[Callable[[Cells], Cells], ...], given: dict[str, Cells]
) -> Cells:
    """Return a number shared by all kinds of the record."""
    return numbered(context, shape, checks, given, shared=True, purpose="national-id")


def value(char: str) -> int:
    return int(char) if char.isdigit() else ord(char) - ord("A") + 10


def split(name: str) -> tuple[str, str]:
    letters = [each for each in name.upper() if "A" <= each <= "Z"]
    return "".join(each for each in letters if each not in "AEIOU"), "".join(
        each for each in letters if each in "AEIOU"
    )


def below_ten(rest: Digits) -> Digits:
    return np.where(rest == 10, -1, rest)
