"""Numbers that a country assigns: to persons (`national-id`) and to companies (`vat`), by the rules of each locale."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.kinds.catalogue import kind
from yurt.core.kinds.contract import LONGEST, Contract, Terms, text_of
from yurt.core.kinds.lists import facts
from yurt.core.kinds.numbers.shapes import COMPANIES, PERSONS, Shape

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext


def _national(terms: Terms) -> Contract:
    return _by_country(terms, PERSONS)


def _tax(terms: Terms) -> Contract:
    return _by_country(terms, COMPANIES)


def _by_country(terms: Terms, shapes: dict[str, Shape]) -> Contract:
    """The shape and the check digits of one of the countries that a row can have."""
    countries = tuple(dict.fromkeys(str(facts(each, terms.folder)["country-code"]) for each in terms.locales))
    known = {each: shapes[each] for each in countries if each in shapes}
    if len(known) < len(countries):
        return Contract((text_of(1, LONGEST),), rest="the numbers of a country that the catalogue does not know")
    reserved = [each.reserved for each in known.values()]
    return Contract(
        ("|".join(f"({each.pattern})" for each in known.values()),), check="by the country", countries=countries,
        safe=("|".join(f"({each})" for each in reserved),) if all(reserved) else (),
        rest="; ".join(f"{each.rest} ({name})" for name, each in known.items() if each.rest),
    )  # fmt: skip


@kind(
    "national-id",
    "a personal number of the state; it agrees with birthday and sex",
    about="person",
    by_age=True,
    live=True,
    source="the published rule of each country: see the list in the documentation",
    safe="in a range that is never assigned, if the country reserves one",
    risk="if a country reserves no range, a person may have the number",
    check="by the country",
    contract=_national,
)
def national_id(context: KindContext) -> Column:
    return context.by_locale(lambda number, places: context.at(places).national_number(_country(context, number)))


@kind(
    "vat",
    "the tax number of a company",
    about="company",
    source="the published rule of each country: see the list in the documentation",
    risk="no country reserves a range, so a company may have the number",
    check="by the country",
    contract=_tax,
)
def vat(context: KindContext) -> Column:
    return context.by_locale(lambda number, places: context.at(places).company_number(_country(context, number)))


@kind(
    "passport-number",
    "the number of a passport: a letter and eight digits",
    allowed="[A-Z]\\d{8}",
    about="person",
    source="ICAO 9303 gives the length",
    risk="a passport may have the number",
)
def passport_number(context: KindContext) -> Column:
    return context.matching("[CFGHJK][0-9]{8}", "passport")


@kind(
    "driving-licence",
    "the number of a driving licence",
    about="person",
    risk="a licence may have the number",
    allowed="[A-Z]{2}[0-9]{6}[A-Z]",
)
def driving_licence(context: KindContext) -> Column:
    return context.matching("[A-Z]{2}[0-9]{6}[A-Z]", "licence")


def _country(context: KindContext, number: int) -> str:
    return str(context.facts[number]["country-code"])
