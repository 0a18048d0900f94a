"""Bank accounts in the form of a country's banks: the end of an IBAN, or else routing number and account."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow
from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column, merge
from yurt.core.kinds.iban_registry import DOMESTIC, structures
from yurt.core.kinds.numbers.digits import Cells, weighted_sum
from yurt.core.kinds.numbers.ibans import ibans
from yurt.core.kinds.numbers.numbered import numbered, written

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext

# The country and the check digits before the account.
FRONT = 4


def accounts(context: KindContext) -> Column:
    """Return account numbers of the country of each row; if it has IBANs, they end with this number."""
    place = np.broadcast_to(context.locale(), (context.rows,))
    countries = [str(each["country-code"]) for each in context.facts]
    parts = []
    for number, country in enumerate(countries):
        places = np.flatnonzero(place == number)
        if not len(places):
            continue
        some = context.at(places)
        if country in structures():
            whole = ibans(some, groups=False).text(len(places))
            parts.append((places, Column(TEXT, pc.utf8_slice_codeunits(whole, FRONT))))
        else:
            parts.append((places, _domestic(some, country)))
    return merge(parts, context.rows, TEXT)


def bank_letters(context: KindContext) -> Column:
    """Return the four letters of a bank: those of the IBAN, if it has them."""
    letters = context.matching("[A-Z]{4}", "bic")
    lettered = [structures().get(str(each["country-code"]), ((), ""))[0][:1] == ((4, "a"),) for each in context.facts]
    if not any(lettered):
        return letters
    of_account = Column(TEXT, pc.utf8_slice_codeunits(accounts(context).text(context.rows), 0, 4))
    where = np.broadcast_to(np.array(lettered)[context.locale()], (context.rows,))
    return Column(TEXT, pc.if_else(arrow(where), of_account.text(context.rows), letters.text(context.rows)))


def _domestic(context: KindContext, country: str) -> Column:
    shape, form, _ = DOMESTIC.get(country, DOMESTIC[""])
    checks: tuple[Callable[[Cells], Cells], ...] = (_three_seven_one,) if "=" in shape else ()
    return written(numbered(context, shape, checks, shared=True, purpose="account"), form)


def _three_seven_one(cells: Cells) -> Cells:
    """Weights 3 7 1 over the preceding digits, modulo 10 (routing numbers of the ABA, and CLABE of Mexico)."""
    size = DOMESTIC["US"][0].index("=") if cells.shape[1] == len(DOMESTIC["US"][0]) else cells.shape[1] - 1
    return -weighted_sum(cells[:, :size], tuple((3, 7, 1)[at % 3] for at in range(size))) % 10


ACCOUNTS: dict[str, Callable[[KindContext], Column]] = {"number": accounts, "bank": bank_letters}
