"""International bank account numbers: the structure of every country in the registry, with its own check digits."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from typing import TYPE_CHECKING

import numpy as np

from yurt.core.base.errors import YurtError
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column, merge
from yurt.core.kinds.iban_registry import structures
from yurt.core.kinds.numbers.digits import Cells, Digits, luhn, mod_97, two_digits, weighted_sum
from yurt.core.kinds.numbers.numbered import numbered, written

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext

# For a record in a country without IBANs.
ELSEWHERE = "GB"


@cache
def registry() -> dict[str, tuple[str, str]]:
    """Return the shape of every country's account number (see `numbered`) and the rule of its check digits."""
    # An account of letters and digits may consist of digits only.
    return {
        country: ("".join(("@" if sort == "a" else "#") * size for size, sort in parts), rule)
        for country, (parts, rule) in structures().items()
    }


def ibans(context: KindContext, groups: bool) -> Column:
    """Return numbers of the requested country, or of the record's own."""
    asked = context.given("country")
    if asked is not None and str(asked).upper() not in registry():
        hint = did_you_mean(str(asked).upper(), registry())
        raise YurtError(f"{context.field}: there are no IBANs of `{asked}`" + (f"; {hint}" if hint else ""))
    countries = [str(asked or each["country-code"]).upper() for each in context.facts]
    countries = [each if each in registry() else ELSEWHERE for each in countries]
    place = np.broadcast_to(context.locale(), (context.rows,))
    parts = []
    for country in dict.fromkeys(countries):
        numbers = [at for at, each in enumerate(countries) if each == country]
        places = np.flatnonzero(np.isin(place, numbers))
        if len(places):
            parts.append((places, _of_country(context.at(places), country, groups)))
    return merge(parts, context.rows, TEXT)


def _of_country(context: KindContext, country: str, groups: bool) -> Column:
    shape, rule = registry()[country]
    account = RULES[rule](context, shape) if rule else _free(context, shape)
    letters = np.tile([ord(each) - ord("A") + 10 for each in country], (context.rows, 1))
    nothing = np.zeros((context.rows, 2), dtype=np.int64)
    check = two_digits(98 - mod_97(np.concatenate((account, letters, nothing), axis=1)))
    size = account.shape[1] + 4
    form = " ".join("x" * min(4, size - start) for start in range(0, size, 4)) if groups else ""
    return written(np.concatenate((letters, check, account), axis=1), form)


def _free(context: KindContext, shape: str, checks: tuple[Callable[[Cells], Cells], ...] = ()) -> Cells:
    return numbered(context, shape, checks, shared=True, purpose="iban")


def _ending(check: Callable[[Cells], Cells], digits: int, begin: str = "") -> Callable[[KindContext, str], Cells]:
    """Return a function that makes accounts whose last digits are check digits over those before.

    `begin` is the start of the shape, for countries where not every bank number is in use.
    """
    checks = (lambda cells: check(cells[:, :-digits]),)
    return lambda context, shape: _free(context, begin + shape[len(begin) : -digits] + "=" * digits, checks)


def _sum_97(cells: Cells) -> Cells:
    """98 minus the number times 100, modulo 97 (ISO 7064)."""
    return two_digits(98 - mod_97(np.pad(cells, ((0, 0), (0, 2)))))


def _belgium(cells: Cells) -> Cells:
    rest = mod_97(cells)
    return two_digits(np.where(rest == 0, 97, rest))


def _france(cells: Cells) -> Cells:
    """97 minus 89 times the bank, 15 times the branch and 3 times the account, modulo 97."""
    bank, branch, account = (mod_97(cells[:, start:stop]) for start, stop in ((0, 5), (5, 10), (10, 21)))
    return two_digits(97 - (89 * bank + 15 * branch + 3 * account) % 97)


def _finland(cells: Cells) -> Digits:
    return luhn(cells)


