"""Kinds of vehicles: the model year agrees with the vehicle's number, the plate with the country."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.base.types import INTEGER
from yurt.core.kinds.catalogue import Parameter, kind
from yurt.core.kinds.contract import Contract, Terms, text
from yurt.core.kinds.countries import country

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext

YEARS = {
    "earliest": Parameter("the earliest year", "year(today) - 25"),
    "latest": Parameter("the latest year", "year(today)"),
}
OLD = 25


def _years(terms: Terms) -> Contract:
    return Contract(
        low=int(terms.one("earliest", terms.today.year - OLD)), high=int(terms.one("latest", terms.today.year))
    )


@kind(
    "model-year",
    "the year a vehicle was built, in agreement with its number",
    about="vehicle",
    type=INTEGER,
    parameters=YEARS,
    contract=_years,
)
def model_year(context: KindContext) -> Column:
    return context.whole(context.vehicle_year())


@kind(
    "licence-plate",
    "the plate of a car in the country",
    about="place",
    risk="every shape of plate may be in use somewhere",
    contract=text("whether the country has such plates", longest=20),
)
def licence_plate(context: KindContext) -> Column:
    plates = [country(str(each["country-code"])).plate for each in context.facts]
    return context.by_locale(lambda number, places: context.at(places).matching(plates[number], "plate"))
