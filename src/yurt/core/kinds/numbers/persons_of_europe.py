"""The personal numbers of the states of Europe: one function each, with the rule of its check digits."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from yurt.core.columns.column import Column
from yurt.core.kinds.numbers.births import below_ten, birth, number_of, split, value
from yurt.core.kinds.numbers.companies import eleven
from yurt.core.kinds.numbers.digits import (
    Cells,
    Digits,
    gs1,
    luhn,
    mod_11_10,
    remainder,
    two_digits,
    weighted_sum,
)
from yurt.core.kinds.numbers.numbered import places_of, written

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext


def austria(context: KindContext) -> Column:
    """Social insurance: three digits, a check digit modulo 11 (weights 3 7 9 5 8 4 2 1 6), the birthday."""
    given = birth(context).cells
    check = (
        lambda cells: below_ten(weighted_sum(cells[:, [0, 1, 2, *range(4, 10)]], (3, 7, 9, 5, 8, 4, 2, 1, 6)) % 11),
    )
    return written(number_of(context, "+##=ddmmyy", check, given), "xxxx xxxxxx")


def germany(context: KindContext) -> Column:
    """Tax identification: ten digits, one of which occurs twice, then ISO 7064, MOD 11,10; 0 at the start is for
    tests.
    """
    keys = np.stack([context.unit("number", "national-id", each) for each in range(10)], axis=1)
    digits = np.argsort(keys, axis=1)
    rows = np.arange(len(digits))
    # Bring 0 to the front (or, live, away from it); then one of the other positions takes the digit of another.
    zero = np.argmax(digits == 0, axis=1)
    wanted = (
        (context.unit("number", "zero") * 9).astype(np.int64) + 1 if context.live else np.zeros(len(rows), np.int64)
    )
    digits[rows, zero] = digits[rows, wanted]
    digits[rows, wanted] = 0
    first, second = ((context.unit("number", each) * 4).astype(np.int64) for each in ("taken", "given"))
    digits[rows, 1 + first * 2] = digits[rows, 2 + second * 2]
    return written(np.concatenate((digits, mod_11_10(digits)[:, None]), axis=1), "xx xxx xxx xxx")


def switzerland(context: KindContext) -> Column:
    """Old-age insurance: 756, nine digits and a check digit as in EAN-13."""
    return written(number_of(context, "756#########=", (lambda cells: gs1(cells[:, :12]),), {}), "xxx.xxxx.xxxx.xx")


# Places whose codes occur in the Italian number; Z9.. is not assigned to any country.
PLACES = ("H501", "F205", "L219", "F839", "D612", "A944", "G273", "D969")
_MONTHS = np.array([ord(each) - ord("A") + 10 for each in "ABCDEHLMPRST"])
_ODD = np.array([1, 0, 5, 7, 9, 13, 15, 17, 19, 21, 2, 4, 18, 20, 11, 3, 6, 8, 12, 14, 16, 10, 22, 25, 24, 23])


def italy(context: KindContext) -> Column:
    """Codice fiscale: names, birthday and sex, place of birth, a check letter; Z9 is not assigned to any place."""
    given = birth(context).cells
    month = given["m"][:, 0] * 10 + given["m"][:, 1]
    day = given["d"][:, 0] * 10 + given["d"][:, 1]
    given["d"] = two_digits(np.where(context.sex() == 0, day + 40, day))
    given["m"] = _MONTHS[month - 1][:, None]
    places = np.array([[value(each) for each in place] for place in PLACES])
    at = (context.unit("number", "place") * len(PLACES)).astype(np.int64)
    given["p"] = places[at] if context.live else np.tile([35, 9], (context.rows, 1))
    given["n"] = context.letters_of_names(_italian_family, _italian_given, 3)
    shape = "nnnnnnyymddpppp=" if context.live else "nnnnnnyymddpp##="
    return written(number_of(context, shape, (_italian,), given))


def _italian(cells: Cells) -> Digits:
    letters = np.where(cells[:, :15] > 9, cells[:, :15] - 10, cells[:, :15])
    found: Digits = (_ODD[letters[:, ::2]].sum(axis=1) + letters[:, 1::2].sum(axis=1)) % 26 + 10
    return found


def _italian_family(name: str) -> str:
    consonants, vowels = split(name)
    return (consonants + vowels + "XXX")[:3]


def _italian_given(name: str) -> str:
    consonants, vowels = split(name)
    return consonants[0] + consonants[2:4] if len(consonants) > 3 else (consonants + vowels + "XXX")[:3]


def slovenia(context: KindContext) -> Column:
    """EMŠO: birthday, 50, sex and order, a check digit modulo 11."""
    born = birth(context)
    order = (context.unit("number", "order") * 500).astype(np.int64) + np.where(context.sex() == 0, 500, 0)
    given = {**born.cells, "j": places_of(born.year, 3), "o": places_of(order // 10, 2)}
    check = (lambda cells: eleven(cells[:, :12], (7, 6, 5, 4, 3, 2) * 2),)
    return written(number_of(context, "ddmmjjj50oo#=", check, given))


def france(context: KindContext) -> Column:
    """NIR: sex, year, month, department, commune, order, and 97 minus the remainder."""
    born = birth(context)
    given = {**born.cells, "s": 2 - context.sex()[:, None]}
    given["p"] = two_digits((context.unit("number", "department") * 19).astype(np.int64) + 1)
    check = (lambda cells: two_digits(97 - remainder(cells[:, :13], 97)),)
    return written(number_of(context, "syymmpp0##0##==", check, given), "x xx xx xx xxx xxx xx")


def united_kingdom(context: KindContext) -> Column:
    """Health service: ten digits, weights 10 to 2, modulo 11; 999 at the start is reserved for tests."""
    check = (lambda cells: eleven(cells[:, :9], (10, 9, 8, 7, 6, 5, 4, 3, 2)),)
    return written(number_of(context, "4########=" if context.live else "999######=", check, {}), "xxx xxx xxxx")


def ireland(context: KindContext) -> Column:
    """Public service: seven digits and a letter, weights 8 to 2, modulo 23."""
    check = (lambda cells: _irish(cells[:, :7]),)
    return written(number_of(context, "+######=", check, {}))


def _irish(cells: Cells) -> Digits:
    rest = weighted_sum(cells, (8, 7, 6, 5, 4, 3, 2)) % 23
    return np.where(rest == 0, value("W"), rest + 9)


_SPANISH = np.array([value(each) for each in "TRWAGMYFPDXBNJZSQVHLCKE"])


def spain(context: KindContext) -> Column:
    """DNI: eight digits and a letter, modulo 23."""
    return written(number_of(context, "+#######=", (lambda cells: _SPANISH[remainder(cells[:, :8], 23)],), {}))


def portugal(context: KindContext) -> Column:
    """NIF of a person, starting with 1 to 3: weights 9 to 2, modulo 11."""
    first = (context.unit("number", "first") * 3).astype(np.int64)[:, None] + 1
    check = (lambda cells: eleven(cells[:, :8], (9, 8, 7, 6, 5, 4, 3, 2), ten=0),)
    return written(number_of(context, "f#######=", check, {"f": first}))


def netherlands(context: KindContext) -> Column:
    """BSN: nine digits by the elevens test; 9 at the start has not been assigned so far."""
    check = (lambda cells: below_ten(weighted_sum(cells[:, :8], (9, 8, 7, 6, 5, 4, 3, 2)) % 11),)
    return written(number_of(context, "1#######=" if context.live else "9#######=", check, {}))


def poland(context: KindContext) -> Column:
    """PESEL: birthday (plus 20 in the month from 2000 on), order, sex, weights 1 3 7 9."""
    born = birth(context)
    month = born.cells["m"].copy()
    month[:, 0] += np.where(born.year >= 2000, 2, 0)
    check = (lambda cells: -weighted_sum(cells[:, :10], (1, 3, 7, 9, 1, 3, 7, 9, 1, 3)) % 10,)
    return written(number_of(context, "yymmdd###s=", check, {**born.cells, "m": month}))


def czechia(context: KindContext) -> Column:
    """Birth number: birthday (plus 50 in the month for women), order, a multiple of 11; before 1954 without the last
    digit.
    """
    born = birth(context)
    month = born.cells["m"].copy()
    month[:, 0] += np.where(context.sex() == 0, 5, 0)
    check = (lambda cells: below_ten(remainder(cells[:, :9], 11)),)
    cells = number_of(context, "yymmdd###=", check, {**born.cells, "m": month})
    long, short = written(cells, "xxxxxx/xxxx"), written(cells[:, :9], "xxxxxx/xxx")
    return context.where(born.year < 1954, short, long)


def sweden(context: KindContext) -> Column:
    """Personal number: birthday, order, sex, Luhn; orders from 980 are reserved for tests."""
    born = birth(context)
    order = np.stack([np.full(context.rows, 9), (context.unit("number", "order") * 2).astype(np.int64) + 8], axis=1)
    check = (lambda cells: luhn(cells[:, :9]),)
    cells = number_of(context, "yymmdd##s=" if context.live else "yymmddoos=", check, {**born.cells, "o": order})
    today = context.today_date.year
    hundred = written(cells, "xxxxxx+xxxx")
    return context.where(today - born.year >= 100, hundred, written(cells, "xxxxxx-xxxx"))


def norway(context: KindContext) -> Column:
    """Birth number: birthday, order and sex, two check digits modulo 11; a month plus 80 is reserved for tests."""
    born = birth(context, months=0 if context.live else 80)
    order = (context.unit("number", "order") * 50).astype(np.int64) + np.where(born.year >= 2000, 50, 0)
    weights = (3, 7, 6, 1, 8, 9, 4, 5, 2)
    checks = (
        lambda cells: eleven(cells[:, :9], weights),
        lambda cells: eleven(cells[:, :10], (5, 4, 3, 2, 7, 6, 5, 4, 3, 2)),
    )
    # The order is increased until both digits are possible; the digit of the sex is not changed.
    found = {**born.cells, "o": places_of(order, 2)}
    return written(_stepping(context, "ddmmyyoos==", checks, found, "o", np.where(born.year >= 2000, 50, 0), 50))


def _stepping(
    context: KindContext, shape: str, checks: tuple[Callable[[Cells], Cells], ...], given: dict[str, Cells], name: str,
    first: Cells, size: int,
) -> Cells:  # fmt: skip
    """Increase the two digits of `name`, from `first` on and modulo `size`, until every check digit is possible."""
    cells = number_of(context, shape, (), given)
    start = given[name][:, 0] * 10 + given[name][:, 1] - first
    places = [at for at, char in enumerate(shape) if char == name]
    left = np.arange(context.rows)
    for turn in range(size):
        if not len(left):
            break
        part = cells[left]
        part[:, places] = two_digits((start[left] + turn) % size + first[left])
        wrong = np.zeros(len(left), dtype=np.bool_)
        for at, check in zip((at for at, char in enumerate(shape) if char == "="), checks, strict=True):
            digit = check(part)
            wrong |= digit < 0
            part[:, at] = np.maximum(digit, 0)
        cells[left] = part
        left = left[wrong]
    return cells


def denmark(context: KindContext) -> Column:
    """CPR: birthday, a digit of the century, order; weights 4 3 2 7 6 5 4 3 2 1; the last digit shows the sex."""
    born = birth(context)
    century = np.where(born.year >= 2000, 4 + (context.unit("number", "c") * 6).astype(np.int64), 0)
    order = (context.unit("number", "order") * 100).astype(np.int64)
    given = {**born.cells, "k": century[:, None], "o": two_digits(order)}

    # The sex is a column behind the number while the order is searched for.
    given["x"] = context.sex()[:, None]

    def parity(cells: Cells) -> Digits:
        digit = -weighted_sum(cells[:, :9], (4, 3, 2, 7, 6, 5, 4, 3, 2)) % 11
        return np.where((digit == 10) | (digit % 2 != cells[:, 10]), -1, digit)

    zero = np.zeros(context.rows, dtype=np.int64)
    cells = _stepping(context, "ddmmyykoo=x", (parity,), given, "o", zero, 100)
    return written(cells[:, :10], "xxxxxx-xxxx")


_FINNISH = np.array([value(each) for each in "0123456789ABCDEFHJKLMNPRSTUVWXY"])


def finland(context: KindContext) -> Column:
    """Personal identity: birthday, century mark, order and sex, a character modulo 31; from 900 on for tests."""
    born = birth(context)
    order = (context.unit("number", "order") * (89 if context.live else 10)).astype(np.int64) + (
        1 if context.live else 90
    )
    check = (lambda cells: _FINNISH[remainder(cells[:, :9], 31)],)
    cells = number_of(context, "ddmmyyoos=", check, {**born.cells, "o": places_of(order, 2)})
    return context.where(born.year >= 2000, written(cells, "xxxxxxAxxxx"), written(cells, "xxxxxx-xxxx"))


def turkey(context: KindContext) -> Column:
    """Identity number: nine digits and two check digits."""
    checks = (
        lambda cells: (cells[:, 0:9:2].sum(axis=1) * 7 - cells[:, 1:8:2].sum(axis=1)) % 10,
        lambda cells: cells[:, :10].sum(axis=1) % 10,
    )
    return written(number_of(context, "+########==", checks, {}))


def greece(context: KindContext) -> Column:
    """AMKA: birthday, order and sex, Luhn."""
    check = (lambda cells: luhn(cells[:, :10]),)
    return written(number_of(context, "ddmmyy###s=", check, birth(context).cells))


def ukraine(context: KindContext) -> Column:
    """Taxpayer's number: days since 1899, order and sex, weights -1 5 7 9 4 6 10 5 7."""
    given = {**birth(context).cells, "t": places_of(context.born() + 25568, 5)}
    check = (lambda cells: weighted_sum(cells[:, :9], (-1, 5, 7, 9, 4, 6, 10, 5, 7)) % 11 % 10,)
    return written(number_of(context, "ttttt###s=", check, given))


EUROPE: dict[str, Callable[[KindContext], Column]] = {
    "AT": austria, "DE": germany, "CH": switzerland, "IT": italy, "SI": slovenia, "FR": france, "GB": united_kingdom,
    "IE": ireland, "ES": spain, "PT": portugal, "NL": netherlands, "PL": poland, "CZ": czechia, "SE": sweden,
    "NO": norway, "DK": denmark, "FI": finland, "TR": turkey, "GR": greece, "UA": ukraine,
}  # fmt: skip
