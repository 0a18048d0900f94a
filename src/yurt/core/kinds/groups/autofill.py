"""The parts of names, addresses, dates, and numbers that forms ask for one by one (HTML autofill field names)."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.base.types import INTEGER
from yurt.core.kinds import names
from yurt.core.kinds.catalogue import kind
from yurt.core.kinds.contract import between, listed, text
from yurt.core.kinds.groups.places import in_city, or_in_city

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext

AUTOFILL = "HTML Living Standard, autofill field names"
DIGITS = r"[0-9]{1,14}"


@kind("bday-day", "the day of the month of the birthday", about="person", by_age=True, type=INTEGER,
      source=AUTOFILL, contract=between(1, 31))  # fmt: skip
def bday_day(context: KindContext) -> Column:
    days = context.born().astype("datetime64[D]")
    return context.whole((days - days.astype("datetime64[M]").astype("datetime64[D]")).astype("int64") + 1)


@kind("bday-month", "the month of the birthday, as a number", about="person", by_age=True, type=INTEGER,
      source=AUTOFILL, contract=between(1, 12))  # fmt: skip
def bday_month(context: KindContext) -> Column:
    return context.whole(context.born().astype("datetime64[D]").astype("datetime64[M]").astype("int64") % 12 + 1)


@kind("bday-year", "the year of birth", about="person", by_age=True, type=INTEGER,
      source=AUTOFILL, contract=between(1850, 2200))  # fmt: skip
def bday_year(context: KindContext) -> Column:
    return context.whole(context.born().astype("datetime64[D]").astype("datetime64[Y]").astype("int64") + 1970)


@kind("cc-given-name", "the given name on a payment card", about="person", source=AUTOFILL, allowed="[A-Z .'-]{1,40}")
def cc_given_name(context: KindContext) -> Column:
    return context.upper(names.given(context).ascii("name"))


@kind("cc-family-name", "the family name on a payment card", about="person", source=AUTOFILL, allowed="[A-Z .'-]{1,40}")
def cc_family_name(context: KindContext) -> Column:
    return context.upper(names.family_ascii(context))


@kind("one-time-code", "a code that is valid once", source=AUTOFILL, allowed=r"\d{6}")
def one_time_code(context: KindContext) -> Column:
    return context.matching("[0-9]{6}")


@kind(
    "impp",
    "the address of an account for messages, as a URI",
    about="person",
    source=AUTOFILL,
    safe="in domains for documentation (RFC 2606)",
    allowed=r"xmpp:[a-z0-9._-]{1,120}@example\.(com|net|org)",
)
def impp(context: KindContext) -> Column:
    user = context.join(names.given(context).ascii("name"), ".", names.family_ascii(context))
    return context.join("xmpp:", user, context.choose("@example.com", "@example.net", "@example.org"))


@kind("photo", "the address of a picture of a person", about="person", source=AUTOFILL,
      allowed=r"https://photos\.example/[a-z0-9._-]{1,120}\.jpg", safe="in the domain .example (RFC 2606)")  # fmt: skip
def photo(context: KindContext) -> Column:
    return context.join(
        "https://photos.example/", names.given(context).ascii("name"), "-", names.family_ascii(context), ".jpg"
    )


@kind("address-line3", "the third line of an address: whom to ask for", about="person", source=AUTOFILL,
      contract=text("whether it is a line of an address"))  # fmt: skip
def address_line3(context: KindContext) -> Column:
    parts = names.parts(context)
    return context.join("c/o ", context.form("full-name", parts))


@kind("address-level1", "the widest part of an address: state or region", about="place", source=AUTOFILL,
      listed=("cities", "region"), contract=listed("cities", "region"))  # fmt: skip
def address_level1(context: KindContext) -> Column:
    return context.pick("cities").text("region")


@kind("address-level2", "the second part of an address: town or city", about="place", source=AUTOFILL,
      listed=("cities", "city"), contract=listed("cities", "city"))  # fmt: skip
def address_level2(context: KindContext) -> Column:
    return context.pick("cities").text("city")


@kind("address-level3", "the third part of an address: a part of the city", about="place", source=AUTOFILL,
      contract=or_in_city("districts", "ward", "street"))  # fmt: skip
def address_level3(context: KindContext) -> Column:
    return in_city(context, context.pick("districts").text("text"), "ward", "street")


@kind("address-level4", "the narrowest part of an address: a quarter", about="place", source=AUTOFILL,
      contract=or_in_city("districts", "street"))  # fmt: skip
def address_level4(context: KindContext) -> Column:
    return in_city(context, context.pick("districts", purpose=" quarter").text("text"), "street")


@kind("tel-country-code", "the code of the country of a telephone number", about="person", source=AUTOFILL,
      allowed=r"\+[1-9][0-9]{0,2}")  # fmt: skip
def tel_country_code(context: KindContext) -> Column:
    return context.phone("country")


@kind("tel-area-code", "the area code of a telephone number", about="person",
      source=AUTOFILL, allowed=DIGITS)  # fmt: skip
def tel_area_code(context: KindContext) -> Column:
    return context.phone("area")


@kind("tel-local", "a telephone number without country and area", about="person", source=AUTOFILL, allowed=DIGITS)
def tel_local(context: KindContext) -> Column:
    return context.phone("local")


@kind("tel-extension", "the number of a telephone inside a company", source=AUTOFILL, allowed=r"[1-9]\d{1,3}")
def tel_extension(context: KindContext) -> Column:
    return context.matching("[1-9][0-9]{1,3}")
