"""Kinds that speak of the one place of a record: street, city, postal code, region, country and position agree."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from yurt.core.kinds.catalogue import Parameter, kind
from yurt.core.types import INTEGER, decimal

if TYPE_CHECKING:
    from yurt.core.engine.world.world import World

# A branch that stands twice is drawn twice as often: most houses have a short number and no letter.
HOUSE_NUMBER = "[1-9]|[1-9][0-9]|[1-9][0-9]|1[0-9]{2}|[1-9][0-9]?[ab]"
POSITION = decimal(5)
NEAR = 0.027
AUTOFILL = "HTML Living Standard, autofill field names"
SCRIPT = {"script": Parameter("the script of the language, or latin", "own", choices=("own", "latin"))}


@kind("street", "the name of a street", about="place", listed=("streets", "text"))
def street(world: World) -> Any:
    return world.pick("streets").text("text")


@kind("house-number", "the number of a house", about="place")
def house_number(world: World) -> Any:
    patterns = [str(each.get("house-number", HOUSE_NUMBER)) for each in world.agreed.facts]
    if len(set(patterns)) == 1:
        return world.matching(patterns[0], purpose="house-number")
    return world.by_locale(lambda number, places: world.at(places).matching(patterns[number], purpose="house-number"))


@kind("street-address", "street and house number", about="place", source=AUTOFILL)
def street_address(world: World) -> Any:
    return world.form("street-address", {"street": street(world), "house-number": house_number(world)})


@kind("address-line2", "the second line of an address: floor, door, care of", about="place", source=AUTOFILL)
def address_line2(world: World) -> Any:
    number = world.matching("[1-9]|1[0-9]", purpose="second line")
    return world.join(world.pick("second-lines").text("text"), " ", number)


def _parts(world: World) -> dict[str, Any]:
    cities = world.pick("cities")
    return {
        "street-address": street_address(world), "postal-code": cities.text("postal-code"), "city": cities.text("city"),
        "region": cities.text("region"), "region-code": cities.text("region-short"), "country": world.fact("country"),
    }  # fmt: skip


@kind("full-address", "a whole address on one line, in the country's order", about="place")
def full_address(world: World) -> Any:
    return world.form("address-line", _parts(world))


@kind("address-lines", "a whole address by lines, in the country's order", about="place", source="UPU S42")
def address_lines(world: World) -> Any:
    return world.form("address-lines", _parts(world))


@kind("postal-code", "a postal code of the city", about="place", source=AUTOFILL, listed=("cities", "postal-code"))
def postal_code(world: World) -> Any:
    return world.pick("cities").text("postal-code")


@kind("city", "a town or city", about="place", listed=("cities", "city"), parameters=SCRIPT)
def city(world: World) -> Any:
    return world.pick("cities").text("city-latin" if world.given("script") == "latin" else "city")


@kind("district", "a part of the city", about="place")
def district(world: World) -> Any:
    return world.join(world.pick("cities").text("city"), "-", world.pick("districts").text("text"))


@kind("region", "the state or region of the city", about="place", listed=("cities", "region"))
def region(world: World) -> Any:
    return world.pick("cities").text("region")


@kind(
    "region-code",
    "the state or region of the city, as a code",
    allowed="[A-Z]{2}-[A-Z0-9]{1,3}",
    about="place",
    source="ISO 3166-2",
    listed=("cities", "region-code"),
)
def region_code(world: World) -> Any:
    return world.pick("cities").text("region-code")


@kind("country", "the country, in its language", about="place", source="Unicode CLDR")
def country(world: World) -> Any:
    return world.fact("country")


@kind("country-english", "the country, in English", about="place", source="Unicode CLDR")
def country_english(world: World) -> Any:
    return world.fact("country-en")


@kind("country-code", "the country, as a code", allowed="[A-Z]{2}", about="place", source="ISO 3166-1 alpha-2")
def country_code(world: World) -> Any:
    return world.fact("country-code")


@kind(
    "country-code-3",
    "the country, as a code of three letters",
    allowed="[A-Z]{3}",
    about="place",
    source="ISO 3166-1 alpha-3",
)
def country_code_3(world: World) -> Any:
    return world.fact("country-code-3")


@kind("country-number", "the country, as a number", allowed="\\d{3}", about="place", source="ISO 3166-1 numeric")
def country_number(world: World) -> Any:
    return world.fact("country-number")


@kind("any-country", "any country of the world, in the language", about="locale", source="Unicode CLDR")
def any_country(world: World) -> Any:
    return world.pick("territories", own=True).text("text")


@kind(
    "any-country-code",
    "any country of the world, as a code",
    allowed="[A-Z]{2}",
    about="locale",
    source="ISO 3166-1 alpha-2",
)
def any_country_code(world: World) -> Any:
    return world.pick("territories", own=True).text("code")


@kind("continent", "the continent, in English", about="place")
def continent(world: World) -> Any:
    return world.fact("continent")


@kind("latitude", "degrees north, near the city", about="place", type=POSITION, source="WGS 84")
def latitude(world: World) -> Any:
    return world.near(world.pick("cities"), "latitude", NEAR, POSITION)


@kind("longitude", "degrees east, near the city", about="place", type=POSITION, source="WGS 84")
def longitude(world: World) -> Any:
    return world.near(world.pick("cities"), "longitude", NEAR, POSITION)


@kind("coordinates", "latitude and longitude, near the city", about="place", source="ISO 6709, annex D")
def coordinates(world: World) -> Any:
    return world.join(latitude(world), ", ", longitude(world))


@kind("coordinates-dms", "degrees, minutes and seconds, near the city", about="place", source="ISO 6709, annex D")
def coordinates_dms(world: World) -> Any:
    from yurt.core.engine.world.position import in_degrees

    return world.join(
        in_degrees(latitude(world), "NS", world.rows), " ", in_degrees(longitude(world), "EW", world.rows)
    )


@kind(
    "geo-uri",
    "a position near the city, as an address",
    allowed="geo:-?\\d+\\.\\d+,-?\\d+\\.\\d+",
    about="place",
    source="RFC 5870",
)
def geo_uri(world: World) -> Any:
    return world.join("geo:", latitude(world), ",", longitude(world))


@kind("time-zone", "the time zone of the city", about="place", source="IANA time zone database")
def time_zone(world: World) -> Any:
    return world.pick("cities").text("time-zone")


@kind("altitude", "metres above the sea", about="place", type=INTEGER)
def altitude(world: World) -> Any:
    return world.whole(30 + 900 * world.unit("altitude") ** 3)


@kind("floor", "a storey of a house: 0 is the ground floor", about="place", type=INTEGER)
def floor(world: World) -> Any:
    return world.whole(9 * world.unit("floor") ** 2)
