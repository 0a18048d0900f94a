"""Checks of the arguments and the locale of a kind, and of the person or place it is about."""

from __future__ import annotations

import re
from datetime import date
from decimal import Decimal

from yurt.core.base.nearest import did_you_mean
from yurt.core.kinds.catalogue import KINDS, Kind, Parameter
from yurt.core.kinds.lists import CITY_COLUMNS, entries
from yurt.core.kinds.locales import every_locale
from yurt.core.model import KindOf, Phrase, Record, Schema
from yurt.core.model.constants import fold
from yurt.core.model.expressions import Expression, Literal, Name
from yurt.core.planning.entities import LOCALE_FACTS, admits, asked_by, fixed_by, in_play
from yurt.core.source.diagnostics import Findings


def check_kind(
    head: KindOf, phrase: Phrase, record: Record, schema: Schema, findings: Findings, tabled: bool = False
) -> None:
    """Note what is wrong with the arguments and clauses of one kind; `tabled` means that it is in a table."""
    kind = KINDS[head.name]
    if kind.record:
        message = f"`{head.name}` is a complete record and can only be the type of a whole field"
        findings.error(message, phrase.span, f"`name: {head.name}` or `names: list 1..3 of {head.name}`")
        return
    if head.locale and head.locale not in record.by_name and head.locale not in every_locale(schema.catalogue):
        known = [*every_locale(schema.catalogue), *record.by_name]
        expected = "a locale such as de-AT, or a field that has one"
        findings.error(f"unknown locale `{head.locale}`", phrase.span, expected, did_you_mean(head.locale, known))
    if head.of and not kind.about:
        findings.error(f"`{head.name}` describes no person or place, so `of` has no meaning", phrase.span)
    _relations(head, kind, schema, phrase, findings)
    for name, values in head.arguments:
        if name in YOURS and not head.live and not _reserved(name, values):
            advice = f"without it: {kind.safe}"
            findings.warn(
                f"the {name} of `{head.name}` is your own, so its values may be real ones", phrase.span, advice
            )
        if kind.parameters[name].shared or kind.about == "card":
            _once(name, values, head, record, tabled, findings)
        if kind.about == "card" and name != "scheme" and _has_scheme(record, head.about):
            message = f"`{name}` contradicts the scheme of the card, which has its own beginnings and length"
            findings.error(message, values[0].span, "a scheme, or beginnings and a length")
        for value in values:
            _argument(kind, name, kind.parameters[name], value, record, schema, findings)


def _has_scheme(record: Record, about: str) -> bool:
    """Return whether the scheme of a payment card is given, or implied by a kind."""
    cards = (each for each in record.kinds.get(about, ()) if each.name in KINDS and KINDS[each.name].about == "card")
    return any("scheme" in asked_by((each,)) for each in cards)


# Pairs of parameters in which the first must not exceed the second.
ORDERED = (("lowest", "highest"), ("earliest", "latest"), ("shortest", "longest"), ("youngest", "oldest"))


def _relations(head: KindOf, kind: Kind, schema: Schema, phrase: Phrase, findings: Findings) -> None:
    """Note arguments that contradict each other."""
    today = schema.today or date(2000, 1, 1)
    told = {name: [fold(each, today) for each in values] for name, values in head.arguments}
    for low, high in ORDERED:
        if low in kind.parameters and high in kind.parameters and (low in told or high in told):
            ends = [(told.get(each) or [_number(kind.parameters[each].default)])[0] for each in (low, high)]
            if all(isinstance(each, int | Decimal) for each in ends) and ends[0] > ends[1]:  # type: ignore[operator]
                message = f"`{low}` of `{head.name}` is {ends[0]}, which is above `{high}`, {ends[1]}"
                findings.error(message, phrase.span, f"{low} at most {high}")
                return
    known = kind.wrong is not None and all(None not in values for values in told.values())
    if known and kind.wrong is not None and (message := kind.wrong(told)):
        findings.error(f"`{head.name}`: {message}", phrase.span)


