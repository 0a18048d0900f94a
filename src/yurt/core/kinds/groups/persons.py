"""Kinds about the one person of a record: names, sex, e-mail address, and telephone number agree."""

from __future__ import annotations

from datetime import date
from typing import TYPE_CHECKING

from yurt.core.base.types import DATE, INTEGER, decimal
from yurt.core.kinds import names
from yurt.core.kinds.catalogue import Parameter, kind
from yurt.core.kinds.contract import (
    NAME,
    UNINHABITED,
    Contract,
    Terms,
    between,
    fact,
    listed,
    one_of,
    one_of_all,
    text,
)
from yurt.core.kinds.lives.words import BLOOD_GROUPS, EDUCATION

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext

AUTOFILL = "HTML Living Standard, autofill field names"
SCRIPT = {"script": Parameter("the script of the language, or latin", "own", choices=("own", "latin"))}


@kind("honorific-prefix", "the form of address", about="person", source=AUTOFILL, contract=fact("honorific"))
def honorific_prefix(context: KindContext) -> Column:
    return context.fact("honorific", by_sex=True)


@kind(
    "given-name",
    "a first name",
    about="person",
    source=AUTOFILL,
    listed=("given-names", "name"),
    parameters=SCRIPT,
    form=NAME,
    contract=listed("given-names", "name", latin=("latin",)),
)
def given_name(context: KindContext) -> Column:
    return names.given_text(context)


@kind(
    "additional-name",
    "a second given name, or the patronymic; empty where people have neither",
    about="person",
    source=AUTOFILL,
    parameters=SCRIPT,
    form=NAME,
    contract=listed("second-names", "name", latin=("latin",)),
)
def additional_name(context: KindContext) -> Column:
    return names.additional_text(context)


@kind(
    "family-name",
    "a last name",
    about="person",
    source=AUTOFILL,
    listed=("family-names", "name"),
    parameters=SCRIPT,
    form=NAME,
    contract=listed("family-names", "name", "feminine", latin=("latin", "latin-feminine")),
)
def family_name(context: KindContext) -> Column:
    return names.family_text(context)


@kind(
    "full-name",
    "given and family name, in the order of the locale",
    about="person",
    parameters=SCRIPT,
    contract=text("whether it is the name of a person"),
)
def full_name(context: KindContext) -> Column:
    return context.form("latin-name" if context.given("script") == "latin" else "full-name", names.parts(context))


@kind(
    "formal-name",
    "the form of address and the full name",
    about="person",
    contract=text("whether it is the name of a person"),
)
def formal_name(context: KindContext) -> Column:
    parts = names.parts(context)
    parts["honorific"] = context.fact("honorific", by_sex=True)
    if any("{additional-name}" in str(each["formal-name"]) for each in context.facts):
        parts["additional-name"] = names.additional_text(context)
    return context.form("formal-name", parts)


@kind(
    "inverted-name",
    "the family name first, as in lists",
    about="person",
    contract=text("whether it is the name of a person", ".+, .+"),
)
def inverted_name(context: KindContext) -> Column:
    return context.join(names.family_text(context), ", ", names.given_text(context))


@kind("initials", "the first letters of given and family name", about="person", allowed="[A-Z]{2}")
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


def _sex_code(terms: Terms) -> Contract:
    return Contract(values=frozenset(("0", "1", "2", "9")))


def _birth(terms: Terms) -> Contract:
    """A birthday of somebody with one of the ages that the record allows."""
    youngest, oldest = _ages(terms)
    return Contract(low=_years_before(terms.today, oldest + 1) + 1, high=_years_before(terms.today, youngest))


def _age(terms: Terms) -> Contract:
    youngest, oldest = _ages(terms)
    return Contract(low=youngest, high=oldest)


def _ages(terms: Terms) -> tuple[int, int]:
    return int(terms.shared("youngest", 18)), int(terms.shared("oldest", 90))


