"""The check digits of numbers that countries give to persons and companies, written independently of those that make
them.

Each rule gets the characters of texts of one length, characters × texts: digits as they are, letters as 10 to 35; marks
between groups are left out. The rules are those that the countries publish; `docs/kinds.md` names them.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import reduce

import numpy as np
from numpy.typing import NDArray

from yurt.core.columns.column import Mask

Cells = NDArray[np.int64]
Rule = Callable[[Cells], Mask]
WORD = {chr(ord("A") + at): 10 + at for at in range(26)} | {str(digit): digit for digit in range(10)}
# Dihedral group D5 (J. Verhoeff, 1969): its table, and the permutation that is applied once more at each position.
TURNS = np.array([[(a + b) % 5 if a < 5 and b < 5 else (a + b) % 5 + 5 if a < 5 else (a - b) % 5 + 5 if b < 5 else
                   (a - b) % 5 for b in range(10)] for a in range(10)])  # fmt: skip
PERMUTED = np.array([1, 5, 7, 6, 2, 8, 3, 0, 9, 4])


def _sum(cells: Cells, weights: tuple[int, ...]) -> Cells:
    found: Cells = (cells[: len(weights)] * np.array(weights)[:, None]).sum(axis=0)
    return found


def _number(cells: Cells, size: int = 1 << 62) -> Cells:
    """Return the number that digits represent, or its remainder."""
    return reduce(lambda left, right: (left * 10 + right) % size, cells, np.zeros(cells.shape[1], dtype=np.int64))


def _letters(word: str) -> Cells:
    return np.array([WORD[each] for each in word])


def _luhn(cells: Cells) -> Mask:
    doubled = cells[-2::-2] * 2
    found: Mask = (cells[::-2].sum(axis=0) + (doubled // 10 + doubled % 10).sum(axis=0)) % 10 == 0
    return found


def _mod_11_10(cells: Cells) -> Mask:
    """ISO 7064, MOD 11,10."""
    rest = np.full(cells.shape[1], 10)
    for each in cells[:-1]:
        rest = (rest + each) % 10
        rest = np.where(rest == 0, 10, rest) * 2 % 11
    found: Mask = (rest + cells[-1]) % 10 == 1
    return found


def _elevens(weights: tuple[int, ...], ten: int = -1, eleven: int = 0) -> Rule:
    """Return the rule that the next digit is 11 minus the weighted sum modulo 11; the replacements of 10 and 11 are
    given.
    """

    def good(cells: Cells) -> Mask:
        rest = 11 - _sum(cells, weights) % 11
        found: Mask = cells[len(weights)] == np.select([rest == 10, rest == 11], [ten, eleven], rest)
        return found

    return good


def _rest(weights: tuple[int, ...], size: int, rest: int = 0) -> Rule:
    """Return the rule that the weighted sum of all digits has a remainder."""
    return lambda cells: _sum(cells, weights) % size == rest


def _both(*rules: Rule) -> Rule:
    return lambda cells: np.logical_and.reduce([rule(cells) for rule in rules])


def _behind(front: int, rule: Rule, back: int = 0) -> Rule:
    """Return a rule for the characters between some at the start and some at the end."""
    return lambda cells: rule(cells[front : len(cells) - back])


def _any(cells: Cells) -> Mask:
    return np.ones(cells.shape[1], dtype=np.bool_)


# ---- persons ---------------------------------------------------------------------------------------------------------


def _italian(cells: Cells) -> Mask:
    odd = np.array([1, 0, 5, 7, 9, 13, 15, 17, 19, 21, 2, 4, 18, 20, 11, 3, 6, 8, 12, 14, 16, 10, 22, 25, 24, 23])
    letters = np.where(cells > 9, cells - 10, cells)
    found: Mask = (odd[letters[:15:2]].sum(axis=0) + letters[1:15:2].sum(axis=0)) % 26 == cells[15] - 10
    return found


def _french(cells: Cells) -> Mask:
    """Corsica's departments 2A and 2B count as 19 and 18."""
    digits = cells.copy()
    island = cells[6] > 9
    digits[5], digits[6] = np.where(island, 1, cells[5]), np.where(island, 19 - cells[6], cells[6])
    found: Mask = _number(digits[:13], 97) == 97 - _number(digits[13:])
    return found


def _irish(cells: Cells) -> Mask:
    """A second letter has the weight 9, with A for 1; W has no value."""
    total = _sum(cells, (8, 7, 6, 5, 4, 3, 2))
    if len(cells) == 9:
        total = total + np.where(cells[8] == WORD["W"], 0, cells[8] - 9) * 9
    found: Mask = total % 23 == np.where(cells[7] == WORD["W"], 0, cells[7] - 9)
    return found


def _spanish(cells: Cells) -> Mask:
    digits = cells[:8].copy()
    digits[0] = np.where(cells[0] > 9, cells[0] - WORD["X"], cells[0])
    found: Mask = cells[8] == _letters("TRWAGMYFPDXBNJZSQVHLCKE")[_number(digits, 23)]
    return found


