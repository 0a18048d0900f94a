"""Kinds of networks that are made of words and names: hosts and addresses of pages."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from yurt.core.kinds.catalogue import Parameter, kind

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext

RESERVED = "in the domain .example (RFC 2606)"
DOMAIN = {"domain": Parameter("a domain of your own, or several in brackets", several=True)}

# A part of a domain between two points (RFC 1035).
LABEL = "[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?"


def _ending(context: KindContext, dot: str = ".") -> list[Any]:
    own = [str(each).lstrip("@.") for each in context.several("domain")]
    if own:
        return [dot, context.choose(*own)]
    return [dot, context.fact("top-level-domain") if context.live else "example"]


def _name(context: KindContext) -> Column:
    return context.pick("family-names", own=True).ascii("name")


@kind(
    "domain",
    "a domain of a made-up company",
    allowed=f"({LABEL}\\.)+{LABEL}",
    about="locale",
    source="RFC 1035",
    safe=RESERVED,
    live=True,
)
def domain(context: KindContext) -> Column:
    return context.join(_name(context), "-", context.pick("words", own=True).ascii("text"), *_ending(context))


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
def hostname(context: KindContext) -> Column:
    end: list[str | Column] = [] if context.several("domain") else [".", _name(context)]
    machine = context.matching("(web|mail|db|app|gw|cam|print)[0-9]{2}")
    return context.join(machine, *end, *_ending(context))


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
def url(context: KindContext) -> Column:
    page = context.pick("words", own=True).ascii("text")
    if context.several("domain"):
        return context.join("https:/", *_ending(context, "/"), "/", page)
    return context.join("https://www.", _name(context), *_ending(context), "/", page)
