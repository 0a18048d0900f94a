"""Kinds of trade: companies, and the numbers of articles with their check digits."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.base.types import decimal
from yurt.core.kinds.catalogue import Arguments, Parameter, kind
from yurt.core.kinds.contract import Contract, Terms, between, listed, text
from yurt.core.kinds.countries import country

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext

GS1 = "GS1 General Specifications, section 7.9"
INSIDE = "begins with 2: for use inside a company, never assigned to an article"


@kind(
    "organization",
    "a made-up company",
    about="company",
    source="HTML autofill",
    contract=text("whether it is the name of a company"),
)
def organization(context: KindContext) -> Column:
    parts = {
        "trade": context.pick("trades").text("text"),
        "family-name": context.pick("family-names", purpose=" company").text("name"),
        "legal-form": context.pick("legal-forms").text("text"),
    }
    return context.form("organization", parts)


@kind("legal-form", "the legal form of the company", about="company", contract=listed("legal-forms", "text"))
def legal_form(context: KindContext) -> Column:
    return context.pick("legal-forms").text("text")


@kind("industry", "what the company does", about="company", contract=listed("trades", "text"))
def industry(context: KindContext) -> Column:
    return context.pick("trades").text("text")


@kind("motto", "the self-description of a company", about="company", contract=listed("mottos", "text"))
def motto(context: KindContext) -> Column:
    return context.pick("mottos").text("text")


@kind(
    "colour",
    "the name of a colour, in the language",
    about="locale",
    listed=("colours", "text"),
)
def colour(context: KindContext) -> Column:
    return context.pick("colours", own=True).text("text")


@kind("product", "an article of trade or a service, in the language", about="product", listed=("products", "text"))
def product(context: KindContext) -> Column:
    return context.pick("products").text("text")


@kind(
    "product-category",
    "the group of articles that the product belongs to, in the language",
    about="product",
    listed=("products", "category"),
)
def product_category(context: KindContext) -> Column:
    return context.pick("products").text("category")


# ---- numbers of articles ---------------------------------------------------------------------------------------------


@kind(
    "gtin-13",
    "an article number",
    check="GS1 modulo 10",
    source=GS1,
    safe=INSIDE,
    unique=10**11,
    live=True,
    reserved="2.*",
    allowed="\\d{13}",
)
def gtin_13(context: KindContext) -> Column:
    return context.checked("gs1", "+###########=" if context.live else "2###########=")


@kind(
    "gtin-8",
    "a short article number",
    check="GS1 modulo 10",
    source=GS1,
    safe=INSIDE,
    unique=10**6,
    live=True,
    reserved="2.*",
    allowed="\\d{8}",
)
def gtin_8(context: KindContext) -> Column:
    return context.checked("gs1", "4######=" if context.live else "2######=")


@kind(
    "gtin-12",
    "an article number of North America",
    check="GS1 modulo 10",
    source=GS1,
    unique=10**10,
    live=True,
    reserved="4.*",
    allowed="\\d{12}",
    safe="begins with 4: for use inside a company",
)
def gtin_12(context: KindContext) -> Column:
    return context.checked("gs1", "0##########=" if context.live else "4##########=")


@kind(
    "gtin-14",
    "the number of a trading unit",
    check="GS1 modulo 10",
    source=GS1,
    unique=10**11,
    reserved=".2.*",
    allowed="\\d{14}",
    safe="the article inside begins with 2: for use inside a company",
)
def gtin_14(context: KindContext) -> Column:
    return context.checked("gs1", "12###########=")


@kind(
    "sscc",
    "the number of a pallet or parcel",
    check="GS1 modulo 10",
    source=GS1,
    unique=10**15,
    reserved=".2.*",
    allowed="\\d{18}",
    safe="the company prefix begins with 2, which is never assigned",
)
def sscc(context: KindContext) -> Column:
    return context.checked("gs1", "02###############=")


@kind(
    "gln",
    "the number of a place of business",
    check="GS1 modulo 10",
    source=GS1,
    unique=10**11,
    reserved="2.*",
    allowed="\\d{13}",
    safe="begins with 2, which is not assigned to any company",
)
def gln(context: KindContext) -> Column:
    return context.checked("gs1", "2###########=")


@kind(
    "isbn-13",
    "the number of a book",
    check="GS1 modulo 10",
    source="ISO 2108",
    unique=10**8,
    live=True,
    reserved="9799.*",
    allowed="97[89]\\d{10}",
    safe="begins with 9799, which is not assigned to any country or language",
)
def isbn_13(context: KindContext) -> Column:
    return context.checked("gs1", "9783########=" if context.live else "9799########=")


@kind(
    "isbn-10",
    "the number of a book published before 2007",
    check="weights 10 to 2, modulo 11",
    source="ISO 2108",
    unique=10**8,
    allowed="\\d{9}[\\dX]",
    risk="a book may have the number: no range is reserved",
)
def isbn_10(context: KindContext) -> Column:
    return context.checked("isbn-10", "3########=")


@kind(
    "issn",
    "the number of a periodical",
    check="weights 8 to 2, modulo 11",
    source="ISO 3297",
    unique=10**7,
    allowed="\\d{4}-\\d{3}[\\dX]",
    risk="a periodical may have the number: no range is reserved",
)
def issn(context: KindContext) -> Column:
    return context.checked("issn", "#######=", "xxxx-xxxx")


@kind(
    "imei",
    "the number of a mobile device",
    check="Luhn",
    source="3GPP TS 23.003",
    unique=10**12,
    live=True,
    reserved="00.*",
    allowed="\\d{15}",
    safe="begins with 00: devices for tests",
)
def imei(context: KindContext) -> Column:
    return context.checked("luhn", "35############=" if context.live else "00############=")


@kind(
    "vin",
    "the number of a vehicle",
    about="vehicle",
    check="weights of 49 CFR 565, modulo 11",
    source="ISO 3779, 49 CFR 565",
    reserved="0.*",
    allowed="[A-HJ-NPR-Z0-9]{17}",
    live=True,
    safe="begins with 0, which is not assigned to any region of the world",
)
def vin(context: KindContext) -> Column:
    return context.checked("vin", "WY@" if context.live else "0Y@")


@kind(
    "isin",
    "the number of a security",
    check="Luhn, letters as two digits",
    source="ISO 6166",
    unique=10**9,
    live=True,
    reserved="..QX.*",
    allowed="[A-Z]{2}[A-Z0-9]{9}\\d",
    about="place",
    safe="the letters after the country are QX, which no agency assigns",
)
def isin(context: KindContext) -> Column:
    return context.checked("isin", "#########=" if context.live else "QX#######=")


@kind(
    "lei",
    "the number of a legal entity",
    check="ISO 7064, MOD 97-10",
    source="ISO 17442",
    unique=10**12,
    live=True,
    reserved="9999.*",
    allowed="[A-Z0-9]{18}\\d{2}",
    safe="begins with 9999, which is not assigned to any issuer",
)
def lei(context: KindContext) -> Column:
    return context.checked("mod-97", "549300############==" if context.live else "999900############==")


@kind(
    "creditor-reference",
    "the reference of a payment",
    check="ISO 7064, MOD 97-10",
    source="ISO 11649",
    unique=10**12,
    allowed="RF\\d{2}[A-Z0-9]{1,21}",
)
def creditor_reference(context: KindContext) -> Column:
    return context.checked("reference", "############")


# The number of headings in each chapter of the Harmonized System (edition of 2022), 1 to 97; 77 is reserved.
HEADINGS = (
    6, 10, 9, 10, 11, 4, 14, 14, 10, 8, 9, 14, 2, 4, 22, 5, 4, 6, 5, 9, 6, 9, 9, 4,
    30, 21, 16, 53, 42, 6, 5, 15, 7, 7, 7, 6, 7, 27, 26, 17, 15, 6, 4, 21, 4, 2, 7, 23,
    11, 7, 13, 12, 11, 8, 16, 9, 5, 11, 11, 6, 17, 17, 10, 6, 7, 3, 4, 15, 14, 20, 18, 29,
    26, 19, 8, 16, 0, 6, 7, 7, 13, 15, 11, 87, 49, 9, 16, 7, 8, 33, 14, 9, 7, 6, 8, 20,
    6,
)  # fmt: skip


def _headings(chapter: int) -> str:
    numbers = "|".join(f"{each:02}" for each in range(1, HEADINGS[chapter - 1] + 1))
    return f"{chapter:02}({numbers})[.]"


def _chapter(terms: Terms) -> Contract:
    return Contract((_headings(int(terms.one("chapter") or 42)) + "[0-9]{2}",))


def _no_chapter(told: Arguments) -> str:
    """Return why there is no such chapter; empty if there is."""
    chapter = (told.get("chapter") or [42])[0]
    known = isinstance(chapter, int) and 1 <= chapter <= len(HEADINGS) and HEADINGS[chapter - 1]
    return "" if known else f"there is no chapter {chapter}: 1 to 97, without 77"


@kind(
    "hs-code",
    "the group of goods of an article, six digits",
    source="WCO Harmonized System",
    parameters={"chapter": Parameter("the chapter, 1 to 97", "42")},
    contract=_chapter,
    wrong=_no_chapter,
)
def hs_code(context: KindContext) -> Column:
    return context.matching(_headings(int(context.given("chapter") or 42)) + "(00|10|20|30|90)")


@kind(
    "tracking-number",
    "the number of a parcel",
    source="UPU S10",
    check="UPU S10",
    allowed="[A-Z]{2}\\d{9}[A-Z]{2}",
    reserved="[A-Z]{2}\\d{9}ZZ",
    safe="ends with ZZ, which is no country's code",
    live=True,
    unique=10**8,
)
def tracking_number(context: KindContext) -> Column:
    number = context.checked("s10", "########=")
    country = context.fact("country-code") if context.live else "ZZ"
    return context.join(context.matching("[RCEL][A-Z]"), number, country)


@kind(
    "tax-rate",
    "a rate of value added tax of the country, in percent",
    about="place",
    type=decimal(1),
    contract=between(0, 500),
)
def tax_rate(context: KindContext) -> Column:
    import numpy as np

    rates = [country(str(each["country-code"])).rates for each in context.facts]
    widest = max(len(each) for each in rates)
    table = np.array([[int(each[min(at, len(each) - 1)] * 10) for at in range(widest)] for each in rates])
    # The standard rate is by far the most frequent.
    at = (context.unit("tax rate") ** 3 * widest).astype(np.int64)
    return context.whole(table[context.locale(), at], decimal(1))


@kind(
    "container-number",
    "the number of a freight container",
    check="ISO 6346",
    source="ISO 6346",
    unique=10**6,
    allowed="[A-Z]{3}[UJZ]\\d{7}",
    risk="a container may have the number: no range is reserved",
)
def container_number(context: KindContext) -> Column:
    return context.checked("container", "QZXU######=")


@kind(
    "imsi",
    "the number of a subscriber of a mobile network",
    source="ITU-T E.212",
    unique=10**10,
    allowed="\\d{14,15}",
    reserved="00101\\d{9,10}",
    safe="begins with 001 01, which is reserved for tests",
)
def imsi(context: KindContext) -> Column:
    return context.join("00101", context.matching("[0-9]{10}"))


@kind(
    "iccid",
    "the number of a SIM card",
    check="Luhn",
    source="ITU-T E.118",
    unique=10**12,
    allowed="89\\d{16,18}",
    reserved="89999.*",
    safe="begins with 89 999: there is no country 999",
)
def iccid(context: KindContext) -> Column:
    return context.checked("luhn", "89999#############=")