def _czech(cells: Cells) -> Mask:
    """Nine digits have no check digit; of ten, the last is the remainder of the others, with 0 for 10 in older
    numbers.
    """
    if len(cells) == 9:
        return _any(cells)
    rest = _number(cells[:9], 11)
    found: Mask = cells[9] == rest % 10
    return found


def _finnish(cells: Cells) -> Mask:
    """The mark of the century is a letter, or a hyphen or plus, which is left out."""
    digits = np.concatenate((cells[:6], cells[-4:-1]))
    found: Mask = cells[-1] == _letters("0123456789ABCDEFHJKLMNPRSTUVWXY")[_number(digits, 31)]
    return found


def _turkish_person(cells: Cells) -> Mask:
    first = (cells[0:9:2].sum(axis=0) * 7 - cells[1:8:2].sum(axis=0)) % 10
    found: Mask = (cells[9] == first) & (cells[10] == cells[:10].sum(axis=0) % 10)
    return found


def _verhoeff(cells: Cells) -> Mask:
    check = np.zeros(cells.shape[1], dtype=np.int64)
    order = np.arange(10)
    for each in cells[::-1]:
        check = TURNS[check, order[each]]
        order = PERMUTED[order]
    found: Mask = check == 0
    return found


def _mexican_person(cells: Cells) -> Mask:
    """Ñ, the letter after N, raises the value of later letters by one."""
    values = np.where(cells[:17] > WORD["N"], cells[:17] + 1, cells[:17])
    found: Mask = cells[17] == -_sum(values, tuple(range(18, 1, -1))) % 10
    return found


def _mod_11_2(cells: Cells) -> Mask:
    """ISO 7064, MOD 11-2, X for ten."""
    ten = np.where(cells[-1] == WORD["X"], 10, cells[-1])
    found: Mask = (_sum(cells[:-1], tuple(2 ** (17 - at) % 11 for at in range(17))) + ten) % 11 == 1
    return found


NINE = (9, 8, 7, 6, 5, 4, 3, 2)
PERSONS: dict[str, Rule] = {
    "AT": lambda cells: cells[3] == (_sum(cells, (3, 7, 9)) + _sum(cells[4:], (5, 8, 4, 2, 1, 6))) % 11,
    "DE": _mod_11_10, "CH": _rest((1, 3) * 6 + (1,), 10), "IT": _italian, "SI": _elevens((7, 6, 5, 4, 3, 2) * 2, ten=0),
    "FR": _french, "GB": _elevens((10, *NINE)), "IE": _irish, "ES": _spanish, "PT": _elevens(NINE, ten=0),
    "NL": _rest((*NINE, -1), 11), "PL": _rest((1, 3, 7, 9) * 2 + (1, 3, 1), 10), "CZ": _czech,
    "SE": lambda cells: _luhn(cells[-10:]),
    "NO": _both(_elevens((3, 7, 6, 1, 8, 9, 4, 5, 2)), _elevens((5, 4, 3, 2, 7, 6, 5, 4, 3, 2))),
    "DK": _any, "FI": _finnish, "TR": _turkish_person, "GR": _luhn,
    "UA": lambda cells: cells[9] == _sum(cells, (-1, 5, 7, 9, 4, 6, 10, 5, 7)) % 11 % 10,
    "CA": _luhn, "US": _any, "IN": _verhoeff, "AU": _rest((1, 4, 3, 7, 5, 8, 6, 9, 10), 11), "MX": _mexican_person,
    "BR": _both(_elevens((10, *NINE), ten=0), _elevens((11, 10, *NINE), ten=0)),
    "JP": _elevens((6, 5, 4, 3, 2, 7, 6, 5, 4, 3, 2), ten=0), "CN": _mod_11_2, "KR": _any, "EG": _any,
}  # fmt: skip

# ---- companies -------------------------------------------------------------------------------------------------------


