"""Kinds of contact: e-mail addresses, log-ins, and telephone numbers of the one person of a record."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any

from yurt.core.base.data_classes import replace
from yurt.core.kinds import names
from yurt.core.kinds.catalogue import BY_NUMBER, Arguments, Parameter, kind
from yurt.core.kinds.character_sets import SETS
from yurt.core.kinds.contract import Contract, State, Terms, cells, either
from yurt.core.kinds.lists import facts

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext

AUTOFILL = "HTML Living Standard, autofill field names"
SHAPES = ("first.last", "first_last", "flast", "firstl", "last.first", "first", "initials")
# A part of a domain between two dots (RFC 1035).
LABEL = "[a-zA-Z0-9]([a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?"
# The characters of a part of an address before the @ (RFC 5322, atext).
ATOM = "[a-zA-Z0-9!#$%&'*+/=?^_`{|}~-]+"


def _email(terms: Terms) -> Contract:
    """A local part of at most 64 characters and a domain (RFC 5321), which is one of the requested ones."""
    own = [str(each).lstrip("@") for each in terms.told.get("domain", ())]
    domain = either(own) if own else f"{LABEL}(\\.{LABEL})*"
    return Contract(
        (f"{ATOM}(\\.{ATOM})*@{domain}", "[^@]{1,64}@.{1,253}"),
        rest="" if terms.one("shape") is None else "the order of the names",
        safe=() if own else ("[^@]*@[eE][xX][aA][mM][pP][lL][eE]\\.([cC][oO][mM]|[nN][eE][tT]|[oO][rR][gG])",),
    )


@kind(
    "email",
    "an e-mail address made of the names",
    about="person",
    source="RFC 5321, RFC 5322",
    safe="always in example.com, example.net or example.org, which RFC 2606 reserves",
    unique=BY_NUMBER,
    live=True,
    parameters={
        "domain": Parameter("a domain of your own, or several in brackets, with or without @", several=True),
        "shape": Parameter("the order of the names", "first.last", choices=SHAPES),
    },
    contract=_email,
)
def email(context: KindContext) -> Column:
    number: list[Any] = [".", context.running_number()] if context.unique else []
    return context.join(*_local_part(context), *number, *_domain(context))


def _local_part(context: KindContext) -> list[Any]:
    given, family = names.given(context), names.family(context)
    first, last = given.ascii("name"), names.family_ascii(context)
    first_letter, last_letter = given.ascii("name", first_letter=True), family.ascii("name", first_letter=True)
    shapes: Arguments = {
        "first.last": [first, ".", last], "first_last": [first, "_", last], "flast": [first_letter, last],
        "firstl": [first, last_letter], "last.first": [last, ".", first], "first": [first],
        "initials": [first_letter, last_letter],
    }  # fmt: skip
    return shapes[str(context.given("shape") or SHAPES[0])]


def _domain(context: KindContext) -> list[Any]:
    own = ["@" + str(each).lstrip("@") for each in context.several("domain")]
    if own:
        return [context.choose(*own)]
    if context.live:
        return ["@", names.family_ascii(context), "-mail.", context.fact("top-level-domain")]
    return [context.choose("@example.com", "@example.net", "@example.org")]


@kind(
    "username",
    "a log-in name made of the names",
    about="person",
    source=AUTOFILL,
    unique=BY_NUMBER,
    allowed="[a-z0-9_-]{1,100}",
)
def username(context: KindContext) -> Column:
    number = context.running_number() if context.unique else context.matching("[1-9][0-9]")
    given = names.given(context).ascii("name", first_letter=True)
    return context.join(given, names.family_ascii(context), "_" if context.unique else "", number)


@kind("handle", "a name in a social network, with @", about="person", allowed="@[a-z0-9_-]{1,100}")
def handle(context: KindContext) -> Column:
    given, family = names.given(context), names.family(context)
    return context.join(
        "@", given.ascii("name"), "_", family.ascii("name", first_letter=True), context.matching("[0-9]{2}")
    )


@kind("nickname", "a nickname", about="person", source=AUTOFILL, allowed="[a-z0-9_-]{1,60}")
def nickname(context: KindContext) -> Column:
    return context.join(names.given(context).ascii("name"), context.matching("(|_|x|o|y)[1-9]?"))


PASSWORD = {
    "shortest": Parameter("the minimum number of characters", "12"),
    "longest": Parameter("the maximum number of characters", "16"),
    "sets": Parameter(
        "what it is made of, such as [lower, upper, digit, sign]",
        several=True,
        choices=("lower", "upper", "digit", "sign"),
    ),
    "without": Parameter("characters that it must not contain"),
}


def _weak(told: Arguments) -> str:
    """Return why no password follows a policy; empty if one does."""
    sets = len(told.get("sets") or PASSWORD["sets"].choices)
    shortest = (told.get("shortest") or [int(PASSWORD["shortest"].default)])[0]
    if isinstance(shortest, int) and shortest < sets:
        return f"{shortest} characters cannot have one of each of {sets} sets"
    return ""


def _policy(terms: Terms) -> Contract:
    """A number of characters of the sets, with at least one of each set."""
    low, high = (terms.one(name) or int(PASSWORD[name].default) for name in ("shortest", "longest"))
    without = str(terms.one("without") or "")
    sets = ["".join(each for each in SETS[str(name)] if each not in without) for name in terms.told.get("sets") or SETS]
    classes = ["".join(f"\\x{ord(each):02x}" for each in chars) for chars in sets]
    return Contract((f"[{''.join(classes)}]{{{low},{high}}}", *(f".*[{each}].*" for each in classes)))


@kind(
    "password",
    "a password by a policy: every set of characters occurs at least once",
    about="person",
    source="HTML autofill (new-password)",
    parameters=PASSWORD,
    wrong=_weak,
    contract=_policy,
)
def password(context: KindContext) -> Column:
    lengths = [context.given(name) or int(PASSWORD[name].default) for name in ("shortest", "longest")]
    return context.password(lengths[0], lengths[1], context.several("sets"), str(context.given("without") or ""))


# ---- telephone -------------------------------------------------------------------------------------------------------

PHONE_SAFE = "in numbers that the country reserves for fiction or never assigns: see the documentation"


# E.123: a plus sign and digits, in groups with spaces or hyphens; E.164: at most 15 digits. National numbers may have
# brackets.
GROUPS = {
    "international": "\\+[1-9][0-9]*([ -][0-9]+)*",
    "national": "[0-9(][0-9 ()./-]*[0-9]",
    "e164": "\\+[1-9][0-9]*",
}
DIGITS = {"international": "{7,15}", "national": "{3,15}", "e164": "{7,15}"}


def _phone(form: str, mobile: bool = False) -> State:
    """Return the contract of telephone numbers in a form: any of the standard; the safe ones reach nobody."""

    def state(terms: Terms) -> Contract:
        safe = []
        for each in terms.locales:
            plan = facts(each, terms.folder)["tel"]
            areas = "(" + "|".join(dict.fromkeys(cells(replace(terms, locales=(each,)), "cities", "area"))) + ")"
            pattern = (plan["safe-mobile"] if mobile else plan["safe"]).replace("{area}", areas)
            front = str(plan["trunk"]) if form == "national" else f"\\+{plan['code']} "
            safe.append(re.sub(r"[ -](?![^\[]*\])", "[ -]?", f"{front}({pattern})"))
        return Contract((GROUPS[form], f"[^0-9]*([0-9][^0-9]*){DIGITS[form]}"), safe=("|".join(dict.fromkeys(safe)),))

    return state


@kind(
    "tel",
    "a telephone number, international",
    about="person",
    source="ITU-T E.123",
    safe=PHONE_SAFE,
    live=True,
    contract=_phone("international"),
)
def tel(context: KindContext) -> Column:
    return context.phone("international")


@kind(
    "tel-national",
    "a telephone number in national form",
    about="person",
    source="HTML autofill",
    safe=PHONE_SAFE,
    live=True,
    contract=_phone("national"),
)
def tel_national(context: KindContext) -> Column:
    return context.phone("national")


@kind(
    "tel-e164",
    "a telephone number without spaces",
    about="person",
    source="ITU-T E.164",
    safe=PHONE_SAFE,
    live=True,
    contract=_phone("e164"),
)
def tel_e164(context: KindContext) -> Column:
    return context.phone("e164")


@kind(
    "tel-mobile",
    "the number of a mobile telephone, international",
    about="person",
    source="ITU-T E.123",
    safe=PHONE_SAFE,
    live=True,
    contract=_phone("international", mobile=True),
)
def tel_mobile(context: KindContext) -> Column:
    return context.phone("international", mobile=True)
