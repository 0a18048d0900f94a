"""The personal numbers of states outside Europe: one function each, with the rule of its check digits."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from yurt.core.columns.column import Column
from yurt.core.kinds.numbers.births import below_ten, birth, number_of, value
from yurt.core.kinds.numbers.companies import eleven
from yurt.core.kinds.numbers.digits import (
    Cells,
    Digits,
    luhn,
    mod_11_2,
    two_digits,
    verhoeff,
    weighted_sum,
)
from yurt.core.kinds.numbers.numbered import places_of, written

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext


def canada(context: KindContext) -> Column:
    """Social insurance: nine digits by Luhn; 0 at the start is never assigned."""
    shape = "n#######=" if context.live else "0#######="
    first = np.array([1, 2, 3, 4, 5, 6, 7, 9])[(context.unit("number", "first") * 8).astype(np.int64)]
    check = (lambda cells: luhn(cells[:, :8]),)
    return written(number_of(context, shape, check, {"n": first[:, None]}), "xxx xxx xxx")


def united_states(context: KindContext) -> Column:
    """Social security: area, group, and serial, without a check digit; the area 666 is never assigned."""
    area = (context.unit("number", "area") * 665).astype(np.int64) + 1
    group = (context.unit("number", "group") * 99).astype(np.int64) + 1
    given = {"a": places_of(area, 3), "g": two_digits(group)}
    return written(number_of(context, "aaagg+###" if context.live else "666gg+###", (), given), "xxx-xx-xxxx")


def india(context: KindContext) -> Column:
    """Aadhaar: twelve digits by Verhoeff; 0 and 1 at the start are never assigned."""
    first = (context.unit("number", "first") * 8).astype(np.int64)[:, None] + 2
    check = (lambda cells: verhoeff(cells[:, :11]),)
    shape = "f##########=" if context.live else "1##########="
    return written(number_of(context, shape, check, {"f": first}), "xxxx xxxx xxxx")


def australia(context: KindContext) -> Column:
    """Tax file: nine digits, weights 1 4 3 7 5 8 6 9 10, a multiple of 11."""
    check = (lambda cells: below_ten(weighted_sum(cells[:, :8], (1, 4, 3, 7, 5, 8, 6, 9)) % 11),)
    return written(number_of(context, "+#######=", check, {}), "xxx xxx xxx")


_STATES = ("DF", "JC", "NL", "PL", "GT", "VZ", "YN", "OC", "SR", "CH")


def mexico(context: KindContext) -> Column:
    """CURP: letters of the names, birthday, sex, state of birth, consonants, and a check digit."""
    born = birth(context)
    states = np.array([[value(each) for each in state] for state in _STATES])
    at = (context.unit("number", "state") * len(_STATES)).astype(np.int64)
    later = np.where(born.year >= 2000, value("A"), 0)
    given = {
        **born.cells, "s": np.where(context.sex() == 1, value("H"), value("M"))[:, None], "p": states[at],
        "n": context.letters_of_names(_mexican_family, _mexican_given, 3), "h": later[:, None],
    }  # fmt: skip
    # Family name: first letter, first vowel inside, consonant inside; the mother's name is unknown: X.
    names = given["n"]
    given["f"] = np.concatenate((names[:, :2], np.full((context.rows, 1), value("X")), names[:, 3:4]), axis=1)
    given["k"] = np.concatenate((names[:, 2:3], np.full((context.rows, 1), value("X")), names[:, 4:5]), axis=1)
    return written(number_of(context, "ffffyymmddsppkkkh=", (_mexican,), given))


def _mexican(cells: Cells) -> Digits:
    # The letter after N in the alphabet of the rule is Ñ.
    values = np.where(cells[:, :17] >= value("O"), cells[:, :17] + 1, cells[:, :17])
    return -weighted_sum(values, tuple(range(18, 1, -1))) % 10


def _mexican_family(name: str) -> str:
    letters = "".join(each for each in name.upper() if "A" <= each <= "Z") or "X"
    vowel = next((each for each in letters[1:] if each in "AEIOU"), "X")
    consonant = next((each for each in letters[1:] if each not in "AEIOU"), "X")
    return letters[0] + vowel + consonant


def _mexican_given(name: str) -> str:
    letters = "".join(each for each in name.upper() if "A" <= each <= "Z") or "X"
    return letters[0] + next((each for each in letters[1:] if each not in "AEIOU"), "X") + "X"


def brazil(context: KindContext) -> Column:
    """CPF: nine digits and two modulo 11."""
    checks = (
        lambda cells: eleven(cells[:, :9], (10, 9, 8, 7, 6, 5, 4, 3, 2), ten=0),
        lambda cells: eleven(cells[:, :10], (11, 10, 9, 8, 7, 6, 5, 4, 3, 2), ten=0),
    )
    return written(number_of(context, "+########==", checks, {}), "xxx.xxx.xxx-xx")


def japan(context: KindContext) -> Column:
    """Individual number: eleven digits and one modulo 11."""
    check = (lambda cells: eleven(cells[:, :11], (6, 5, 4, 3, 2, 7, 6, 5, 4, 3, 2), ten=0),)
    return written(number_of(context, "+##########=", check, {}))


_REGIONS = (110101, 110102, 110105, 110106, 120101, 120103, 120105, 310101, 310104, 310106)


def china(context: KindContext) -> Column:
    """Resident identity: region, birthday, order and sex, ISO 7064 MOD 11-2."""
    regions = np.array(_REGIONS)[(context.unit("number", "region") * len(_REGIONS)).astype(np.int64)]
    given = {**birth(context).cells, "r": places_of(regions, 6)}
    check = (lambda cells: _ten_is_x(mod_11_2(cells[:, :17])),)
    return written(number_of(context, "rrrrrrccccmmdd##s=", check, given))


def _ten_is_x(digit: Digits) -> Digits:
    return np.where(digit == 10, value("X"), digit)


def korea(context: KindContext) -> Column:
    """Resident registration: birthday, sex and century, place, a digit modulo 11."""
    born = birth(context)
    sex = np.where(context.sex() == 1, 1, 2) + np.where(born.year >= 2000, 2, 0)
    place = two_digits((context.unit("number", "place") * 96).astype(np.int64))
    check = (lambda cells: (11 - weighted_sum(cells[:, :12], (2, 3, 4, 5, 6, 7, 8, 9, 2, 3, 4, 5)) % 11) % 10,)
    given = {**born.cells, "s": sex[:, None], "p": place}
    return written(number_of(context, "yymmddspp###=", check, given), "xxxxxx-xxxxxxx")


def egypt(context: KindContext) -> Column:
    """National number: century, birthday, governorate, order and sex; the rule of the last digit is not published."""
    born = birth(context)
    given = {**born.cells, "k": np.where(born.year >= 2000, 3, 2)[:, None]}
    return written(number_of(context, "kyymmdd01###s#", (), given))


ELSEWHERE: dict[str, Callable[[KindContext], Column]] = {
    "CA": canada, "US": united_states, "IN": india, "AU": australia, "MX": mexico, "BR": brazil, "JP": japan,
    "CN": china, "KR": korea, "EG": egypt,
}  # fmt: skip
