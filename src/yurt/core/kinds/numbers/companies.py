"""The tax numbers of companies, by country: one function each, with the rule of its check digits."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from yurt.core.columns.column import Column
from yurt.core.kinds.numbers.digits import Cells, Digits, luhn, luhn_36, mod_11_10, remainder, two_digits, weighted_sum
from yurt.core.kinds.numbers.numbered import numbered, places_of, written

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext


def eleven(cells: Cells, weights: tuple[int, ...], *, ten: int = -1, eleven_: int = 0) -> Digits:
    """Return 11 minus the weighted sum modulo 11; `ten` and `eleven_` replace these two results."""
    rest = 11 - weighted_sum(cells, weights) % 11
    return np.select([rest == 10, rest == 11], [ten, eleven_], rest)


def austria(context: KindContext) -> Column:
    """ATU and eight digits: weights 1 and 2 in turn, sum of digits, plus 4."""
    # A zero before the seven digits makes the second, the fourth, and the sixth count double.
    check = (lambda cells: (luhn(np.pad(cells[:, 3:10], ((0, 0), (0, 1)))) - 4) % 10,)
    return written(numbered(context, "ATU#######=", check))


def germany(context: KindContext) -> Column:
    """DE and nine digits: ISO 7064, MOD 11,10."""
    return written(numbered(context, "DE+#######=", (lambda cells: mod_11_10(cells[:, 2:10]),)))


def switzerland(context: KindContext) -> Column:
    """CHE and nine digits: weights 5 4 3 2 7 6 5 4, modulo 11 (eCH-0097)."""
    check = (lambda cells: eleven(cells[:, 3:11], (5, 4, 3, 2, 7, 6, 5, 4)),)
    return written(numbered(context, "CHE########=", check), "xxx-xxx.xxx.xxx MWST")


def italy(context: KindContext) -> Column:
    """IT and eleven digits: seven, three for the province (here 001 to 099), and a Luhn digit."""
    province = context.own_unit("province") * 99 + 1
    given = {"p": two_digits(province.astype(np.int64))}
    return written(numbered(context, "IT#######0pp=", (lambda cells: luhn(cells[:, 2:12]),), given))


def slovenia(context: KindContext) -> Column:
    """SI and eight digits: weights 8 to 2, modulo 11; 11 is not given."""
    check = (lambda cells: eleven(cells[:, 2:9], (8, 7, 6, 5, 4, 3, 2), ten=0, eleven_=-1),)
    return written(numbered(context, "SI+######=", check))


def france(context: KindContext) -> Column:
    """FR, a key of two digits (12 + 3 times the SIREN, modulo 97) and the SIREN with its Luhn digit."""
    siren = numbered(context, "+#######=", (lambda cells: luhn(cells[:, :8]),))
    key = two_digits((12 + 3 * remainder(siren, 97)) % 97)
    return written(np.concatenate((np.tile([15, 27], (context.rows, 1)), key, siren), axis=1))


def canada(context: KindContext) -> Column:
    """The business number: nine digits by Luhn, then the account RT0001."""
    return written(numbered(context, "+#######=RT0001", (lambda cells: luhn(cells[:, :8]),)))


def united_states(context: KindContext) -> Column:
    """The employer number: two digits of an office and seven more; there is no check digit."""
    office = np.array([20, 26, 27, 35, 36, 41, 45, 46, 47, 52, 61, 81, 82, 84, 91, 94])
    given = {"o": two_digits(office[(context.own_unit("office") * len(office)).astype(np.int64)])}
    return written(numbered(context, "oo#######", (), given), "xx-xxxxxxx")


def united_kingdom(context: KindContext) -> Column:
    """GB and nine digits: weights 8 to 2, and two digits that make it a multiple of 97."""
    check = (lambda cells: two_digits(-weighted_sum(cells[:, 2:9], (8, 7, 6, 5, 4, 3, 2)) % 97),)
    return written(numbered(context, "GB+######==", check))


def india(context: KindContext) -> Column:
    """The GSTIN: state, permanent account number, entity, Z, and a Luhn character from 36."""
    state = (context.own_unit("state") * 37).astype(np.int64) + 1
    state = np.where((state == 25) | (state == 28), 27, state)
    sort = np.array([ord(each) - ord("A") + 10 for each in "ABCFGHLJPT"])
    kinds = sort[(context.own_unit("sort") * len(sort)).astype(np.int64)][:, None]
    given = {"s": two_digits(state), "t": kinds}
    return written(numbered(context, "ss@@@t@###+@+Z=", (lambda cells: luhn_36(cells[:, :14]),), given))


def australia(context: KindContext) -> Column:
    """The business number: two check digits in front, weights 3 to 19, modulo 89."""
    body = numbered(context, "#########")
    front = 11 + (-weighted_sum(body, (3, 5, 7, 9, 11, 13, 15, 17, 19)) - 1) % 89
    return written(np.concatenate((two_digits(front), body), axis=1), "xx xxx xxx xxx")


def ireland(context: KindContext) -> Column:
    """IE, seven digits and a letter: weights 8 to 2, modulo 23, with W for 0."""
    return written(numbered(context, "IE#######=", (lambda cells: _letter_23(cells[:, 2:9]),)))


def _letter_23(cells: Cells) -> Digits:
    rest = weighted_sum(cells, (8, 7, 6, 5, 4, 3, 2)) % 23
    return np.where(rest == 0, ord("W") - ord("A") + 10, rest + 9)


def spain(context: KindContext) -> Column:
    """ES, A or B, seven digits of which two are the province, and a Luhn digit."""
    first = np.where(context.own_unit("form") < 0.25, 10, 11)[:, None]
    province = two_digits((context.own_unit("province") * 52).astype(np.int64) + 1)
    given = {"f": first, "p": province}
    return written(numbered(context, "ESfpp#####=", (lambda cells: luhn(cells[:, 3:10]),), given))


def mexico(context: KindContext) -> Column:
    """The RFC of a company: three letters, a date, two characters and a check character modulo 11."""
    year, month, day = (
        two_digits((context.own_unit(name) * size).astype(np.int64) + start)
        for name, size, start in (("year", 25, 0), ("month", 12, 1), ("day", 28, 1))
    )
    given = {"y": year, "m": month, "d": day}
    cells = numbered(context, "@@@yymmdd##=", (lambda cells: _mexican(cells[:, :11]),), given)
    return written(cells)


def _mexican(cells: Cells) -> Digits:
    # & comes before O in the alphabet of the rule; the number is one character short, and a space (37) fills it.
    values = np.where(cells >= ord("O") - ord("A") + 10, cells + 1, cells)
    return (11 - (37 * 13 + weighted_sum(values, tuple(range(12, 1, -1))))) % 11


def brazil(context: KindContext) -> Column:
    """The CNPJ: eight digits, the branch 0001, and two digits modulo 11."""
    first, second = (5, 4, 3, 2, 9, 8, 7, 6, 5, 4, 3, 2), (6, 5, 4, 3, 2, 9, 8, 7, 6, 5, 4, 3, 2)
    checks = (
        lambda cells: eleven(cells[:, :12], first, ten=0),
        lambda cells: eleven(cells[:, :13], second, ten=0),
    )
    return written(numbered(context, "+#######0001==", checks), "xx.xxx.xxx/xxxx-xx")


def portugal(context: KindContext) -> Column:
    """PT and nine digits, 5 in front for companies: weights 9 to 2, modulo 11."""
    check = (lambda cells: eleven(cells[:, 2:10], (9, 8, 7, 6, 5, 4, 3, 2), ten=0),)
    return written(numbered(context, "PT5#######=", check))


def netherlands(context: KindContext) -> Column:
    """NL, nine digits by the elevens test, B and a number of two digits."""
    check = (lambda cells: _elevens(cells[:, 2:10]),)
    return written(numbered(context, "NL+#######=B01", check))


def _elevens(cells: Cells) -> Digits:
    rest = weighted_sum(cells, (9, 8, 7, 6, 5, 4, 3, 2)) % 11
    return np.where(rest == 10, -1, rest)


def poland(context: KindContext) -> Column:
    """PL and ten digits: weights 6 5 7 2 3 4 5 6 7, modulo 11; 10 is not given."""
    return written(numbered(context, "PL+++######=", (lambda cells: _polish(cells[:, 2:11]),)))


def _polish(cells: Cells) -> Digits:
    rest = weighted_sum(cells, (6, 5, 7, 2, 3, 4, 5, 6, 7)) % 11
    return np.where(rest == 10, -1, rest)


def czechia(context: KindContext) -> Column:
    """CZ and eight digits: weights 8 to 2, modulo 11; 0 becomes 1 and 10 becomes 0."""
    given = {"f": (context.own_unit("first") * 8).astype(np.int64)[:, None] + 1}
    check = (lambda cells: eleven(cells[:, 2:9], (8, 7, 6, 5, 4, 3, 2), ten=0, eleven_=1),)
    return written(numbered(context, "CZf######=", check, given))


def sweden(context: KindContext) -> Column:
    """SE, the organisation number with its Luhn digit (5 at the start: limited companies), and 01."""
    return written(numbered(context, "SE556######=01", (lambda cells: luhn(cells[:, 2:11]),)))


def norway(context: KindContext) -> Column:
    """Nine digits, starting with 9: weights 3 2 7 6 5 4 3 2, modulo 11; then MVA."""
    check = (lambda cells: eleven(cells[:, :8], (3, 2, 7, 6, 5, 4, 3, 2)),)
    return written(numbered(context, "9#######=", check), "xxx xxx xxx MVA")


def denmark(context: KindContext) -> Column:
    """DK and eight digits: weights 2 7 6 5 4 3 2 1, a multiple of 11."""
    check = (lambda cells: eleven(cells[:, 2:9], (2, 7, 6, 5, 4, 3, 2)),)
    return written(numbered(context, "DK+######=", check))


def finland(context: KindContext) -> Column:
    """FI and eight digits: weights 7 9 10 5 8 4 2, modulo 11; a remainder of 1 is not assigned."""
    check = (lambda cells: eleven(cells[:, 2:9], (7, 9, 10, 5, 8, 4, 2)),)
    return written(numbered(context, "FI+######=", check))


def turkey(context: KindContext) -> Column:
    """Ten digits; each is shifted by its position, times a power of 2, modulo 9."""
    return written(numbered(context, "+########=", (lambda cells: _turkish(cells[:, :9]),)))


def _turkish(cells: Cells) -> Digits:
    total = np.zeros(len(cells), dtype=np.int64)
    for place, column in enumerate(cells[:, ::-1].T, 1):
        moved = (column + place) % 10
        turned = moved * 2**place % 9
        total += np.where(moved == 0, 0, np.where(turned == 0, 9, turned))
    return -total % 10


def greece(context: KindContext) -> Column:
    """EL and nine digits: powers of 2, modulo 11 and 10."""
    check = (lambda cells: weighted_sum(cells[:, 2:10], tuple(2**each for each in range(8, 0, -1))) % 11 % 10,)
    return written(numbered(context, "EL+#######=", check))


def ukraine(context: KindContext) -> Column:
    """Eight digits, here from 30 million to 60 million: weights 7 1 2 3 4 5 6, modulo 11; at 10, each weight plus 2."""
    given = {"f": (context.own_unit("first") * 3).astype(np.int64)[:, None] + 3}
    return written(numbered(context, "f######=", (lambda cells: _ukrainian(cells[:, :7]),), given))


def _ukrainian(cells: Cells) -> Digits:
    rest = weighted_sum(cells, (7, 1, 2, 3, 4, 5, 6)) % 11
    again = weighted_sum(cells, (9, 3, 4, 5, 6, 7, 8)) % 11
    return np.where(rest < 10, rest, again % 10)


def japan(context: KindContext) -> Column:
    """The corporate number: a check digit before twelve digits, weights 1 and 2 from the right, modulo 9."""
    body = numbered(context, "############")
    front = 9 - weighted_sum(body, (2, 1) * 6) % 9
    return written(np.concatenate((front[:, None], body), axis=1))


def china(context: KindContext) -> Column:
    """The unified social credit code: powers of 3, modulo 31, over an alphabet without I, O, S, V, Z."""
    body = numbered(context, "91###############")
    check = (31 - weighted_sum(body, tuple(3**each % 31 for each in range(17)))) % 31
    return written(np.concatenate((body, _CREDIT[check][:, None]), axis=1))


_CREDIT = np.array([
    int(each) if each.isdigit() else ord(each) - ord("A") + 10 for each in "0123456789ABCDEFGHJKLMNPQRTUWXY"
])  # fmt: skip


def korea(context: KindContext) -> Column:
    """Ten digits: weights 1 3 7 1 3 7 1 3 5, and the tens of the last product."""
    given = {"o": places_of((context.own_unit("office") * 600).astype(np.int64) + 101, 3)}
    return written(numbered(context, "ooo8++###=", (lambda cells: _korean(cells[:, :9]),), given), "xxx-xx-xxxxx")


def _korean(cells: Cells) -> Digits:
    total = weighted_sum(cells, (1, 3, 7, 1, 3, 7, 1, 3, 5)) + cells[:, 8] * 5 // 10
    found: Digits = -total % 10
    return found


def egypt(context: KindContext) -> Column:
    """Nine digits; no check digit is published."""
    return written(numbered(context, "+########"), "xxx-xxx-xxx")


COMPANIES: dict[str, Callable[[KindContext], Column]] = {
    "AT": austria, "DE": germany, "CH": switzerland, "IT": italy, "SI": slovenia, "FR": france, "CA": canada,
    "US": united_states, "GB": united_kingdom, "IN": india, "AU": australia, "IE": ireland, "ES": spain, "MX": mexico,
    "BR": brazil, "PT": portugal, "NL": netherlands, "PL": poland, "CZ": czechia, "SE": sweden, "NO": norway,
    "DK": denmark, "FI": finland, "TR": turkey, "GR": greece, "UA": ukraine, "JP": japan, "CN": china, "KR": korea,
    "EG": egypt,
}  # fmt: skip
