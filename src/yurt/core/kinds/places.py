"""Kinds that speak of the one place of a record: street, city, postal code, region, country and position agree."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from yurt.core.kinds.catalogue import kind
from yurt.core.types import decimal

if TYPE_CHECKING:
    from yurt.core.engine.kind_world import World

POSITION = decimal(5)


@kind("street", "places", "the name of a street", listed=("streets", "street"))
def street(world: World) -> Any:
    return world.pick("streets").text("street")


@kind("house-number", "places", "the number of a house")
def house_number(world: World) -> Any:
    # A branch that stands twice is drawn twice as often: most houses have a short number and no letter.
    return world.matching("[1-9]|[1-9][0-9]|[1-9][0-9]|1[0-9]{2}|[1-9][0-9]?[ab]", purpose="house-number")


@kind("street-address", "places", "street and house number", source="HTML autofill")
def street_address(world: World) -> Any:
    return world.form("street-address", {"street": street(world), "house-number": house_number(world)})


@kind("postal-code", "places", "a postal code of the city", source="HTML autofill", listed=("cities", "postal-code"))
def postal_code(world: World) -> Any:
    return world.pick("cities").text("postal-code")


@kind("city", "places", "a town or city", listed=("cities", "city"))
def city(world: World) -> Any:
    return world.pick("cities").text("city")


@kind("region", "places", "the state or region of the city", listed=("cities", "region"))
def region(world: World) -> Any:
    return world.pick("cities").text("region")


@kind("country", "places", "the country, in its language")
def country(world: World) -> Any:
    return world.fact("country")


@kind("country-code", "places", "the country, as a code", source="ISO 3166-1 alpha-2")
def country_code(world: World) -> Any:
    return world.fact("country-code")


@kind("latitude", "places", "degrees north, near the city", holds=POSITION, source="WGS 84")
def latitude(world: World) -> Any:
    return world.near(world.pick("cities"), "latitude", 0.027, POSITION)


@kind("longitude", "places", "degrees east, near the city", holds=POSITION, source="WGS 84")
def longitude(world: World) -> Any:
    return world.near(world.pick("cities"), "longitude", 0.027, POSITION)


@kind("time-zone", "places", "the time zone of the country", source="IANA time zone database")
def time_zone(world: World) -> Any:
    return world.fact("time-zone")