def _norway(cells: Cells) -> Digits:
    rest = 11 - weighted_sum(cells, (5, 4, 3, 2, 7, 6, 5, 4, 3, 2)) % 11
    return np.select([rest == 11, rest == 10], [0, -1], rest)


def _estonia(cells: Cells) -> Digits:
    # The bank's first two digits are skipped; weights 7 3 1 from the right.
    body = cells[:, 2:][:, ::-1]
    return -weighted_sum(body, tuple((7, 3, 1)[at % 3] for at in range(body.shape[1]))) % 10


def _spain(context: KindContext, shape: str) -> Cells:
    """Bank and branch have a check digit, and the account has another one; both are between them."""

    def digit(cells: Cells, weights: tuple[int, ...]) -> Digits:
        rest = 11 - weighted_sum(cells, weights) % 11
        return np.select([rest == 10, rest == 11], [1, 0], rest)

    checks = (
        lambda cells: digit(cells[:, :8], (4, 8, 5, 10, 9, 7, 3, 6)),
        lambda cells: digit(cells[:, 10:], (1, 2, 4, 8, 5, 10, 9, 7, 3, 6)),
    )
    return _free(context, "########==##########", checks)


def _czechia(context: KindContext, shape: str) -> Cells:
    """The prefix and the account are multiples of 11 each: weights 6 3 7 9 10 5 8 4 2 1 from the left."""
    checks = (
        lambda cells: _czech(cells[:, 4:9], (10, 5, 8, 4, 2)),
        lambda cells: _czech(cells[:, 10:19], (6, 3, 7, 9, 10, 5, 8, 4, 2)),
    )
    return _free(context, "####00000=#########=", checks)


def _czech(cells: Cells, weights: tuple[int, ...]) -> Digits:
    rest = -weighted_sum(cells, weights) % 11
    return np.where(rest == 10, -1, rest)


def _poland(context: KindContext, shape: str) -> Cells:
    """The eighth digit of the bank: weights 3 9 7 1 3 9 7."""
    check = (lambda cells: -weighted_sum(cells[:, :7], (3, 9, 7, 1, 3, 9, 7)) % 10,)
    return _free(context, "#######=################", check)


def _hungary(context: KindContext, shape: str) -> Cells:
    """Bank and branch have a check digit, and so has the account: weights 9 7 3 1."""
    checks = (
        lambda cells: -weighted_sum(cells[:, :7], (9, 7, 3, 1, 9, 7, 3)) % 10,
        lambda cells: -weighted_sum(cells[:, 8:23], tuple((9, 7, 3, 1)[at % 4] for at in range(15))) % 10,
    )
    return _free(context, "#######=###############=", checks)


def _albania(context: KindContext, shape: str) -> Cells:
    """The eighth digit: weights 9 7 3 1 9 7 3."""
    check = (lambda cells: -weighted_sum(cells[:, :7], (9, 7, 3, 1, 9, 7, 3)) % 10,)
    return _free(context, "#######=################", check)


# The values of digits at odd positions in the Italian control letter.
_ODD = np.array([1, 0, 5, 7, 9, 13, 15, 17, 19, 21])


def _italy(context: KindContext, shape: str) -> Cells:
    """A control letter at the start: digits at odd positions by a table, those at even positions unchanged, modulo
    26.
    """
    body = _free(context, shape[1:])
    total = _ODD[body[:, ::2]].sum(axis=1) + body[:, 1::2].sum(axis=1)
    return np.concatenate(((total % 26 + 10)[:, None], body), axis=1)


RULES: dict[str, Callable[[KindContext, str], Cells]] = {
    "mod-97": _ending(_sum_97, 2), "belgium": _ending(_belgium, 2, "00+"), "france": _ending(_france, 2),
    "finland": _ending(_finland, 1), "norway": _ending(_norway, 1, "+"), "estonia": _ending(_estonia, 1),
    "spain": _spain, "czechia": _czechia, "poland": _poland, "hungary": _hungary, "italy": _italy, "albania": _albania,
}  # fmt: skip
