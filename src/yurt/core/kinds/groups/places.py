"""Kinds about the one place of a record: street, city, postal code, region, country, and position agree."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from yurt.core.base.json_object import JsonObject
from yurt.core.base.types import INTEGER, decimal
from yurt.core.kinds.catalogue import Parameter, kind
from yurt.core.kinds.contract import (
    UNINHABITED,
    Contract,
    State,
    Terms,
    between,
    cells,
    escaped,
    fact,
    listed,
    one_of_all,
    text,
)
from yurt.core.kinds.lists import facts

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext

# A branch that occurs twice is drawn twice as often: most houses have a short number and no letter.
HOUSE_NUMBER = "[1-9]|[1-9][0-9]|[1-9][0-9]|1[0-9]{2}|[1-9][0-9]?[ab]"
POSITION = decimal(5)
# How far the altitude near a city is from its own, and the altitudes if a tester's own list of cities has none.
HILLS, SOMEWHERE = 0.05, (30, 930)
AUTOFILL = "HTML Living Standard, autofill field names"
SCRIPT = {"script": Parameter("the script of the language, or latin", "own", choices=("own", "latin"))}


def in_city(context: KindContext, other: Column, *columns: str) -> Column:
    """Return what the list of cities has in the first of the columns that is not empty, else the other text."""
    cities = context.pick("cities")
    for column in reversed([each for each in columns if cities.has(each)]):
        other = context.where(cities.filled(column), cities.text(column), other)
    return other


def or_in_city(name: str, *columns: str) -> State:
    """Return the contract of a text of a list, or of a column of the list of cities."""

    def state(terms: Terms) -> Contract:
        found = {*cells(terms, name, "text"), *cells(terms, "cities", *columns)}
        return Contract(values=frozenset(found - {""}))

    return state


@kind("street", "the name of a street, or of the part of a town that numbers the houses", about="place",
      contract=or_in_city("streets", "street"))  # fmt: skip
def street(context: KindContext) -> Column:
    return in_city(context, context.pick("streets").text("text"), "street")


def _house_number(terms: Terms) -> Contract:
    patterns = [str(facts(each, terms.folder).get("house-number", HOUSE_NUMBER)) for each in terms.locales]
    return Contract(("|".join(dict.fromkeys(patterns)),))


@kind("house-number", "the number of a house", about="place", contract=_house_number)
def house_number(context: KindContext) -> Column:
    patterns = [str(each.get("house-number", HOUSE_NUMBER)) for each in context.facts]
    if len(set(patterns)) == 1:
        return context.matching(patterns[0], "house-number")
    return context.by_locale(lambda number, places: context.at(places).matching(patterns[number], "house-number"))


@kind(
    "street-address",
    "street and house number",
    about="place",
    source=AUTOFILL,
    contract=text("whether it is a street with a house number"),
)
def street_address(context: KindContext) -> Column:
    return context.form("street-address", {"street": street(context), "house-number": house_number(context)})


@kind(
    "address-line1",
    "the first line of an address: street and house number",
    about="place",
    source=AUTOFILL,
    contract=text("whether it is a street with a house number"),
)
def address_line1(context: KindContext) -> Column:
    return street_address(context)


@kind(
    "address-line2",
    "the second line of an address: floor, door, care of",
    about="place",
    source=AUTOFILL,
    contract=text("whether it is a line of an address"),
)
def address_line2(context: KindContext) -> Column:
    number = context.matching("[1-9]|1[0-9]", "second line")
    return context.form("second-line", {"word": context.pick("second-lines").text("text"), "number": number})


def _parts(context: KindContext) -> JsonObject:
    cities = context.pick("cities")
    return {
        "street-address": street_address(context), "postal-code": cities.text("postal-code"),
        "city": cities.text("locality"),
        "region": cities.text("region"), "region-code": cities.text("region-short"), "country": context.fact("country"),
    }  # fmt: skip


@kind(
    "full-address",
    "a whole address on one line, in the country's order",
    about="place",
    contract=text("whether it is an address"),
)
def full_address(context: KindContext) -> Column:
    return context.form("address-line", _parts(context))


@kind(
    "address-lines",
    "a whole address by lines, in the country's order",
    about="place",
    source="UPU S42",
    contract=text("whether it is an address", lines=True),
)
def address_lines(context: KindContext) -> Column:
    return context.form("address-lines", _parts(context))


def _postal_code(terms: Terms) -> Contract:
    """A code with the shape of the country's codes: letters and digits at the same positions."""
    shapes = {re.sub("[A-Z]", "A", re.sub("[0-9]", "9", each)) for each in cells(terms, "cities", "postal-code")}
    patterns = (escaped(each).replace("A", "[A-Z]").replace("9", "[0-9]") for each in sorted(shapes))
    return Contract(("|".join(patterns),), rest="whether the country has the postal code")