def _years_before(day: date, years: int) -> int:
    """Return the date a number of years earlier, in days since 1970; 28 February for a leap day."""
    last = 28 if (day.month, day.day) == (2, 29) else day.day
    return (date(max(day.year - years, 1), day.month, last) - date(1970, 1, 1)).days


@kind("birth-date", "the day a person was born", about="person", by_age=True, type=DATE, contract=_birth)
def birth_date(context: KindContext) -> Column:
    return context.whole(context.born(), DATE)


@kind("age", "years since the day of birth", about="person", by_age=True, type=INTEGER, contract=_age)
def age(context: KindContext) -> Column:
    return context.whole(context.age())


@kind(
    "marital-status",
    "single, married and so on, in the language, in agreement with age and sex",
    about="person",
    by_age=True,
    contract=listed("marital-statuses", "text"),
)
def marital_status(context: KindContext) -> Column:
    return context.nth_of("marital-statuses", context.life("marital"))


@kind(
    "number-of-children",
    "how many children a person has, in agreement with age and marital status",
    about="person",
    by_age=True,
    type=INTEGER,
    contract=between(0, 40),
)
def number_of_children(context: KindContext) -> Column:
    return context.whole(context.life("children"))


@kind(
    "education",
    "the highest level of education, in agreement with age",
    about="person",
    by_age=True,
    source="ISCED 2011",
    contract=one_of(EDUCATION),
)
def education(context: KindContext) -> Column:
    return context.word_of(list(EDUCATION), context.life("education"))


@kind(
    "sex-code",
    "the sex as a number: 0 not known, 1 male, 2 female, 9 not applicable",
    about="person",
    type=INTEGER,
    source="ISO/IEC 5218",
    closed="ISO/IEC 5218:2022",
    contract=_sex_code,
)
def sex_code(context: KindContext) -> Column:
    return context.whole(2 - context.sex())


@kind(
    "blood-group",
    "a blood group with its Rhesus factor, by country",
    about="person",
    source="ISBT 001 and 004",
    closed="ISBT 001 and 004",
    contract=one_of((*BLOOD_GROUPS, "0+", "0-")),
)
def blood_group(context: KindContext) -> Column:
    return context.word_of(list(BLOOD_GROUPS), context.life("blood"))


@kind(
    "body-height",
    "centimetres, by sex, age and country",
    about="person",
    by_age=True,
    type=INTEGER,
    contract=between(20, 280),
)
def body_height(context: KindContext) -> Column:
    return context.whole(context.life("height"))


@kind(
    "body-weight",
    "kilograms, in agreement with height and age",
    about="person",
    by_age=True,
    type=decimal(1),
    contract=between(3, 6500),
)
def body_weight(context: KindContext) -> Column:
    return context.whole(context.life("weight") * 10, decimal(1))


@kind(
    "shoe-size",
    "a European shoe size, in agreement with height",
    about="person",
    by_age=True,
    type=INTEGER,
    contract=between(10, 70),
)
def shoe_size(context: KindContext) -> Column:
    return context.whole(context.life("shoe"))


@kind(
    "nationality",
    "the country a person is a citizen of, as a code",
    about="person",
    source="ISO 3166-1 alpha-2",
    closed="ISO 3166-1 of 2024",
    contract=one_of_all("territories", "code", *UNINHABITED),
)
def nationality(context: KindContext) -> Column:
    return context.fact("country-code")


@kind(
    "language",
    "the language, as a code",
    about="person",
    source="ISO 639-1",
    closed="ISO 639-1, of the locales",
    contract=fact("language"),
)
def language(context: KindContext) -> Column:
    return context.fact("language")


@kind(
    "language-name",
    "the language, by its own name",
    about="person",
    source="Unicode CLDR",
    contract=fact("language-name"),
)
def language_name(context: KindContext) -> Column:
    return context.fact("language-name")


@kind("language-tag", "the locale of the person", about="person", source="BCP 47", contract=fact("locale"))
def language_tag(context: KindContext) -> Column:
    return context.fact("locale")
