"""Texts in the formats of JSON Schema: international addresses, references, templates, pointers."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.kinds import names
from yurt.core.kinds.catalogue import kind

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext

# Letters and digits of any script (RFC 5890, RFC 6531), in parts with hyphens or dots between them.
LABEL = r"[^\x00-\x2c\x2e\x2f\x3a-\x40\x5b-\x60\x7b-\x7f]{1,63}"
PATH = r"(/[A-Za-z0-9._~-]*)*"
END = r"(\?[A-Za-z0-9=&._~-]*)?(#[A-Za-z0-9._~-]*)?"
SAFE = "in the domain .example (RFC 2606)"


def _word(context: KindContext, purpose: str = "") -> Column:
    return context.small(context.pick("words", own=True, purpose=purpose).text("text"))


@kind("idn-email", "an e-mail address with letters of the language", about="person", source="RFC 6531", safe=SAFE,
      allowed=rf"{LABEL}(\.{LABEL})*@{LABEL}(\.{LABEL})*")  # fmt: skip
def idn_email(context: KindContext) -> Column:
    user = context.join(names.given_text(context), ".", names.family_text(context))
    return context.join(context.small(user), "@", _word(context), ".example")


@kind("idn-hostname", "the name of a machine with letters of the language", about="locale", source="RFC 5890",
      safe=SAFE,
      allowed=rf"{LABEL}(\.{LABEL})*")  # fmt: skip
def idn_hostname(context: KindContext) -> Column:
    return context.join(_word(context), context.matching("[1-9][0-9]?"), ".example")


@kind("iri", "an address of a page with letters of the language", about="locale", source="RFC 3987", safe=SAFE,
      allowed=rf"https?://{LABEL}(\.{LABEL})*(/[^\x00-\x20<>\"{{}}|\\^`]*)?")  # fmt: skip
def iri(context: KindContext) -> Column:
    return context.join(
        "https://", _word(context), ".example/", _word(context, " page"), context.matching("[1-9][0-9]?")
    )


@kind("iri-reference", "a relative address of a page, with letters of the language", about="locale",
      source="RFC 3987", allowed=r"[^\x00-\x20<>\"{}|\\^`]{1,200}")  # fmt: skip
def iri_reference(context: KindContext) -> Column:
    return context.join(context.choose("/", "../", "#", "?q="), _word(context))


@kind("uri-reference", "a relative address of a page", source="RFC 3986", allowed=rf"(\.\.?|[a-z0-9-]*){PATH}{END}")
def uri_reference(context: KindContext) -> Column:
    pattern = r"(\.\./|/|)(orders|customers|items|pages)(/[1-9][0-9]{0,3})?(\?(page|sort)=[1-9])?(#(top|notes))?"
    return context.matching(pattern)


@kind("uri-template", "an address template with names in braces", source="RFC 6570",
      allowed=r"([A-Za-z0-9/._~:-]|\{[+#./;?&]?[A-Za-z0-9_,*:]+\})+")  # fmt: skip
def uri_template(context: KindContext) -> Column:
    pattern = r"/(orders|customers|items)/\{(id|number|key)\}(/(lines|notes)/\{line\})?(\{\?(page|sort,limit)\})?"
    return context.matching(pattern)


@kind("json-pointer", "the place of a value in a JSON document", source="RFC 6901", allowed=r"(/([^/~]|~[01])*)*")
def json_pointer(context: KindContext) -> Column:
    return context.matching(r"/(orders|customers|a~1b|m~0n)(/[0-9]{1,2})?(/(lines|name|price|notes)(/[0-9])?)?")


@kind("relative-json-pointer", "the relative path from one value of a JSON document to another",
      source="Relative JSON Pointers (draft)", allowed=r"(0|[1-9][0-9]*)(#|(/([^/~]|~[01])*)*)")  # fmt: skip
def relative_json_pointer(context: KindContext) -> Column:
    return context.matching(r"[0-3](#|/(lines|name|price)(/[0-9])?)?")


@kind("regular-expression", "a pattern for texts", source="ECMA-262", allowed=r"[\x20-\x7e]{1,60}")
def regular_expression(context: KindContext) -> Column:
    return context.choose(
        "[A-Z]{3}", "^[0-9]+$", "[a-z][a-z0-9_]*", "(yes|no)", "[0-9]{4}-[0-9]{2}", "^.{1,20}$", "[A-Z]{2}-[0-9]{5}",
        "a+b*c?",
    )  # fmt: skip