def _austrian(cells: Cells) -> Mask:
    """Weights 1 and 2 in turn, sums of digits, plus 4."""
    doubled = cells[4:10:2] * 2
    total = cells[3:10:2].sum(axis=0) + (doubled // 10 + doubled % 10).sum(axis=0)
    found: Mask = cells[10] == (6 - total) % 10
    return found


def _french_company(cells: Cells) -> Mask:
    found: Mask = _luhn(cells[4:]) & (_number(cells[2:4]) == (12 + 3 * _number(cells[4:], 97)) % 97)
    return found


def _british(cells: Cells) -> Mask:
    """The last two digits bring the weighted sum to a multiple of 97, or, in newer numbers, to 55 or 42 less."""
    total = _sum(cells[2:], (8, 7, 6, 5, 4, 3, 2, 10, 1))
    found: Mask = np.isin(total % 97, (0, 42, 55))
    return found


def _indian(cells: Cells) -> Mask:
    """Luhn over 36 characters."""
    values = cells[::-1]
    doubled = values[1::2] * 2
    found: Mask = (values[::2].sum(axis=0) + (doubled // 36 + doubled % 36).sum(axis=0)) % 36 == 0
    return found


def _australian(cells: Cells) -> Mask:
    first = cells.copy()
    first[0] -= 1
    found: Mask = _sum(first, (10, 1, 3, 5, 7, 9, 11, 13, 15, 17, 19)) % 89 == 0
    return found


def _spanish_company(cells: Cells) -> Mask:
    """A Luhn digit over the seven digits, or its letter (J for 0)."""
    doubled = cells[3:10:2] * 2
    total = cells[4:10:2].sum(axis=0) + (doubled // 10 + doubled % 10).sum(axis=0)
    digit = -total % 10
    found: Mask = (cells[10] == digit) | (cells[10] == np.where(digit == 0, WORD["J"], digit + 9))
    return found


def _mexican_company(cells: Cells) -> Mask:
    """The number is one character short, and a space (37) fills it; & comes before O, and A stands for ten."""
    values = np.where(cells[:11] >= WORD["O"], cells[:11] + 1, cells[:11])
    found: Mask = cells[11] == -(37 * 13 + _sum(values, tuple(range(12, 1, -1)))) % 11
    return found


def _dutch(cells: Cells) -> Mask:
    """By the elevens test; the numbers of the self-employed are a multiple of 97 plus 1, with letters as two digits."""
    rest = np.zeros(cells.shape[1], dtype=np.int64)
    for each in cells:
        rest = (rest * np.where(each > 9, 100, 10) + each) % 97
    found: Mask = (_sum(cells[2:], (*NINE, -1)) % 11 == 0) | (rest == 1)
    return found


def _turkish_company(cells: Cells) -> Mask:
    total = np.zeros(cells.shape[1], dtype=np.int64)
    for place, each in enumerate(cells[8::-1], start=1):
        moved = (each + place) % 10
        turned = moved * 2**place % 9
        total += np.where((turned == 0) & (moved != 0), 9, turned)
    found: Mask = cells[9] == -total % 10
    return found


def _ukrainian_company(cells: Cells) -> Mask:
    """Numbers from 30 to 60 million have special weights; if the remainder is 10, each weight is two more."""
    number = _number(cells[:8])
    middle = (number >= 30_000_000) & (number <= 60_000_000)
    first = np.where(middle, _sum(cells, (7, 1, 2, 3, 4, 5, 6)), _sum(cells, (1, 2, 3, 4, 5, 6, 7))) % 11
    again = np.where(middle, _sum(cells, (9, 3, 4, 5, 6, 7, 8)), _sum(cells, (3, 4, 5, 6, 7, 8, 9))) % 11 % 10
    found: Mask = cells[7] == np.where(first < 10, first, again)
    return found


def _chinese(cells: Cells) -> Mask:
    """Powers of 3, modulo 31, over an alphabet without I, O, S, V, and Z."""
    place = np.zeros(36, dtype=np.int64)
    place[_letters("0123456789ABCDEFGHJKLMNPQRTUWXY")] = np.arange(31)
    found: Mask = _sum(place[cells], (*(3**at % 31 for at in range(17)), 1)) % 31 == 0
    return found


def _korean(cells: Cells) -> Mask:
    total = _sum(cells, (1, 3, 7, 1, 3, 7, 1, 3, 5)) + cells[8] * 5 // 10
    found: Mask = (total + cells[9]) % 10 == 0
    return found


COMPANIES: dict[str, Rule] = {
    "AT": _austrian, "DE": _behind(2, _mod_11_10), "CH": _behind(3, _elevens((5, 4, 3, 2, 7, 6, 5, 4))),
    "IT": _behind(2, _luhn), "SI": _behind(2, _elevens((8, 7, 6, 5, 4, 3, 2), ten=0, eleven=-1)),
    "FR": _french_company, "CA": lambda cells: _luhn(cells[:9]), "US": _any, "GB": _british, "IN": _indian,
    "AU": _australian, "IE": _behind(2, _irish), "ES": _spanish_company, "MX": _mexican_company,
    "BR": _both(
        _elevens((5, 4, 3, 2, 9, 8, 7, 6, 5, 4, 3, 2), ten=0), _elevens((6, 5, 4, 3, 2, 9, 8, 7, 6, 5, 4, 3, 2), ten=0)
    ),
    "PT": _behind(2, _elevens(NINE, ten=0)), "NL": _dutch,
    "PL": _behind(2, _rest((6, 5, 7, 2, 3, 4, 5, 6, 7, -1), 11)),
    "CZ": _behind(2, _elevens((8, 7, 6, 5, 4, 3, 2), ten=0, eleven=1)), "SE": _behind(2, _luhn, 2),
    "NO": _elevens((3, 2, 7, 6, 5, 4, 3, 2)), "DK": _behind(2, _rest((2, 7, 6, 5, 4, 3, 2, 1), 11)),
    "FI": _behind(2, _elevens((7, 9, 10, 5, 8, 4, 2))), "TR": _turkish_company,
    "GR": lambda cells: cells[10] == _sum(cells[2:], tuple(2**at for at in range(8, 0, -1))) % 11 % 10,
    "UA": _ukrainian_company,
    "JP": lambda cells: cells[0] == 9 - _sum(cells[1:], (2, 1) * 6) % 9,
    "CN": _chinese, "KR": _korean, "EG": _any,
}  # fmt: skip
