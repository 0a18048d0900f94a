"""Kinds of networks that are made of words and names: hosts and addresses of pages."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from yurt.core.kinds.catalogue import Parameter, kind
from yurt.core.kinds.contract import Contract, Terms, either

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext

RESERVED = "in the domain .example (RFC 2606)"
DOMAIN = {"domain": Parameter("a domain of your own, or several in brackets", several=True)}

# A part of a domain between two points (RFC 1035).
LABEL = "[a-zA-Z0-9]([a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?"
HOST = f"({LABEL}\\.)*{LABEL}"
# The characters of a path, a query and a fragment (RFC 3986).
PATH = "[a-zA-Z0-9._~!$&'()*+,;=:@%/?-]*"


def _host(terms: Terms) -> Contract:
    """The name of a host (RFC 1123) of at most 253 characters, in one of the domains that are asked for."""
    own = _domains(terms)
    return Contract(
        (f"({LABEL}\\.)+" + (either(own) if own else LABEL), ".{1,253}"),
        safe=() if own else ("(.*\\.)?[eE][xX][aA][mM][pP][lL][eE]",),
    )


def _page(terms: Terms) -> Contract:
    """An address with http or https (RFC 3986, RFC 9110), at one of the domains that are asked for."""
    own = _domains(terms)
    host = either(own) if own else HOST
    return Contract(
        (f"[hH][tT][tT][pP][sS]?://{host}(:[0-9]{{1,5}})?(/{PATH})?(\\?{PATH})?(#{PATH})?",),
        safe=() if own else ("[^:]+://([^/]*\\.)?[eE][xX][aA][mM][pP][lL][eE]([:/?#].*)?",),
    )


def _domains(terms: Terms) -> list[str]:
    return [str(each).lstrip("@.") for each in terms.told.get("domain", ())]


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
    about="locale",
    source="RFC 1035",
    safe=RESERVED,
    live=True,
    contract=_host,
)
def domain(context: KindContext) -> Column:
    return context.join(_name(context), "-", context.pick("words", own=True).ascii("text"), *_ending(context))


@kind(
    "hostname",
    "the name of a machine",
    about="locale",
    source="RFC 1123",
    safe=RESERVED,
    live=True,
    parameters=DOMAIN,
    contract=_host,
)
def hostname(context: KindContext) -> Column:
    end: list[str | Column] = [] if context.several("domain") else [".", _name(context)]
    machine = context.matching("(web|mail|db|app|gw|cam|print)[0-9]{2}")
    return context.join(machine, *end, *_ending(context))


@kind(
    "url",
    "the address of a web page",
    about="locale",
    source="RFC 3986",
    safe=RESERVED,
    live=True,
    parameters=DOMAIN,
    contract=_page,
)
def url(context: KindContext) -> Column:
    page = context.pick("words", own=True).ascii("text")
    if context.several("domain"):
        return context.join("https:/", *_ending(context, "/"), "/", page)
    return context.join("https://www.", _name(context), *_ending(context), "/", page)