@kind(
    "postal-code",
    "a postal code of the city",
    about="place",
    source=AUTOFILL,
    listed=("cities", "postal-code"),
    contract=_postal_code,
)
def postal_code(context: KindContext) -> Column:
    return context.pick("cities").text("postal-code")


@kind(
    "city",
    "a town or city",
    about="place",
    listed=("cities", "city"),
    parameters=SCRIPT,
    contract=listed("cities", "city", latin=("city-latin",)),
)
def city(context: KindContext) -> Column:
    return context.pick("cities").text("city-latin" if context.given("script") == "latin" else "city")


@kind("district", "a part of the city", about="place", contract=text("whether it is a part of a city"))
def district(context: KindContext) -> Column:
    made_up = context.join(context.pick("cities").text("city"), "-", context.pick("districts").text("text"))
    return in_city(context, made_up, "ward", "street")


@kind(
    "region",
    "the state or region of the city",
    about="place",
    listed=("cities", "region"),
)
def region(context: KindContext) -> Column:
    return context.pick("cities").text("region")


@kind(
    "region-code",
    "the state or region of the city, as a code",
    about="place",
    source="ISO 3166-2",
    listed=("cities", "region-code"),
)
def region_code(context: KindContext) -> Column:
    return context.pick("cities").text("region-code")


@kind("country", "the country, in its language", about="place", source="Unicode CLDR", contract=fact("country"))
def country(context: KindContext) -> Column:
    return context.fact("country")


@kind("country-english", "the country, in English", about="place", source="Unicode CLDR", contract=fact("country-en"))
def country_english(context: KindContext) -> Column:
    return context.fact("country-en")


@kind(
    "country-code",
    "the country, as a code",
    about="place",
    source="ISO 3166-1 alpha-2",
    closed="ISO 3166-1 of 2024, of the locales",
    contract=fact("country-code"),
)
def country_code(context: KindContext) -> Column:
    return context.fact("country-code")


@kind(
    "country-alpha-3",
    "the country, as a code of three letters",
    about="place",
    source="ISO 3166-1 alpha-3",
    closed="ISO 3166-1 of 2024, of the locales",
    contract=fact("country-alpha-3"),
)
def country_code_3(context: KindContext) -> Column:
    return context.fact("country-alpha-3")


@kind(
    "country-numeric",
    "the country, as a number",
    about="place",
    source="ISO 3166-1 numeric",
    closed="ISO 3166-1 of 2024, of the locales",
    contract=fact("country-numeric"),
)
def country_number(context: KindContext) -> Column:
    return context.fact("country-numeric")


@kind(
    "any-country",
    "any country of the world, in the language",
    about="locale",
    source="Unicode CLDR",
    contract=listed("territories", "text"),
)
def any_country(context: KindContext) -> Column:
    return context.pick("territories", own=True).text("text")


@kind(
    "any-country-code",
    "any country of the world, as a code",
    about="locale",
    source="ISO 3166-1 alpha-2",
    closed="ISO 3166-1 of 2024",
    contract=one_of_all("territories", "code", *UNINHABITED),
)
def any_country_code(context: KindContext) -> Column:
    return context.pick("territories", own=True).text("code")


@kind("continent", "the continent, in English", about="place", contract=fact("continent"))
def continent(context: KindContext) -> Column:
    return context.fact("continent")


def _degrees(most: int, what: str) -> State:
    """Return the contract of positions anywhere on the Earth: the list of cities is open."""
    found = Contract(low=-most * 10**5, high=most * 10**5, rest=f"whether the {what} is near the city")
    return lambda terms: found


