"""Kinds of money: the currency of the place, bank accounts, and one payment card whose parts agree."""

from __future__ import annotations

from datetime import date
from typing import TYPE_CHECKING

from yurt.core.base.data_classes import replace
from yurt.core.base.types import DATE, INTEGER, decimal
from yurt.core.kinds import names
from yurt.core.kinds.catalogue import Arguments, Parameter, kind
from yurt.core.kinds.contract import Contract, Terms, between, fact, one_of_all, text
from yurt.core.kinds.iban_registry import account_pattern, pattern_of, structures
from yurt.core.kinds.lists import facts
from yurt.core.kinds.numbers.card_schemes import ISSUER, SCHEMES, spaced

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext
    from yurt.core.kinds.picks import Codes

AUTOFILL = "HTML Living Standard, autofill field names"
# Codes of ISO 4217 that are never drawn: precious metals, funds, units of account, tests.
NEVER_DRAWN = (
    "BOV", "CHE", "CHW", "CLF", "COU", "MXV", "SVC", "USN", "UYI", "UYW", "VED", "XAD", "XAG", "XAU", "XBA", "XBB",
    "XBC", "XBD", "XDR", "XPD", "XPT", "XSU", "XTS", "XUA", "XXX",
)  # fmt: skip
AMOUNT = {"lowest": Parameter("the lowest amount", "1"), "highest": Parameter("the highest amount", "1000")}


def _amount(terms: Terms) -> Contract:
    low, high = (float(terms.one(name) or AMOUNT[name].default) for name in ("lowest", "highest"))
    return Contract(low=max(round(low * 100), 1), high=max(round(high * 100), 1))


@kind("transaction-amount", "an amount of money", about="place", type=decimal(2), parameters=AMOUNT, contract=_amount)
def transaction_amount(context: KindContext) -> Column:
    return context.whole(_cents(context), decimal(2))


@kind(
    "amount-text",
    "an amount with the currency, in the form of the country",
    about="place",
    source="Unicode CLDR",
    parameters=AMOUNT,
    contract=text("whether it is an amount of money"),
)
def amount_text(context: KindContext) -> Column:
    return context.money_text(_cents(context))


def _cents(context: KindContext) -> Codes:
    import numpy as np

    low, high = (float(context.given(name) or AMOUNT[name].default) for name in ("lowest", "highest"))
    # Small amounts are more frequent: their logarithms are uniform.
    first, last = max(round(low * 100), 1), max(round(high * 100), 1)
    found: Codes = np.rint(first * (last / first) ** context.own_unit("amount")).astype(np.int64)
    return found


@kind(
    "currency-code",
    "the currency of the country, as a code",
    about="place",
    source="ISO 4217",
    closed="ISO 4217 of 2026, of the locales",
    contract=fact("currency"),
)
def currency_code(context: KindContext) -> Column:
    return context.fact("currency")


@kind(
    "currency-name",
    "the currency of the country, in its language",
    about="place",
    source="Unicode CLDR",
    contract=fact("currency-name"),
)
def currency_name(context: KindContext) -> Column:
    return context.fact("currency-name")


@kind(
    "currency-symbol",
    "the sign of the country's currency",
    about="place",
    source="Unicode CLDR",
    contract=fact("currency-symbol"),
)
def currency_symbol(context: KindContext) -> Column:
    return context.fact("currency-symbol")


@kind(
    "any-currency-code",
    "any currency in use",
    about="locale",
    source="ISO 4217",
    closed="ISO 4217 of 2026",
    contract=one_of_all("currencies", "code", *NEVER_DRAWN),
)
def any_currency_code(context: KindContext) -> Column:
    return context.pick("currencies", own=True).text("code")


IBAN = {"country": Parameter("a country of the IBAN registry, such as SI; else the record's own", shared=False)}


def _iban(terms: Terms) -> Contract:
    return _account(terms, groups=False)


def _iban_in_groups(terms: Terms) -> Contract:
    return _account(terms, groups=True)


def _account(terms: Terms, groups: bool) -> Contract:
    """An IBAN of any country in the registry, or of the requested one."""
    asked = terms.one("country")
    countries = [str(asked).upper()] if asked is not None else list(structures())
    pattern = "|".join(pattern_of(each, groups) for each in countries if each in structures())
    rest = "the check digits inside the account number, by each country's own rule"
    return Contract((pattern,), check="ISO 7064, MOD 97-10", rest=rest)


@kind(
    "iban",
    "an international bank account number",
    check="ISO 7064, MOD 97-10",
    about="place",
    source="ISO 13616",
    parameters=IBAN,
    risk="no country reserves a range: an account may have the number",
    contract=_iban,
)
def iban(context: KindContext) -> Column:
    return context.iban(groups=False)


