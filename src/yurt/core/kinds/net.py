"""Kinds of networks that are made of words and names: hosts and addresses of pages."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from yurt.core.kinds.catalogue import Parameter, kind

if TYPE_CHECKING:
    from yurt.core.engine.world.world import World

RESERVED = "in the domain .example (RFC 2606)"
DOMAIN = {"domain": Parameter("a domain of your own, or several in brackets", several=True)}

# A part of a domain between two points (RFC 1035).
LABEL = "[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?"


def _ending(world: World, dot: str = ".") -> list[Any]:
    own = [str(each).lstrip("@.") for each in world.several("domain")]
    if own:
        return [dot, world.choose(*own)]
    return [dot, world.fact("top-level-domain") if world.live else "example"]


def _name(world: World) -> Any:
    return world.pick("family-names", own=True).ascii("name")


@kind(
    "domain",
    "a domain of a made-up company",
    allowed=f"({LABEL}\\.)+{LABEL}",
    about="locale",
    source="RFC 1035",
    safe=RESERVED,
    live=True,
)
def domain(world: World) -> Any:
    return world.join(_name(world), "-", world.pick("words", own=True).ascii("text"), *_ending(world))


@kind(
    "hostname",
    "the name of a machine",
    allowed=f"({LABEL}\\.)+{LABEL}",
    about="locale",
    source="RFC 1123",
    safe=RESERVED,
    live=True,
    parameters=DOMAIN,
)
def hostname(world: World) -> Any:
    machine = world.matching("(web|mail|db|app|gw|cam|print)[0-9]{2}")
    return world.join(machine, *([] if world.several("domain") else [".", _name(world)]), *_ending(world))


@kind(
    "url",
    "the address of a web page",
    allowed=f"https://{LABEL}(\\.{LABEL})*/[a-z0-9-]*",
    about="locale",
    source="RFC 3986",
    safe=RESERVED,
    live=True,
    parameters=DOMAIN,
)
def url(world: World) -> Any:
    page = world.pick("words", own=True).ascii("text")
    if world.several("domain"):
        return world.join("https:/", *_ending(world, "/"), "/", page)
    return world.join("https://www.", _name(world), *_ending(world), "/", page)