def _reserved(name: str, values: tuple[Expression, ...]) -> bool:
    """Return whether all domains are reserved by RFC 2606 or RFC 6761."""
    texts = [str(each.value).casefold().lstrip("@").rstrip(".") for each in values if isinstance(each, Literal)]
    return name == "domain" and len(texts) == len(values) and all(RESERVED.fullmatch(each) for each in texts)


def _number(written: str) -> Decimal | None:
    return Decimal(written) if written.replace(".", "", 1).isdecimal() else None


def _once(
    name: str, values: tuple[Expression, ...], head: KindOf, record: Record, tabled: bool, findings: Findings
) -> None:
    """Note an argument without effect: what narrows the record's person, place, or card can be given only once."""
    told = [
        dict(each.arguments)[name]
        for each in record.kinds.get(head.about, ())
        if each.arguments and name in dict(each.arguments)
        if each.name in KINDS and (KINDS[each.name].about == "card") == (KINDS[head.name].about == "card")
    ]
    advice = "`of NAME` describes another person or place"
    if tabled:
        findings.error(
            f"`{name}` applies to the whole record and is not possible in a table", values[0].span, hint=advice
        )
    elif any(_plain(each) != _plain(values) for each in told[: told.index(values)]):
        findings.error(f"`{name}` is given twice in this record", values[0].span, hint=advice)


def _plain(values: tuple[Expression, ...]) -> tuple[object, ...]:
    return tuple(
        each.value if isinstance(each, Literal) else each.name if isinstance(each, Name) else each for each in values
    )


def _argument(
    kind: Kind, name: str, known: Parameter, value: Expression, record: Record, schema: Schema, findings: Findings
) -> None:
    if known.choices:
        word = value.name if isinstance(value, Name) else value.value if isinstance(value, Literal) else None
        if word not in known.choices and not (known.shared and word in record.by_name):
            hint = did_you_mean(str(word), known.choices)
            findings.error(f"`{name}` is not one of its words", value.span, " | ".join(known.choices), hint)
        return
    constant = fold(value, schema.today or date(2000, 1, 1)) if not isinstance(value, Literal) else value.value
    if known.shared and constant is None:
        return
    if constant is None:
        findings.error(f"`{name}` of `{kind.name}` is a fixed value", value.span, known.meaning)
    elif name in CITY_COLUMNS:
        _known_place(name, str(constant), record, schema, value, findings)
    elif known.shared and name in LOCALE_FACTS:
        if not any(admits(each, name, str(constant), schema.catalogue) for each in every_locale(schema.catalogue)):
            findings.error(f"no locale of the catalogue is in `{constant}`", value.span, "a country such as AT")
    elif known.default.isdecimal():
        kinds = (int, Decimal) if name in AMOUNTS else (int,)
        if not isinstance(constant, kinds) or not 0 <= constant <= LIMITS.get(name, MOST):
            findings.error(f"`{name}` is a number out of its range", value.span, f"0 to {LIMITS.get(name, MOST)}")


MOST = 1000
LIMITS = {"sentences": 50, "paragraphs": 20, "shortest": 2000, "longest": 2000, "highest": 10**9, "lowest": 10**9}
AMOUNTS = ("lowest", "highest")
# What a tester may use instead of a safe range.
YOURS = ("domain", "prefix")
RESERVED = re.compile(r"(.+\.)?(example|test|invalid|localhost|example\.(com|net|org))")


def _known_place(
    aspect: str, wanted: str, record: Record, schema: Schema, value: Expression, findings: Findings
) -> None:
    """Note a region or city that no locale of the record has."""
    fixed = next((each for each in fixed_by(record).values() if each.get(aspect) is value), {})
    locales = in_play(schema, record, fixed)
    cells = entries(
        "cities", tuple(each for each in locales if each in every_locale(schema.catalogue)), schema.catalogue
    )
    known = {cell.casefold(): cell for column in CITY_COLUMNS[aspect] for cell in cells.cells.get(column, [])}
    if wanted.casefold() not in known:
        hint = did_you_mean(wanted, known.values())
        findings.error(f"no {aspect} `{wanted}` in {', '.join(locales)}", value.span, hint=hint)
