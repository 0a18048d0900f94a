"""Kinds that speak of the one place of a record: street, city, postal code, region, country and position agree."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.base.json_object import JsonObject
from yurt.core.base.types import INTEGER, decimal
from yurt.core.kinds.catalogue import Parameter, kind

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext

# A branch that stands twice is drawn twice as often: most houses have a short number and no letter.
HOUSE_NUMBER = "[1-9]|[1-9][0-9]|[1-9][0-9]|1[0-9]{2}|[1-9][0-9]?[ab]"
POSITION = decimal(5)
NEAR = 0.027
AUTOFILL = "HTML Living Standard, autofill field names"
SCRIPT = {"script": Parameter("the script of the language, or latin", "own", choices=("own", "latin"))}


@kind("street", "the name of a street", about="place", listed=("streets", "text"))
def street(context: KindContext) -> Column:
    return context.pick("streets").text("text")


@kind("house-number", "the number of a house", about="place")
def house_number(context: KindContext) -> Column:
    patterns = [str(each.get("house-number", HOUSE_NUMBER)) for each in context.facts]
    if len(set(patterns)) == 1:
        return context.matching(patterns[0], "house-number")
    return context.by_locale(lambda number, places: context.at(places).matching(patterns[number], "house-number"))


@kind("street-address", "street and house number", about="place", source=AUTOFILL)
def street_address(context: KindContext) -> Column:
    return context.form("street-address", {"street": street(context), "house-number": house_number(context)})


@kind("address-line2", "the second line of an address: floor, door, care of", about="place", source=AUTOFILL)
def address_line2(context: KindContext) -> Column:
    number = context.matching("[1-9]|1[0-9]", "second line")
    return context.join(context.pick("second-lines").text("text"), " ", number)


def _parts(context: KindContext) -> JsonObject:
    cities = context.pick("cities")
    return {
        "street-address": street_address(context), "postal-code": cities.text("postal-code"),
        "city": cities.text("city"),
        "region": cities.text("region"), "region-code": cities.text("region-short"), "country": context.fact("country"),
    }  # fmt: skip


@kind("full-address", "a whole address on one line, in the country's order", about="place")
def full_address(context: KindContext) -> Column:
    return context.form("address-line", _parts(context))


@kind("address-lines", "a whole address by lines, in the country's order", about="place", source="UPU S42")
def address_lines(context: KindContext) -> Column:
    return context.form("address-lines", _parts(context))


@kind("postal-code", "a postal code of the city", about="place", source=AUTOFILL, listed=("cities", "postal-code"))
def postal_code(context: KindContext) -> Column:
    return context.pick("cities").text("postal-code")


@kind("city", "a town or city", about="place", listed=("cities", "city"), parameters=SCRIPT)
def city(context: KindContext) -> Column:
    return context.pick("cities").text("city-latin" if context.given("script") == "latin" else "city")


@kind("district", "a part of the city", about="place")
def district(context: KindContext) -> Column:
    return context.join(context.pick("cities").text("city"), "-", context.pick("districts").text("text"))


@kind("region", "the state or region of the city", about="place", listed=("cities", "region"))
def region(context: KindContext) -> Column:
    return context.pick("cities").text("region")


@kind(
    "region-code",
    "the state or region of the city, as a code",
    allowed="[A-Z]{2}-[A-Z0-9]{1,3}",
    about="place",
    source="ISO 3166-2",
    listed=("cities", "region-code"),
)
def region_code(context: KindContext) -> Column:
    return context.pick("cities").text("region-code")


@kind("country", "the country, in its language", about="place", source="Unicode CLDR")
def country(context: KindContext) -> Column:
    return context.fact("country")


@kind("country-english", "the country, in English", about="place", source="Unicode CLDR")
def country_english(context: KindContext) -> Column:
    return context.fact("country-en")


@kind("country-code", "the country, as a code", allowed="[A-Z]{2}", about="place", source="ISO 3166-1 alpha-2")
def country_code(context: KindContext) -> Column:
    return context.fact("country-code")


@kind(
    "country-code-3",
    "the country, as a code of three letters",
    allowed="[A-Z]{3}",
    about="place",
    source="ISO 3166-1 alpha-3",
)
def country_code_3(context: KindContext) -> Column:
    return context.fact("country-code-3")


@kind("country-number", "the country, as a number", allowed="\\d{3}", about="place", source="ISO 3166-1 numeric")
def country_number(context: KindContext) -> Column:
    return context.fact("country-number")


@kind("any-country", "any country of the world, in the language", about="locale", source="Unicode CLDR")
def any_country(context: KindContext) -> Column:
    return context.pick("territories", own=True).text("text")


@kind(
    "any-country-code",
    "any country of the world, as a code",
    allowed="[A-Z]{2}",
    about="locale",
    source="ISO 3166-1 alpha-2",
)
def any_country_code(context: KindContext) -> Column:
    return context.pick("territories", own=True).text("code")


@kind("continent", "the continent, in English", about="place")
def continent(context: KindContext) -> Column:
    return context.fact("continent")


@kind("latitude", "degrees north, near the city", about="place", type=POSITION, source="WGS 84")
def latitude(context: KindContext) -> Column:
    return context.near(context.pick("cities"), "latitude", NEAR, POSITION)


@kind("longitude", "degrees east, near the city", about="place", type=POSITION, source="WGS 84")
def longitude(context: KindContext) -> Column:
    return context.near(context.pick("cities"), "longitude", NEAR, POSITION)


@kind("coordinates", "latitude and longitude, near the city", about="place", source="ISO 6709, annex D")
def coordinates(context: KindContext) -> Column:
    return context.join(latitude(context), ", ", longitude(context))


@kind("coordinates-dms", "degrees, minutes and seconds, near the city", about="place", source="ISO 6709, annex D")
def coordinates_dms(context: KindContext) -> Column:
    return context.join(context.degrees(latitude(context), "NS"), " ", context.degrees(longitude(context), "EW"))


@kind(
    "geo-uri",
    "a position near the city, as an address",
    allowed="geo:-?\\d+\\.\\d+,-?\\d+\\.\\d+",
    about="place",
    source="RFC 5870",
)
def geo_uri(context: KindContext) -> Column:
    return context.join("geo:", latitude(context), ",", longitude(context))


@kind("time-zone", "the time zone of the city", about="place", source="IANA time zone database")
def time_zone(context: KindContext) -> Column:
    return context.pick("cities").text("time-zone")


@kind("altitude", "metres above the sea", about="place", type=INTEGER)
def altitude(context: KindContext) -> Column:
    return context.whole(30 + 900 * context.unit("altitude") ** 3)


@kind("floor", "a storey of a house: 0 is the ground floor", about="place", type=INTEGER)
def floor(context: KindContext) -> Column:
    return context.whole(9 * context.unit("floor") ** 2)
