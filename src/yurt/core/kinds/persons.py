"""Kinds that speak of the one person of a record: names, sex, address and work agree."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from yurt.core.kinds.catalogue import BY_NUMBER, kind

if TYPE_CHECKING:
    from yurt.core.engine.kind_world import World

AUTOFILL = "HTML Living Standard, autofill field names"


@kind("sex", "persons", "female or male, in agreement with names")
def sex(world: World) -> Any:
    return world.sex()


@kind("given-name", "persons", "a first name", source=AUTOFILL, listed=("given-names", "name"))
def given_name(world: World) -> Any:
    return world.pick("given-names", by_sex=True).text("name")


@kind("family-name", "persons", "a last name", source=AUTOFILL, listed=("family-names", "name"))
def family_name(world: World) -> Any:
    return world.pick("family-names").text("name")


@kind("full-name", "persons", "given and family name")
def full_name(world: World) -> Any:
    return world.form("full-name", {"given-name": given_name(world), "family-name": family_name(world)})


@kind("honorific-prefix", "persons", "the form of address", source=AUTOFILL)
def honorific_prefix(world: World) -> Any:
    return world.fact("honorific", by_sex=True)


@kind("language", "persons", "the language, as a code", source="ISO 639-1")
def language(world: World) -> Any:
    return world.fact("language")


@kind("job-title", "persons", "an occupation", listed=("job-titles", "title"))
def job_title(world: World) -> Any:
    return world.pick("job-titles", by_sex=True).text("title")


@kind(
    "email", "persons", "an e-mail address made of the names",
    source="RFC 5321, RFC 5322", safe="always in example.com, example.net or example.org, which RFC 2606 reserves",
    unique=BY_NUMBER,
)  # fmt: skip
def email(world: World) -> Any:
    names: list[Any] = [
        world.pick("given-names", by_sex=True).ascii("name"),
        ".",
        world.pick("family-names").ascii("name"),
    ]
    number: list[Any] = [".", world.running_number()] if world.unique else []
    return world.join(*names, *number, world.choose("@example.com", "@example.net", "@example.org"))


@kind("username", "persons", "a log-in name made of the names", source=AUTOFILL, unique=BY_NUMBER)
def username(world: World) -> Any:
    number = world.running_number() if world.unique else world.matching("[1-9][0-9]")
    given = world.pick("given-names", by_sex=True).ascii("name", first_letter=True)
    return world.join(given, world.pick("family-names").ascii("name"), "_" if world.unique else "", number)


@kind(
    "tel", "persons", "a telephone number, international", source="ITU-T E.123",
    safe="France: the numbers ARCEP sets aside for fiction. Austria and Slovenia: a subscriber number that begins with "
    "0, as none does. Italy: the first digit 9, which is not in use. United Kingdom: the numbers Ofcom sets aside for "
    "drama",
)  # fmt: skip
def tel(world: World) -> Any:
    return world.matching_fact("tel")