@kind(
    "latitude",
    "degrees north, near the city",
    about="place",
    type=POSITION,
    source="WGS 84",
    contract=_degrees(90, "latitude"),
)
def latitude(context: KindContext) -> Column:
    return context.position("latitude")


@kind(
    "longitude",
    "degrees east, near the city",
    about="place",
    type=POSITION,
    source="WGS 84",
    contract=_degrees(180, "longitude"),
)
def longitude(context: KindContext) -> Column:
    return context.position("longitude")


@kind(
    "coordinates",
    "latitude and longitude, near the city",
    about="place",
    source="ISO 6709, annex D",
    allowed="-?[0-9]{1,2}(\\.[0-9]+)?, -?[0-9]{1,3}(\\.[0-9]+)?",
)
def coordinates(context: KindContext) -> Column:
    return context.join(latitude(context), ", ", longitude(context))


@kind(
    "coordinates-dms",
    "degrees, minutes and seconds, near the city",
    about="place",
    source="ISO 6709, annex D",
    allowed="[0-9]{1,2}°[0-5][0-9]′[0-5][0-9]″[NS] [0-9]{1,3}°[0-5][0-9]′[0-5][0-9]″[EW]",
)
def coordinates_dms(context: KindContext) -> Column:
    return context.join(context.degrees(latitude(context), "NS"), " ", context.degrees(longitude(context), "EW"))


@kind(
    "geo-uri",
    "a position near the city, as an address",
    about="place",
    source="RFC 5870",
    allowed="geo:-?[0-9]{1,2}(\\.[0-9]+)?,-?[0-9]{1,3}(\\.[0-9]+)?(,-?[0-9]+(\\.[0-9]+)?)?(;[A-Za-z0-9-]+(=[A-Za-z0-9._~%:&+$-]+)?)*",
)
def geo_uri(context: KindContext) -> Column:
    return context.join("geo:", latitude(context), ",", longitude(context))


def _time_zone(terms: Terms) -> Contract:
    """Any zone of the database, as the package `tzdata` has it: the list of cities is open."""
    from importlib import resources

    names = resources.files("tzdata").joinpath("zones").read_text("utf-8").split()
    return Contract(values=frozenset(names), rest="whether the city has the time zone")


@kind(
    "time-zone",
    "the time zone of the city",
    about="place",
    source="IANA time zone database",
    closed="IANA time zone database",
    contract=_time_zone,
)
def time_zone(context: KindContext) -> Column:
    return context.pick("cities").text("time-zone")


def _altitudes(terms: Terms) -> Contract:
    """From the shore of the Dead Sea to the highest peak: the list of cities is open."""
    return Contract(low=-440, high=8849, rest="whether the altitude is that of the city")


@kind("altitude", "metres above the sea, near the city", about="place", type=INTEGER, source="GeoNames",
      contract=_altitudes)  # fmt: skip
def altitude(context: KindContext) -> Column:
    import numpy as np

    city, u = context.pick("cities").numbers("altitude"), context.unit("altitude")
    low, high = SOMEWHERE
    return context.whole(np.rint(np.where(np.isnan(city), low + (high - low) * u**3, city * (1 + HILLS * (2 * u - 1)))))


@kind("floor", "a storey of a house: 0 is the ground floor", about="place", type=INTEGER, contract=between(0, 8))
def storey(context: KindContext) -> Column:
    return context.whole(9 * context.unit("floor") ** 2)


@kind("geohash", "a position near the city, as a cell of a grid: nine characters of base 32", about="place",
      source="Niemeyer's geohash", allowed="[0-9b-hjkmnp-z]{1,12}")  # fmt: skip
def geohash(context: KindContext) -> Column:
    return context.grid_cell("geohash")


@kind("plus-code", "a position near the city, as an Open Location Code of ten digits", about="place",
      source="Open Location Code", allowed=r"[2-9CFGHJMPQRVWX]{8}\+[2-9CFGHJMPQRVWX]{2,3}")  # fmt: skip
def plus_code(context: KindContext) -> Column:
    return context.grid_cell("plus code")