@kind(
    "iban-in-groups",
    "an international bank account number, in groups of four",
    about="place",
    source="ISO 13616",
    parameters=IBAN,
    risk="no country reserves a range: an account may have the number",
    contract=_iban_in_groups,
)
def iban_in_groups(context: KindContext) -> Column:
    return context.iban(groups=True)


@kind(
    "bic",
    "the code of a bank",
    about="place",
    source="ISO 9362",
    live=True,
    safe="the eighth character is 0, which marks codes for tests",
    reserved=".{7}0.*",
    allowed="[A-Z0-9]{4}[A-Z]{2}[A-Z0-9]{2}([A-Z0-9]{3})?",
)
def bic(context: KindContext) -> Column:
    end = "[A-Z2-9][A-NP-Z1-9](XXX)?" if context.live else "[A-Z2-9]0(XXX)?"
    return context.join(context.account("bank"), context.fact("country-code"), context.matching(end, "bic end"))


@kind("bank-name", "a made-up bank, in the language", about="place", listed=("banks", "text"))
def bank_name(context: KindContext) -> Column:
    return context.pick("banks", own=True).text("text")


def _bban(terms: Terms) -> Contract:
    countries = dict.fromkeys(str(facts(each, terms.folder)["country-code"]) for each in terms.locales)
    return Contract(("|".join(account_pattern(each) for each in countries),))


@kind(
    "bban",
    "the number of a bank account, in the form of the country's banks",
    about="place",
    source="ISO 13616",
    risk="no country reserves a range: an account may have the number",
    contract=_bban,
)
def account_number(context: KindContext) -> Column:
    return context.account("number")


@kind(
    "sort-code",
    "the number of a branch of a bank",
    allowed="\\d{2}-\\d{2}-\\d{2}",
    about="place",
    risk="a branch may have the number",
)
def sort_code(context: KindContext) -> Column:
    return context.matching("[0-9]{2}-[0-9]{2}-[0-9]{2}", "sort code")


# ---- one payment card ------------------------------------------------------------------------------------------------

CARD = {
    "prefix": Parameter("the digits that the number begins with, in quotes, or several in brackets", several=True),
    "length": Parameter("the number of digits, 12 to 19", "16"),
    "scheme": Parameter(
        "the scheme, or several in brackets; numbers begin as published test numbers do",
        choices=tuple(SCHEMES),
        several=True,
    ),
}
# The number of months for which a card is valid.
VALID_MONTHS = 48
CARD_SAFE = "begins with 9999, which no issuer has: 9 is for national use, by country, and there is no country 999"


def _cards(told: Arguments) -> int:
    """Return how many numbers have the requested beginnings and length."""
    if schemes := told.get("scheme"):
        return min(int(10 ** (SCHEMES[each].length - 1 - ISSUER)) for each in schemes)
    length = int((told.get("length") or [16])[0])
    prefix = max(len(str(each)) for each in told.get("prefix") or ["9999"])
    return int(10 ** max(length - 1 - prefix, 0))


def _impossible(told: Arguments) -> str:
    """Return why no card has the requested beginnings and length; empty if there are some."""
    length = (told.get("length") or [16])[0]
    if not isinstance(length, int) or not 12 <= length <= 19:
        return "a card has 12 to 19 digits"
    for each in told.get("prefix") or []:
        if not str(each).isdecimal() or len(str(each)) > length - 2:
            return f"no card of {length} digits begins with `{each}`"
    return ""


def _card_number(terms: Terms) -> Contract:
    """Digits with the requested beginning and length, or the length that the standard allows."""
    if schemes := [SCHEMES[str(each)] for each in terms.asked.get("scheme", ())]:
        patterns = (f"({each.beginnings})[0-9]*" for each in schemes)
        safe = "|".join(f"{beginning}[0-9]*" for each in schemes for beginning in each.safe)
        lengths = "|".join(f"[0-9]{{{each.length}}}" for each in schemes)
        return Contract(("|".join(patterns), lengths), check="Luhn", safe=(safe,))
    prefixes, length = _asked_for(terms)
    pattern = f"[0-9]{{{length}}}" if length else "[0-9]{12,19}"
    if prefixes:
        pattern = "|".join(f"{each}[0-9]{{{length - len(each)}}}" for each in prefixes)
    return Contract((pattern,), check="Luhn", safe=() if prefixes else ("9999.*",))


