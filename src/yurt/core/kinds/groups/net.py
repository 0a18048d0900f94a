"""Kinds of networks that consist of words and names: hosts and web addresses."""

from __future__ import annotations

import csv
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

from yurt.core.base.types import INTEGER
from yurt.core.kinds.catalogue import Parameter, kind
from yurt.core.kinds.contract import Contract, Terms, between, either

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext
    from yurt.core.kinds.picks import Codes

RESERVED = "in the domain .example (RFC 2606)"
DOMAIN = {"domain": Parameter("a domain of your own, or several in brackets", several=True)}

# A part of a domain between two dots (RFC 1035).
LABEL = "[a-zA-Z0-9]([a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?"
HOST = f"({LABEL}\\.)*{LABEL}"
# The characters of a path, a query and a fragment (RFC 3986).
PATH = "[a-zA-Z0-9._~!$&'()*+,;=:@%/?-]*"


def _host(terms: Terms) -> Contract:
    """The name of a host (RFC 1123) of at most 253 characters, in one of the requested domains."""
    own = _domains(terms)
    return Contract(
        (f"({LABEL}\\.)+" + (either(own) if own else LABEL), ".{1,253}"),
        safe=() if own else ("(.*\\.)?[eE][xX][aA][mM][pP][lL][eE]",),
    )


def _page(terms: Terms) -> Contract:
    """An address with http or https (RFC 3986, RFC 9110), at one of the requested domains."""
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


# Status codes of responses, with the share of each in percent (RFC 9110).
STATUSES = (
    (200, "OK", 70), (201, "Created", 5), (204, "No Content", 4), (301, "Moved Permanently", 2), (302, "Found", 3),
    (304, "Not Modified", 5), (400, "Bad Request", 2), (401, "Unauthorized", 2), (403, "Forbidden", 1),
    (404, "Not Found", 3.7), (409, "Conflict", 0.5), (422, "Unprocessable Content", 0.5),
    (429, "Too Many Requests", 0.3), (500, "Internal Server Error", 0.6), (502, "Bad Gateway", 0.2),
    (503, "Service Unavailable", 0.2),
)  # fmt: skip


def _status(context: KindContext) -> Codes:
    import numpy as np

    ends = np.cumsum([share for _, _, share in STATUSES]) / sum(share for _, _, share in STATUSES)
    found: Codes = np.searchsorted(ends[:-1], context.unit("http"), side="right").astype(np.int64)
    return found


@kind(
    "http-status",
    "the status code of a response",
    about="request",
    type=INTEGER,
    source="RFC 9110",
    contract=between(100, 599),
)
def http_status(context: KindContext) -> Column:
    import numpy as np

    return context.whole(np.array([number for number, _, _ in STATUSES])[_status(context)])


@kind(
    "http-reason",
    "the status of a response in words, in agreement with its code",
    about="request",
    source="RFC 9110",
    allowed="[1-5][0-9]{2} [ -~]{1,60}",
)
def http_reason(context: KindContext) -> Column:
    return context.word_of([f"{number} {reason}" for number, reason, _ in STATUSES], _status(context))


# A product and a comment, any number of times (RFC 9110, section 10.1.5).
WORD = r"[!#$%&'*+.^_`|~0-9A-Za-z-]+"
PRODUCT = rf"{WORD}(/{WORD})?"
# The major versions of browsers in use.
VERSIONS = range(128, 145)


@cache
def _agents() -> list[tuple[str, float]]:
    """Return the forms of browsers, with `#` for the version, and their shares in percent."""
    lines = csv.DictReader(Path(__file__).parent.with_name("agents.csv").read_text("utf-8").splitlines())
    return [(line["form"], float(line["share"])) for line in lines]


@kind(
    "user-agent",
    "the identification of a browser",
    source="RFC 9110, section 10.1.5",
    allowed=rf"{PRODUCT}( ({PRODUCT}|\([^()\x00-\x1f\x7f]*\)))*",
)
def user_agent(context: KindContext) -> Column:
    import numpy as np

    forms = _agents()
    words = [form.replace("#", str(version)) for form, _ in forms for version in VERSIONS]
    ends = np.cumsum([share for _, share in forms]) / 100
    form = np.searchsorted(ends[:-1], context.own_unit("form"), side="right")
    # Newer versions are more frequent.
    version = (np.sqrt(context.own_unit("version")) * len(VERSIONS)).astype(np.int64)
    return context.word_of(words, form * len(VERSIONS) + version)
