"""Numbers that a country gives: to persons (`national-id`) and to companies (`vat`), by the rules of each locale."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.kinds.catalogue import kind

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext


@kind(
    "national-id",
    "the number that the state knows a person by; it agrees with birthday and sex",
    check="by the country",
    about="person",
    live=True,
    source="the published rule of each country: see the list in the documentation",
    safe="in a range that is not given to persons, where the country keeps one",
    risk="where a country keeps no range free, a person may have the number",
)
def national_id(context: KindContext) -> Column:
    return context.by_locale(lambda number, places: context.at(places).national_number(_country(context, number)))


@kind(
    "vat",
    "the tax number of a company",
    check="by the country",
    about="company",
    source="the published rule of each country: see the list in the documentation",
    risk="no country keeps a range free, so a company may have the number",
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


@kind("driving-licence", "the number of a driving licence", about="person", risk="a licence may have the number")
def driving_licence(context: KindContext) -> Column:
    return context.matching("[A-Z]{2}[0-9]{6}[A-Z]", "licence")


def _country(context: KindContext, number: int) -> str:
    return str(context.facts[number]["country-code"])