def _card_in_groups(terms: Terms) -> Contract:
    """The digits of a card with spaces between them."""
    if schemes := [SCHEMES[str(each)] for each in terms.asked.get("scheme", ())]:
        patterns = [f"({spaced(each.beginnings)})[0-9 ]*" for each in schemes]
        safe = "|".join(f"{spaced(beginning)}[0-9 ]*" for each in schemes for beginning in each.safe)
        lengths = "|".join(f"[0-9]( ?[0-9]){{{each.length - 1}}}" for each in schemes)
        return Contract(("|".join(patterns), lengths), check="Luhn", safe=(safe,))
    prefixes, length = _asked_for(terms)
    begins = "|".join(" ?".join(each) for each in prefixes)
    patterns = ["[0-9]( ?[0-9])" + (f"{{{length - 1}}}" if length else "{11,18}")]
    patterns += [f"({begins})[0-9 ]*"] if begins else []
    return Contract(tuple(patterns), check="Luhn", safe=() if prefixes else ("9 ?9 ?9 ?9.*",))


def _asked_for(terms: Terms) -> tuple[list[str], int]:
    """Return the allowed beginnings of a card (none for any), and its length (0 for any)."""
    prefixes = [str(each) for each in terms.asked.get("prefix", ())]
    return prefixes, int(terms.shared("length", 16 if prefixes else 0))


@kind(
    "cc-number",
    "the number of a payment card",
    wrong=_impossible,
    check="Luhn",
    about="card",
    source="ISO/IEC 7812-1",
    parameters=CARD,
    unique=10**11,
    counted=_cards,
    safe=CARD_SAFE,
    live=True,
    contract=_card_number,
)
def cc_number(context: KindContext) -> Column:
    return context.card("number")


@kind(
    "cc-number-in-groups",
    "the number of a payment card, in groups",
    about="card",
    source="ISO/IEC 7812-1",
    parameters=CARD,
    safe=CARD_SAFE,
    live=True,
    contract=_card_in_groups,
)
def cc_number_in_groups(context: KindContext) -> Column:
    return context.card("groups")


def _scheme(terms: Terms) -> Contract:
    return Contract(values=frozenset(SCHEMES[str(each)].title for each in terms.asked.get("scheme", tuple(SCHEMES))))


@kind(
    "card-scheme",
    "the scheme of a payment card; the number in the record is one of it",
    about="card",
    parameters={"scheme": replace(CARD["scheme"], implied=True)},
    contract=_scheme,
)
def card_scheme(context: KindContext) -> Column:
    return context.card("scheme")


@kind(
    "cc-csc",
    "the security code of a payment card: four digits where the number has fifteen",
    allowed="\\d{3,4}",
    about="card",
    source=AUTOFILL,
)
def cc_csc(context: KindContext) -> Column:
    return context.card("code")


@kind(
    "cc-name",
    "the name on a payment card",
    about="person",
    source=AUTOFILL,
    contract=text("whether it is the name of a person"),
)
def cc_name(context: KindContext) -> Column:
    return context.upper(context.join(names.given(context).ascii("name"), " ", names.family_ascii(context)))


@kind(
    "cc-exp",
    "month and year after which a payment card is void",
    allowed="(0[1-9]|1[0-2])/\\d{2}",
    about="card",
    source=AUTOFILL,
)
def cc_exp(context: KindContext) -> Column:
    return context.card("expiry")


@kind(
    "cc-exp-month",
    "the month after which a payment card is void",
    about="card",
    source=AUTOFILL,
    type=INTEGER,
    contract=between(1, 12),
)
def cc_exp_month(context: KindContext) -> Column:
    return context.card("month")


def _expiry_year(terms: Terms) -> Contract:
    return Contract(low=terms.today.year, high=terms.today.year + (terms.today.month + VALID_MONTHS - 1) // 12)


@kind(
    "cc-exp-year",
    "the year after which a payment card is void",
    about="card",
    source=AUTOFILL,
    type=INTEGER,
    contract=_expiry_year,
)
def cc_exp_year(context: KindContext) -> Column:
    return context.card("year")


def _opened(terms: Terms) -> Contract:
    """From the eighteenth birthday of the oldest possible person until today."""
    today = (terms.today - date(1970, 1, 1)).days
    return Contract(low=today - (int(terms.shared("oldest", 90)) + 1) * 366 + 18 * 366, high=today)


@kind("account-opened", "the day a bank account was opened", about="person", by_age=True, type=DATE, contract=_opened)
def account_opened(context: KindContext) -> Column:
    import numpy as np

    # After the eighteenth birthday, or recently for the young.
    first = context.born() + 18 * 366
    today = context.today()
    return context.whole(
        np.floor(np.minimum(first, today - 30) + context.unit("opened") * (today - np.minimum(first, today - 30))), DATE
    )
