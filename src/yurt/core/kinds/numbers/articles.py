"""Numbers of articles, securities, and companies, each with the check digit of its standard."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from yurt.core.columns.column import Column
from yurt.core.kinds.numbers.digits import Cells, Digits, gs1, luhn, mod_97, two_digits, weighted_sum
from yurt.core.kinds.numbers.numbered import numbered, written

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext


def checked(context: KindContext, rule: str, shape: str, form: str = "") -> Column:
    """Return numbers of a shape with the check digits of a rule."""
    return written(RULES[rule](context, shape), form)


def _simple(check: Callable[[Cells], Digits]) -> Callable[[KindContext, str], Cells]:
    return lambda context, shape: numbered(context, shape, (lambda cells: check(cells[:, :-1]),))


def _ten_is_x(digit: Digits) -> Digits:
    return np.where(digit == 10, ord("X") - ord("A") + 10, digit)


def _isbn_10(cells: Cells) -> Digits:
    """Weights 10 to 2, modulo 11; 10 is X."""
    return _ten_is_x(-weighted_sum(cells, tuple(range(10, 1, -1))) % 11)


def _issn(cells: Cells) -> Digits:
    """Weights 8 to 2, modulo 11; 10 is X."""
    return _ten_is_x(-weighted_sum(cells, tuple(range(8, 1, -1))) % 11)


def _mod_97(context: KindContext, shape: str) -> Cells:
    """Two digits for which the number, with letters as two digits, is 1 modulo 97 (ISO 7064, MOD 97-10)."""
    zeros = (lambda cells: two_digits(98 - mod_97(np.pad(cells[:, :-2], ((0, 0), (0, 2))))),)
    return numbered(context, shape, zeros)


def _reference(context: KindContext, shape: str) -> Cells:
    """RF, two digits, and the number, where number, RF, and digits are 1 modulo 97."""
    body = numbered(context, shape)
    rf = np.tile([27, 15], (context.rows, 1))
    nothing = np.zeros((context.rows, 2), dtype=np.int64)
    digits = two_digits(98 - mod_97(np.concatenate((body, rf, nothing), axis=1)))
    return np.concatenate((rf, digits, body), axis=1)


def _isin(context: KindContext, shape: str) -> Cells:
    """The country, nine characters, and a Luhn digit over the digits, where a letter counts as two digits."""
    country = np.array([[ord(char) - ord("A") + 10 for char in each["country-code"]] for each in context.facts])
    place = np.broadcast_to(context.locale(), (context.rows,))
    given = {"c": country[place]}
    return numbered(context, "cc" + shape, (lambda cells: _isin_digit(cells[:, :11]),), given)


def _isin_digit(cells: Cells) -> Digits:
    letters = cells[0] > 9 if len(cells) else np.zeros(cells.shape[1], dtype=np.bool_)
    columns = [
        part
        for at, column in enumerate(cells.T)
        for part in ((column // 10, column % 10) if letters[at] else (column,))
    ]
    return luhn(np.stack(columns, axis=1))


# The value of each letter in a vehicle's number, and the weight of each position (49 CFR 565.15).
_VIN_LETTERS = "ABCDEFGHJKLMNPRSTUVWXYZ0123456789"
_VIN_VALUES = dict(
    zip("ABCDEFGHJKLMNPRSTUVWXYZ", (1, 2, 3, 4, 5, 6, 7, 8, 1, 2, 3, 4, 5, 7, 9, 2, 3, 4, 5, 6, 7, 8, 9), strict=True)
)
_VIN_WEIGHTS = (8, 7, 6, 5, 4, 3, 2, 10, 0, 9, 8, 7, 6, 5, 4, 3, 2)


# The letter or digit of a model year, from 1980 on; it repeats after thirty years.
_VIN_YEARS, _FIRST_YEAR = "ABCDEFGHJKLMNPRSTVWXY123456789", 1980


def vehicle_year(context: KindContext) -> Digits:
    """Return model years, the later ones more often, in the range of a field of the record if there is one."""
    this = context.today_date.year
    first, last = (
        int((context.asked(name) or [year])[0]) for name, year in (("earliest", this - 25), ("latest", this))
    )
    u = np.sqrt(context.unit("vehicle", "year"))
    found: Digits = first + (u * (last - first + 1)).astype(np.int64).clip(0, last - first)
    return found


def _vin(context: KindContext, shape: str) -> Cells:
    """Seventeen characters without I, O, and Q; the ninth is a check digit, the tenth the year, the last six are
    digits.
    """
    known = np.array([_value(each) for each in _VIN_LETTERS])
    cells = numbered(context, "########=########", (lambda cells: np.zeros(len(cells), dtype=np.int64),))
    for place in (*range(8), 10):
        cells[:, place] = known[(context.own_unit("vin", place) * len(known)).astype(np.int64)]
    year = np.array([_value(each) for each in _VIN_YEARS])
    cells[:, 9] = year[(context.vehicle_year() - _FIRST_YEAR) % len(year)]
    for place, char in enumerate(shape.rstrip("@")):
        cells[:, place] = _value(char)
    worth = np.array([_VIN_VALUES.get(chr(ord("A") + each - 10), 0) if each > 9 else each for each in range(36)])
    cells[:, 8] = _ten_is_x(weighted_sum(worth[cells], _VIN_WEIGHTS) % 11)
    return cells


def _value(char: str) -> int:
    return int(char) if char.isdigit() else ord(char) - ord("A") + 10


def _s10(cells: Cells) -> Digits:
    """Weights 8 6 4 2 3 5 9 7, 11 minus the remainder modulo 11; 10 is written 0 and 11 is written 5."""
    digit = 11 - weighted_sum(cells, (8, 6, 4, 2, 3, 5, 9, 7)) % 11
    return np.where(digit == 10, 0, np.where(digit == 11, 5, digit))


def _cusip(cells: Cells) -> Digits:
    """Every second value counts double, and the digits of all products are added; letters are 10 to 35."""
    values = cells[:, :8] * np.array((1, 2, 1, 2, 1, 2, 1, 2))
    found: Digits = -(values // 10 + values % 10).sum(axis=1) % 10
    return found


def _sedol(cells: Cells) -> Digits:
    """Weights 1 3 1 7 3 9, modulo 10."""
    return -weighted_sum(cells[:, :6], (1, 3, 1, 7, 3, 9)) % 10


# The values of letters in container numbers: 10 to 38 without the multiples of 11 (ISO 6346, annex A).
_CONTAINER = np.array([*range(10), *(each for each in range(10, 39) if each % 11)])


def _container(cells: Cells) -> Digits:
    """Powers of two as weights, modulo 11; 10 is written 0."""
    return weighted_sum(_CONTAINER[cells[:, :10]], tuple(2**at for at in range(10))) % 11 % 10


def _aba(cells: Cells) -> Digits:
    """Weights 3 7 1 over eight digits, modulo 10."""
    return -weighted_sum(cells[:, :8], (3, 7, 1, 3, 7, 1, 3, 7)) % 10


RULES: dict[str, Callable[[KindContext, str], Cells]] = {
    "gs1": _simple(gs1), "luhn": _simple(luhn), "isbn-10": _simple(_isbn_10), "issn": _simple(_issn),
    "mod-97": _mod_97, "reference": _reference, "isin": _isin, "vin": _vin, "s10": _simple(_s10),
    "cusip": _simple(_cusip), "sedol": _simple(_sedol), "container": _simple(_container), "aba": _simple(_aba),
}  # fmt: skip
