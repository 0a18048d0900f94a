"""Warnings about schemas that are valid but probably not intended."""

from __future__ import annotations

import re
from datetime import date

from yurt.core import model
from yurt.core.heads.head import ENDLESS, NotUnique
from yurt.core.heads.registry import cardinality
from yurt.core.kinds.catalogue import KINDS
from yurt.core.kinds.iban_registry import structures
from yurt.core.kinds.lists import CITY_COLUMNS, entries, facts
from yurt.core.kinds.locales import every_locale
from yurt.core.model import Field, KindOf, Phrase, Record, Schema, expressions_in
from yurt.core.model.expressions import Literal, Member, Name, walk
from yurt.core.planning.bounds import bounds
from yurt.core.planning.entities import LOCALE_FACTS, Fixed, admits, fixed_by, in_play, possible
from yurt.core.source.diagnostics import Findings

# A unique field with less room than this, compared with its rows, soon runs out.
LITTLE_ROOM = 1.1
IBANS = ("iban", "iban-in-groups")
OF_WHOM = ("person", "place", "card")
# Names of dates of which the first in a pair comes before the second.
BEFORE_AFTER = (
    ("arrival", "departure"), ("start", "end"), ("begin", "end"), ("from", "to"), ("from", "until"),
    ("opens", "closes"), ("opened", "closed"), ("created", "updated"), ("created", "changed"),
    ("valid_from", "valid_to"), ("valid_from", "valid_until"), ("born", "died"), ("check_in", "check_out"),
    ("ordered", "delivered"), ("issued", "due"), ("sent", "received"), ("start_date", "end_date"),
    ("departure", "return"), ("booked", "paid"), ("hired", "left"),
)  # fmt: skip


def doubts(schema: Schema, findings: Findings) -> None:
    """Note what is probably not intended."""
    used = _used_names(schema)
    for record in schema.records.values():
        for field in record.fields:
            _without_effect(record, field, used, findings)
            _little_room(record, field, schema, findings)
            _misplaced_weights(field, findings)
        _unrelated_dates(record, schema, findings)
        _not_followed(record, schema, findings)
        _split_by_locale(record, findings)
        _no_ibans(record, schema, findings)


# A weight in front of its value, and one after a colon.
MISPLACED = (
    r"(?P<weight>\d+(?:\.\d+)?)(?P<percent>%?) ?[*x]? +(?P<value>\D.*)",
    r"(?P<value>.*[^\W\d_].*?) *: *(?P<weight>\d+(?:\.\d+)?)(?P<percent>%?)",
)


def _misplaced_weights(field: Field, findings: Findings) -> None:
    """`one of 3 a | 2 b` and `one of a:3 | b:2`: a weight comes after its value and a `*`, or is a percentage."""
    for phrase in field.phrases:
        values = phrase.head.values if isinstance(phrase.head, model.OneOf) and not phrase.head.weighted else ()
        for where, form in zip(("begins", "ends"), MISPLACED, strict=True):
            parts = [re.fullmatch(form, each) if isinstance(each, str) else None for each in values]
            if len(parts) > 1 and all(parts):
                written = " | ".join(
                    f"{each['value']} {each['weight']}%" if each["percent"] else f"{each['value']} * {each['weight']}"
                    for each in parts
                    if each
                )
                findings.warn(
                    f"each of these values {where} with a number",
                    phrase.span,
                    f"a weight follows its value: `one of {written}`",
                )


def _not_followed(record: Record, schema: Schema, findings: Findings) -> None:
    """Values of a field such as `country` that the catalogue does not know, so that other kinds cannot follow them."""
    for fixed in fixed_by(record).values():
        for aspect, expression in fixed.items():
            values = possible(schema, record, expression) or ()
            if isinstance(expression, Literal) or aspect not in (*LOCALE_FACTS, *CITY_COLUMNS):
                continue
            unknown = [each for each in values if not _known(aspect, each, record, schema, fixed)]
            if unknown:
                what = f"the catalogue knows no {aspect} `{unknown[0]}`"
                advice = "the kinds of the record do not follow it; rename the field if they need not"
                findings.warn(
                    f"{what}{f' (and {len(unknown) - 1} more)' if unknown[1:] else ''}", expression.span, advice
                )


def _split_by_locale(record: Record, findings: Findings) -> None:
    """A name or place with a locale of its own: it differs from that of the other fields."""
    kinds = [
        (field, head)
        for field in record.fields
        for phrase in field.phrases
        if isinstance(head := phrase.head, KindOf) and head.name in KINDS and KINDS[head.name].about in OF_WHOM
    ]
    # The first fields without a locale of their own: with the same kind, and with any other.
    usual: dict[tuple[str, str, str], dict[str, str]] = {}
    for field, head in kinds:
        if not head.locale:
            usual.setdefault((head.of, KINDS[head.name].about, field.parent), {}).setdefault(head.name, field.name)
    for field, head in kinds:
        what = KINDS[head.name].about
        same = usual.get((head.of, what, field.parent), {}) if head.locale else {}
        other = next((name for kind, name in same.items() if kind != head.name), None)
        if other is not None:
            message = f"`{field.name}` is of another {what} than `{other}`, because it has a locale of its own"
            advice = f"`locale {head.locale}` at each field of the {what}, or `locale:` for the record type"
            findings.warn(message, field.span, advice)


