"""Kinds of money: the currency of the place, bank accounts, and one payment card whose parts agree."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from yurt.core.base.types import DATE, INTEGER, decimal
from yurt.core.kinds import names
from yurt.core.kinds.catalogue import Parameter, kind

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext
    from yurt.core.kinds.picks import Codes

AUTOFILL = "HTML Living Standard, autofill field names"
AMOUNT = {"low": Parameter("the lowest", "1"), "high": Parameter("the highest", "1000")}


@kind("amount", "an amount of money", about="place", type=decimal(2), parameters=AMOUNT)
def amount(context: KindContext) -> Column:
    return context.whole(_cents(context), decimal(2))


@kind(
    "amount-text",
    "an amount with the currency, as the country writes it",
    about="place",
    source="Unicode CLDR",
    parameters=AMOUNT,
)
def amount_text(context: KindContext) -> Column:
    return context.money_text(_cents(context))


def _cents(context: KindContext) -> Codes:
    import numpy as np

    low, high = (float(context.given(name) or AMOUNT[name].default) for name in ("low", "high"))
    # Small amounts are more frequent: their logarithms are drawn evenly.
    first, last = max(round(low * 100), 1), max(round(high * 100), 1)
    found: Codes = np.rint(first * (last / first) ** context.own_unit("amount")).astype(np.int64)
    return found


@kind("currency-code", "the currency of the country, as a code", allowed="[A-Z]{3}", about="place", source="ISO 4217")
def currency_code(context: KindContext) -> Column:
    return context.fact("currency")


@kind("currency-name", "the currency of the country, in its language", about="place", source="Unicode CLDR")
def currency_name(context: KindContext) -> Column:
    return context.fact("currency-name")


@kind("currency-symbol", "the sign of the country's currency", about="place", source="Unicode CLDR")
def currency_symbol(context: KindContext) -> Column:
    return context.fact("currency-symbol")


@kind("any-currency-code", "any currency in use", allowed="[A-Z]{3}", about="locale", source="ISO 4217")
def any_currency_code(context: KindContext) -> Column:
    return context.pick("currencies", own=True).text("code")


IBAN = {"country": Parameter("a country of the IBAN registry, such as SI; else the record's own", shared=False)}


@kind(
    "iban",
    "an international bank account number",
    check="ISO 7064, MOD 97-10, and that of the country",
    about="place",
    source="ISO 13616",
    parameters=IBAN,
    allowed="[A-Z]{2}\\d{2}[A-Z0-9]{11,29}",
    risk="no country keeps a range free: an account may have the number",
)
def iban(context: KindContext) -> Column:
    return context.iban(groups=False)


@kind(
    "iban-in-groups",
    "an international bank account number, in groups of four",
    about="place",
    source="ISO 13616",
    parameters=IBAN,
    risk="no country keeps a range free: an account may have the number",
)
def iban_in_groups(context: KindContext) -> Column:
    return context.iban(groups=True)


@kind(
    "bic",
    "the code of a bank",
    allowed="[A-Z]{6}[A-Z0-9]{2}([A-Z0-9]{3})?",
    about="place",
    source="ISO 9362",
    live=True,
    safe="the eighth character is 0, which marks codes for tests",
)
def bic(context: KindContext) -> Column:
    end = "[A-Z2-9][A-NP-Z1-9](XXX)?" if context.live else "[A-Z2-9]0(XXX)?"
    return context.join(
        context.matching("[A-Z]{4}", "bic"), context.fact("country-code"), context.matching(end, "bic end")
    )


@kind("bank-name", "a made-up bank", about="place")
def bank_name(context: KindContext) -> Column:
    return context.join(
        context.pick("cities").text("city"),
        " ",
        context.choose("Savings", "Union", "Commercial", "Alpine", "Mutual"),
        " Bank",
    )


@kind(
    "account-number",
    "the number of a bank account, as a country may have it",
    allowed="\\d{10}",
    about="place",
    risk="an account may have the number",
)
def account_number(context: KindContext) -> Column:
    return context.matching("[0-9]{10}", "account")


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
}
CARD_SAFE = "begins with 9999, which no issuer has: 9 is for national use, by country, and there is no country 999"


def _cards(told: dict[str, list[Any]]) -> int:
    """Return how many numbers there are of the beginnings and the length that are asked for."""
    length = int((told.get("length") or [16])[0])
    prefix = max(len(str(each)) for each in told.get("prefix") or ["9999"])
    return int(10 ** max(length - 1 - prefix, 0))


def _impossible(told: dict[str, list[Any]]) -> str:
    """Return why there is no card of the beginnings and the length that are asked for; empty when there is."""
    length = (told.get("length") or [16])[0]
    if not isinstance(length, int) or not 12 <= length <= 19:
        return "a card has 12 to 19 digits"
    for each in told.get("prefix") or []:
        if not str(each).isdecimal() or len(str(each)) > length - 2:
            return f"no card of {length} digits begins with `{each}`"
    return ""


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
    allowed="\\d{12,19}",
    safe=CARD_SAFE,
    live=True,
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
)
def cc_number_in_groups(context: KindContext) -> Column:
    return context.card("groups")


@kind(
    "cc-csc",
    "the security code of a payment card: four digits where the number has fifteen",
    allowed="\\d{3,4}",
    about="card",
    source=AUTOFILL,
)
def cc_csc(context: KindContext) -> Column:
    return context.card("code")


@kind("cc-name", "the name on a payment card", about="person", source=AUTOFILL)
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


@kind("cc-exp-month", "the month after which a payment card is void", about="card", source=AUTOFILL, type=INTEGER)
def cc_exp_month(context: KindContext) -> Column:
    return context.card("month")


@kind("cc-exp-year", "the year after which a payment card is void", about="card", source=AUTOFILL, type=INTEGER)
def cc_exp_year(context: KindContext) -> Column:
    return context.card("year")


@kind("account-opened", "the day a bank account was opened", about="person", type=DATE)
def account_opened(context: KindContext) -> Column:
    import numpy as np

    # After the eighteenth birthday, or lately for the young.
    first = context.born() + 18 * 366
    today = context.today()
    return context.whole(
        np.floor(np.minimum(first, today - 30) + context.unit("opened") * (today - np.minimum(first, today - 30))), DATE
    )
