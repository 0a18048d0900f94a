"""What fixes the person and the place of a record: a field such as `country`, or an argument of a kind."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from yurt.core.base.caches import kept
from yurt.core.kinds.catalogue import FIXES, FIXES_AS_NUMBER, KINDS
from yurt.core.kinds.lists import CITY_COLUMNS, entries, facts
from yurt.core.kinds.locales import every_locale
from yurt.core.kinds.synonyms import hyphenated
from yurt.core.model import (
    Date,
    Field,
    FromColumn,
    FromList,
    Integer,
    KindOf,
    OneOf,
    Phrase,
    Record,
    Schema,
    Treatment,
    expressions_in,
)
from yurt.core.model.expressions import Expression, Literal, Name, walk
from yurt.core.source.diagnostics import NOWHERE

# The parts of the locale that a field can fix, and the facts that are compared with its values.
LOCALE_FACTS = {
    "locale": ("locale",),
    "language": ("language", "language-en"),
    "country": ("country-code", "country-alpha-3", "country", "country-en"),
    "continent": ("continent", "continent-code"),
    "currency": ("currency", "currency-name"),
}
# The parts of the place that determine the locale if nothing else does, and their columns in the list of cities.
PLACES = {"city": CITY_COLUMNS["city"], "postal-code": ("postal-code",)}
AGES = frozenset(("age", "birth-date"))
# The head that a field needs to fix an aspect as a number.
AS_NUMBER = {"age": Integer, "birth-date": Date}
MAX_COMBINATIONS = 2000
# A name that may be missing does not become part of others.
NAMES = ("given-name", "family-name")
SEXES = {
    "female": 0, "f": 0, "w": 0, "woman": 0, "mrs": 0, "ms": 0, "miss": 0, "frau": 0, "2": 0,
    "male": 1, "m": 1, "man": 1, "mr": 1, "herr": 1, "1": 1,
}  # fmt: skip

Fixed = dict[str, Expression]


def fixed_by(record: Record) -> dict[str, Fixed]:
    """Return what fixes each person and place of a record (by `KindOf.about`), by aspect.

    A field with a listed value and the name of a kind fixes that aspect for the record's own person and place;
    arguments of kinds take precedence.
    """
    kinds = [head for heads in record.kinds.values() for head in heads if head.name in KINDS]
    found: dict[str, Fixed] = {head.about: {} for head in kinds}
    for head in kinds:
        known = KINDS[head.name].parameters
        for name, values in head.arguments:
            if name in known and known[name].shared and values:
                found[head.about].setdefault(name, values[0])
        for followed, expression in head.follows:
            found[head.about].setdefault(followed, expression)
        if head.locale:
            tag = head.locale
            named = Name(tag, record.span) if tag in record.by_name else Literal(tag, record.span)
            found[head.about].setdefault("locale", named)
    for field in record.fields:
        if isinstance(field.head, FromColumn) and field.head.fixes is not None:
            about, fixed_aspect = field.head.fixes
            if about in found:
                found[about].setdefault(fixed_aspect, Name(field.name, field.span))
    if "" in found:
        if record.locale_from:
            found[""].setdefault("locale", Name(record.locale_from, record.span))
        for field in record.fields:
            if field.parent or not isinstance(field.body, Phrase):
                continue
            name = hyphenated(field.name)
            if isinstance(field.head, AS_NUMBER.get(FIXES_AS_NUMBER.get(name, ""), ())) and _alone(field):
                found[""].setdefault(FIXES_AS_NUMBER[name], Name(field.name, field.span))
            if not isinstance(field.head, OneOf | FromList | FromColumn | Treatment):
                continue
            aspect = FIXES.get(name)
            existing = isinstance(field.head, FromColumn | Treatment)
            sometimes = not existing and (field.optional or field.body.missing or field.present_if is not None)
            if aspect is not None and not (aspect in NAMES and sometimes):
                found[""].setdefault(aspect, Name(field.name, field.span))
    return {about: fixed for about, fixed in found.items() if fixed}


def _alone(field: Field) -> bool:
    """Return whether a field does not depend on others: names also depend on the age, and there is no way back."""
    return not any(isinstance(each, Name) for expression in expressions_in(field.body) for each in walk(expression))


def asked_by(kinds: Sequence[KindOf]) -> dict[str, tuple[Expression, ...]]:
    """Return the arguments of the kinds about one person, place, or card, by the name of the parameter."""
    told = {name: values for head in reversed(kinds) for name, values in head.arguments}
    for head in kinds:
        for name, known in KINDS[head.name].parameters.items() if head.name in KINDS else ():
            if known.implied and name not in told:
                told[name] = tuple(Literal(each, NOWHERE) for each in known.choices)
    return told


@kept(4096)
def admits(locale: str, aspect: str, value: str, folder: str = "") -> bool:
    """Return whether a locale matches a value: `AT`, `Austria`, and `de` match de-AT."""
    if aspect in PLACES:
        return value.casefold() in _places(aspect, locale, folder)
    if aspect == "locale":
        return value.replace("_", "-").casefold() == locale.casefold()
    known = facts(locale, folder)
    wanted = value.casefold()
    return any(str(known.get(each, "")).casefold() == wanted for each in LOCALE_FACTS[aspect])


@kept(64)
def _places(aspect: str, locale: str, folder: str) -> frozenset[str]:
    cells = entries("cities", (locale,), folder).cells
    return frozenset(each.casefold() for column in PLACES[aspect] for each in cells.get(column, ()))


def asking(schema: Schema, record: Record, fixed: Fixed) -> tuple[str, ...]:
    """Return the aspects that determine the locale of a row: a city does if nothing else does and it is in another
    country.
    """
    aspects = tuple(each for each in LOCALE_FACTS if each in fixed)
    place = next((each for each in PLACES if each in fixed), "")
    if aspects or not place:
        return aspects

    def known(text: str, names: Iterable[str]) -> bool:
        return any(admits(name, place, text, schema.catalogue) for name in names)

    usual = [name for name, _ in shares_of(schema, record)]
    values = possible(schema, record, fixed[place])
    if values is None:
        # The cities of an existing file are known only row by row.
        return (place,)
    elsewhere = [each for each in values if not known(each, usual)]
    every = every_locale(schema.catalogue)
    return (place,) if any(known(each, every) for each in elsewhere) else ()


def possible(schema: Schema, record: Record, expression: Expression) -> tuple[str, ...] | None:
    """Return the possible texts of an expression; None if they are not known in advance."""
    if isinstance(expression, Literal):
        return (str(expression.value),)
    field = record.by_name.get(expression.name) if isinstance(expression, Name) else None
    head = field.head if field is not None else None
    if isinstance(head, OneOf):
        return tuple(str(each) for each in head.values)
    if isinstance(head, FromList) and head.name in schema.lists:
        return tuple(dict.fromkeys(str(each) for each in schema.lists[head.name].column(head.column)))
    return None


def sexes_in_play(schema: Schema, record: Record, fixed: Fixed) -> tuple[str, ...]:
    """Return the possible sexes of the person, with the words of the lists of names."""
    said = possible(schema, record, fixed["sex"]) if "sex" in fixed else None
    known = [SEXES.get(each.rstrip(".").casefold()) for each in said or ()]
    if not known or None in known or not _always_there(record, fixed["sex"]):
        return ("female", "male")
    return tuple(("female", "male")[each] for each in sorted({each for each in known if each is not None}))


def _always_there(record: Record, expression: Expression) -> bool:
    """Return whether the part that fixes an aspect has a value in every row."""
    field = record.by_name.get(expression.name) if isinstance(expression, Name) else None
    if field is None or not isinstance(field.body, Phrase):
        return isinstance(expression, Literal)
    return not field.optional and not field.body.missing and field.present_if is None


def shares_of(schema: Schema, record: Record) -> tuple[tuple[str, float], ...]:
    """Return the locales of a record type with their shares."""
    return record.locales or schema.locales


def candidates(schema: Schema, record: Record, said: tuple[tuple[str, str], ...]) -> tuple[tuple[str, float], ...]:
    """Return the locales that fit the given parts, (aspect, value) by (aspect, value), with their shares.

    Those of the schema come first; otherwise every locale of the catalogue is possible, the first of a country or
    language. If none fits, the last part is ignored.
    """
    usual = shares_of(schema, record)
    while True:
        asked = [(aspect, value) for aspect, value in said if aspect in LOCALE_FACTS or aspect in PLACES]
        fit = tuple(
            (name, share) for name, share in usual if all(admits(name, *each, schema.catalogue) for each in asked)
        )
        if fit:
            return fit
        others = [
            name
            for name in every_locale(schema.catalogue)
            if all(admits(name, *each, schema.catalogue) for each in asked)
        ]
        if others:
            by_country: dict[str, str] = {}
            for name in others:
                by_country.setdefault(str(facts(name, schema.catalogue).get("country-code")), name)
            return tuple((name, 1 / len(by_country)) for name in by_country.values())
        said = tuple(asked[:-1])


def in_play(schema: Schema, record: Record, fixed: Fixed) -> tuple[str, ...]:
    """Return the locales that rows of a record type can have, those of the schema first."""
    found = dict.fromkeys(name for name, _ in shares_of(schema, record))
    aspects = asking(schema, record, fixed)
    said: list[tuple[tuple[str, str], ...]] = [()]
    for aspect in aspects:
        values = possible(schema, record, fixed[aspect])
        if values is None or len(said) * len(values) > MAX_COMBINATIONS:
            return tuple(dict.fromkeys((*found, *every_locale(schema.catalogue))))
        said = [(*each, (aspect, value)) for each in said for value in values]
    if aspects and all(_always_there(record, fixed[each]) for each in aspects):
        found = {}
    for each in said:
        found |= dict.fromkeys(name for name, _ in candidates(schema, record, each))
    return tuple(found)