def _no_ibans(record: Record, schema: Schema, findings: Findings) -> None:
    """Account numbers of a country without IBANs."""
    told = fixed_by(record)
    without: dict[str, list[str]] = {}
    for field in record.fields:
        for head in (phrase.head for phrase in field.phrases):
            if not isinstance(head, KindOf) or head.name not in IBANS or dict(head.arguments).get("country"):
                continue
            if head.about not in without:
                locales = in_play(schema, record, told.get(head.about, {}))
                known = (facts(each, schema.catalogue) for each in locales if each in every_locale(schema.catalogue))
                countries = dict.fromkeys(str(each.get("country-code")) for each in known)
                without[head.about] = [each for each in countries if each not in structures()]
            if without[head.about]:
                message = f"there are no IBANs in {', '.join(without[head.about])}: those are of Great Britain"
                advice = '`bban` is the number of an account in any country; or `iban(country = "DE")`'
                findings.warn(message, field.span, advice)


def _known(aspect: str, value: str, record: Record, schema: Schema, fixed: Fixed) -> bool:
    if aspect in LOCALE_FACTS:
        return any(admits(each, aspect, value, schema.catalogue) for each in every_locale(schema.catalogue))
    cells = entries("cities", in_play(schema, record, fixed), schema.catalogue).cells
    folded = value.casefold()
    return any(folded == each.casefold() for column in CITY_COLUMNS[aspect] for each in cells.get(column, ()))


def _used_names(schema: Schema) -> set[tuple[str, str]]:
    """Return what expressions use: fields by record type and name, and any name behind a reference."""
    found: set[tuple[str, str]] = set()
    for record in schema.records.values():
        for expression in expressions_in((record.fields, record.always)):
            for each in walk(expression):
                if isinstance(each, Name):
                    found.add((record.name, each.name))
                elif isinstance(each, Member):
                    found.add((record.name, each.reference))
                    found.add(("", each.name.rpartition(".")[2]))
        for fixed in fixed_by(record).values():
            found |= {(record.name, each.name) for each in fixed.values() if isinstance(each, Name)}
        for field in record.fields:
            found |= {(record.name, track.name) for phrase in field.phrases for track in phrase.tracks}
            found |= {("", phrase.weighted_by) for phrase in field.phrases if phrase.weighted_by}
    return found


def _without_effect(record: Record, field: Field, used: set[tuple[str, str]], findings: Findings) -> None:
    """Clauses without effect."""
    if field.unique and field.always_unique:
        findings.warn(f"`{field.name}` is always unique", field.span, "leave out `unique`")
    if isinstance(field.present_if, Literal):
        findings.warn(f"the condition of `{field.name}` is always the same", field.span)
    touched = field.helper and field.parent == "" and not isinstance(field.head, model.Nested | model.Reference)
    if touched and not {(record.name, field.name), ("", field.name)} & used and record.key is not field:
        findings.warn(f"`{field.name}` is a helper, and nothing uses it", field.span)
    for phrase in field.phrases:
        usually = phrase.usually
        if isinstance(usually, model.NamedDistribution) and usually.name == "uniform":
            findings.warn("`usually uniform` is the default", usually.span)
        for each in phrase.tracks:
            if each.rank == 0:
                findings.warn("`tracks … by 0` has no effect", each.span)
        if phrase.missing_if is not None and not phrase.missing:
            findings.warn(f"`{field.name}` is never missing", field.span)


def _little_room(record: Record, field: Field, schema: Schema, findings: Findings) -> None:
    count = record.count
    if not field.unique or count.per is not None or not count.low or not isinstance(field.body, Phrase):
        return
    try:
        room = cardinality(field, schema.today or date.today(), schema)
    except NotUnique:
        return
    all_there_are = room == count.low == count.high
    if room < ENDLESS and count.high <= room < count.high * LITTLE_ROOM and not all_there_are:
        message = f"`{field.name}` is unique, and has only {room:,} different values for {count.high:,} rows"
        findings.warn(message, field.span, "widen what is allowed, before more rows are asked for")


def _unrelated_dates(record: Record, schema: Schema, findings: Findings) -> None:
    """Two dates whose names imply an order that nothing guarantees."""
    today = schema.today or date.today()
    ends = {
        field.name: found
        for field in record.fields
        if isinstance(field.head, model.Date | model.DateTime)
        and not field.phrases[0].tracks
        and (found := bounds(field.head, today)) is not None
    }
    together = [{each.name for each in walk(condition) if isinstance(each, Name)} for condition in record.always]
    for first, second in BEFORE_AFTER:
        if first not in ends or second not in ends or any({first, second} <= names for names in together):
            continue
        if type(record.by_name[first].head) is type(record.by_name[second].head) and ends[first][1] > ends[second][0]:
            message = f"nothing ensures that `{first}` comes before `{second}`"
            advice = f"a bound such as `{second}: date {first}+1d..{first}+14d`, or a line of `always`"
            findings.warn(message, record.by_name[second].span, advice)
