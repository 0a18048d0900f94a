"""Kinds that speak of the one person of a record: names, sex, address of the net and telephone agree."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from yurt.core.base.types import DATE, INTEGER
from yurt.core.kinds import names
from yurt.core.kinds.catalogue import BY_NUMBER, Parameter, kind

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext

AUTOFILL = "HTML Living Standard, autofill field names"
SCRIPT = {"script": Parameter("the script of the language, or latin", "own", choices=("own", "latin"))}
SHAPES = ("first.last", "first_last", "flast", "firstl", "last.first", "first", "initials")

# A part of a domain between two points (RFC 1035).
LABEL = "[a-zA-Z0-9]([a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?"


@kind("honorific-prefix", "the form of address", about="person", source=AUTOFILL)
def honorific_prefix(context: KindContext) -> Column:
    return context.fact("honorific", by_sex=True)


@kind("given-name", "a first name", about="person", source=AUTOFILL, listed=("given-names", "name"), parameters=SCRIPT)
def given_name(context: KindContext) -> Column:
    return names.given_text(context)


@kind("additional-name", "a second first name", about="person", source=AUTOFILL, parameters=SCRIPT)
def additional_name(context: KindContext) -> Column:
    return names.additional(context).text("latin" if context.given("script") == "latin" else "name")


@kind("family-name", "a last name", about="person", source=AUTOFILL, listed=("family-names", "name"), parameters=SCRIPT)
def family_name(context: KindContext) -> Column:
    return names.family_text(context)


@kind("full-name", "given and family name, in the order of the locale", about="person", parameters=SCRIPT)
def full_name(context: KindContext) -> Column:
    parts = {"given-name": names.given_text(context), "family-name": names.family_text(context)}
    if context.given("script") == "latin":
        return context.join(parts["given-name"], " ", parts["family-name"])
    return context.form("full-name", parts)


@kind("formal-name", "the form of address and the full name", about="person")
def formal_name(context: KindContext) -> Column:
    parts = {"given-name": names.given_text(context), "family-name": names.family_text(context)}
    parts["honorific"] = context.fact("honorific", by_sex=True)
    return context.form("formal-name", parts)


@kind("name-for-lists", "the family name first, as lists have it", about="person")
def name_for_lists(context: KindContext) -> Column:
    return context.join(names.family_text(context), ", ", names.given_text(context))


@kind("initials", "the first letters of given and family name", about="person")
def initials(context: KindContext) -> Column:
    given, family = names.given(context), names.family(context)
    return context.upper(context.join(given.ascii("name", first_letter=True), family.ascii("name", first_letter=True)))


@kind("sex", "female or male, in agreement with names", allowed="female|male", about="person")
def sex(context: KindContext) -> Column:
    return context.one_of_two("female", "male")


@kind("sex-letter", "F or M, in agreement with names, or X", allowed="[FMX]", about="person", source="ICAO 9303")
def sex_letter(context: KindContext) -> Column:
    other = context.unit("other sex") < 0.02
    return context.word_of(["F", "M", "X"], context.sex() * (1 - other) + 2 * other)


@kind("birth-date", "the day a person was born", about="person", type=DATE)
def birth_date(context: KindContext) -> Column:
    return context.whole(context.born(), DATE)


@kind("age", "years since the day of birth", about="person", type=INTEGER)
def age(context: KindContext) -> Column:
    return context.whole(context.age())


@kind("marital-status", "single, married and so on, in the language", about="person")
def marital_status(context: KindContext) -> Column:
    return context.pick("marital-statuses", by_sex=True).text("text")


@kind(
    "nationality",
    "the country a person is a citizen of, as a code",
    allowed="[A-Z]{2}",
    about="person",
    source="ISO 3166-1 alpha-2",
)
def nationality(context: KindContext) -> Column:
    return context.fact("country-code")


@kind("language", "the language, as a code", allowed="[a-z]{2,3}", about="person", source="ISO 639-1")
def language(context: KindContext) -> Column:
    return context.fact("language")


@kind("language-name", "the language, by its own name", about="person", source="Unicode CLDR")
def language_name(context: KindContext) -> Column:
    return context.fact("language-name")


@kind("language-tag", "the locale of the person", allowed="[a-z]{2,3}-[A-Z]{2}", about="person", source="BCP 47")
def language_tag(context: KindContext) -> Column:
    return context.fact("locale")


@kind(
    "email",
    "an e-mail address made of the names",
    allowed=f"[^@\\s]{{1,64}}@{LABEL}(\\.{LABEL})*",
    about="person",
    source="RFC 5321, RFC 5322",
    safe="always in example.com, example.net or example.org, which RFC 2606 reserves",
    unique=BY_NUMBER,
    live=True,
    parameters={
        "domain": Parameter("a domain of your own, or several in brackets, with or without @", several=True),
        "shape": Parameter("how the names stand in it", "first.last", choices=SHAPES),
    },
)
def email(context: KindContext) -> Column:
    number: list[Any] = [".", context.running_number()] if context.unique else []
    return context.join(*_local_part(context), *number, *_domain(context))


def _local_part(context: KindContext) -> list[Any]:
    given, family = names.given(context), names.family(context)
    first, last = given.ascii("name"), names.family_ascii(context)
    first_letter, last_letter = given.ascii("name", first_letter=True), family.ascii("name", first_letter=True)
    shapes: dict[str, list[Any]] = {
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
    allowed="[a-z0-9_-]+",
    about="person",
    source=AUTOFILL,
    unique=BY_NUMBER,
)
def username(context: KindContext) -> Column:
    number = context.running_number() if context.unique else context.matching("[1-9][0-9]")
    given = names.given(context).ascii("name", first_letter=True)
    return context.join(given, names.family_ascii(context), "_" if context.unique else "", number)


@kind("handle", "a name in a network of people, with @", allowed="@[a-z0-9_-]+", about="person")
def handle(context: KindContext) -> Column:
    given, family = names.given(context), names.family(context)
    return context.join(
        "@", given.ascii("name"), "_", family.ascii("name", first_letter=True), context.matching("[0-9]{2}")
    )


@kind("nickname", "a name among friends", about="person", source=AUTOFILL)
def nickname(context: KindContext) -> Column:
    return context.join(names.given(context).ascii("name"), context.matching("(|_|x|o|y)[1-9]?"))


PASSWORD = {
    "shortest": Parameter("the least number of characters", "12"),
    "longest": Parameter("the greatest number of characters", "16"),
    "sets": Parameter(
        "what it is made of, such as [lower, upper, digit, sign]",
        several=True,
        choices=("lower", "upper", "digit", "sign"),
    ),
    "without": Parameter("characters that it must not have"),
}


def _weak(told: dict[str, list[Any]]) -> str:
    """Return why no password follows a policy; empty when one does."""
    sets = len(told.get("sets") or PASSWORD["sets"].choices)
    shortest = (told.get("shortest") or [int(PASSWORD["shortest"].default)])[0]
    if isinstance(shortest, int) and shortest < sets:
        return f"{shortest} characters cannot have one of each of {sets} sets"
    return ""


@kind(
    "password",
    "a password by a policy: every set of characters comes at least once",
    about="person",
    source="HTML autofill (new-password)",
    parameters=PASSWORD,
    wrong=_weak,
)
def password(context: KindContext) -> Column:
    lengths = [context.given(name) or int(PASSWORD[name].default) for name in ("shortest", "longest")]
    return context.password(lengths[0], lengths[1], context.several("sets"), str(context.given("without") or ""))


# ---- telephone -------------------------------------------------------------------------------------------------------

PHONE_SAFE = "in the numbers that the country keeps for fiction, or that are given to nobody: see the documentation"


@kind(
    "tel",
    "a telephone number, international",
    allowed="\\+[1-9][0-9 -]{6,18}",
    about="person",
    source="ITU-T E.123",
    safe=PHONE_SAFE,
    live=True,
)
def tel(context: KindContext) -> Column:
    return context.phone("international")


@kind(
    "tel-national",
    "a telephone number as it is dialled at home",
    allowed="[0-9][0-9 -]{5,18}",
    about="person",
    source="HTML autofill",
    safe=PHONE_SAFE,
    live=True,
)
def tel_national(context: KindContext) -> Column:
    return context.phone("national")


@kind(
    "tel-e164",
    "a telephone number, without blanks",
    allowed="\\+[1-9][0-9]{6,14}",
    about="person",
    source="ITU-T E.164",
    safe=PHONE_SAFE,
    live=True,
)
def tel_e164(context: KindContext) -> Column:
    return context.phone("e164")


@kind(
    "tel-mobile",
    "the number of a mobile telephone, international",
    allowed="\\+[1-9][0-9 -]{6,18}",
    about="person",
    source="ITU-T E.123",
    safe=PHONE_SAFE,
    live=True,
)
def tel_mobile(context: KindContext) -> Column:
    return context.phone("international", mobile=True)
