"""Hostile values: texts that often reveal defects. A field takes those that its contract allows."""

from __future__ import annotations

from collections.abc import Iterator

from yurt.core import model
from yurt.core.base.types import TEXT, Type
from yurt.core.cases.case import Case, Const, Raw, Requirement, because
from yurt.core.cases.rules import rule_of
from yurt.core.cases.subject import Subject
from yurt.core.cases.technique import Technique
from yurt.core.cases.words import type_words
from yurt.core.formats.common.raw import Number
from yurt.core.model import Field, Phrase
from yurt.core.planning.bounds import bounds

NAME = "hostile"
# By name: the description and the text.
TEXTS: tuple[tuple[str, str, str], ...] = (
    ("single quote", "an apostrophe", "O'Hara"),
    ("double quote", "a double quote", 'six "pack"'),
    ("comma", "a separator of CSV", "left, right"),
    ("semicolon", "a separator of CSV in many countries", "left; right"),
    ("tab", "a tabulator", "left\tright"),
    ("line break", "a line break", "first\nsecond"),
    ("carriage return", "a line break of two characters", "first\r\nsecond"),
    ("backslash", "an escape character", "C:\\new\\table"),
    ("null byte", "a null byte", "before\x00after"),
    ("space before", "a space before the text", " text"),
    ("space after", "a space after the text", "text "),
    ("space only", "only a space", " "),
    ("no-break space", "a no-break space", "10\u00a0000"),
    ("very long", "10,000 characters", "x" * 10_000),
    ("bidirectional", "a character that reverses the writing direction", "abc\u202edef"),
    ("zero width", "characters without width", "in\u200bvisi\u200dble"),
    ("byte order mark", "a byte order mark inside", "\ufefftext"),
    ("combining", "a letter and its accent as two characters", "Cafe\u0301"),
    ("many accents", "many accents on one letter", "Z" + "\u0301\u0323\u0330" * 6),
    ("emoji", "a character beyond 16 bits", "\U0001f3d4\ufe0f hut"),
    (
        "family emoji",
        "one symbol made of seven characters",
        "\U0001f468\u200d\U0001f469\u200d\U0001f467\u200d\U0001f466",
    ),
    ("look-alike", "a Cyrillic letter that looks like a Latin one", "\u0410nna"),
    ("full width", "full-width letters and digits", "\uff21\uff22\uff11\uff12"),
    ("right to left", "Arabic and Hebrew letters", "\u0645\u0631\u062d\u0628\u0627 \u05e9\u05dc\u05d5\u05dd"),
    ("sharp s", "a letter that grows in upper case", "Stra\u00dfe"),
    ("dotless i", "letters whose case depends on the language", "\u0131\u0130iI"),
    ("sql", "shaped like SQL", "'; DROP TABLE stays; --"),
    ("sql condition", "shaped like SQL", "' OR '1'='1"),
    ("markup", "shaped like markup", "<b>bold</b> & more"),
    ("script", "shaped like a script", "<script>alert(1)</script>"),
    ("path", "shaped like a path", "../../../etc/hosts"),
    ("template", "shaped like a template", "{{7*7}} ${7*7} #{7*7}"),
    ("formula", "shaped like a formula of a spreadsheet", "=1+1"),
    ("formula with minus", "shaped like a formula of a spreadsheet", "-1+1"),
    ("format string", "shaped like a format string", "%s%s%n %d"),
    ("null word", "the word null", "null"),
    ("empty", "an empty text", ""),
)
# Forms of numbers, for numeric fields: a name, the description, the text.
NUMBERS: tuple[tuple[str, str, str], ...] = (
    ("leading zeros", "zeros in front", "007"), ("plus sign", "a plus sign", "+7"),
    ("decimal comma", "a decimal comma", "1,5"), ("thousands", "marks between thousands", "1.234.567,00"),
    ("full-width digits", "full-width digits", "\uff11\uff12"),
    ("Arabic digits", "Arabic digits", "\u0661\u0662"),
    ("exponent", "an exponent", "1e3"), ("hexadecimal", "a hexadecimal number", "0x1F"), ("not a number", "NaN", "NaN"),
    ("infinity", "infinity", "Infinity"), ("space before", "a space before the text", " 7"),
    ("sql", "shaped like SQL", "1 OR 1=1"), ("formula", "shaped like a formula", "=1+1"),
)  # fmt: skip
# Numbers as JSON can express them.
TOKENS: tuple[tuple[str, str, str], ...] = (
    ("huge", "a number too large for a float", "1e400"),
    ("many digits", "more digits than 64 bits hold", "123456789012345678901234567890"),
)
FEW = ("single quote", "line break", "very long", "sql", "script", "formula", "null word")


def hostile(subject: Subject) -> Iterator[Case]:
    """Yield the hostile values for every field that can be given a value."""
    for field in subject.fields:
        kind = subject.type(field.name)
        if isinstance(field.head, model.Nested | model.ListOf | model.Derived) or kind.name == "list":
            continue
        there = (Requirement(field.present_if, True),) if field.present_if is not None else ()
        if kind != TEXT:
            yield from _not_text(field, kind, there, subject)
            continue
        for phrase, requirements, row in subject.phrases(field):
            for name, what, text in TEXTS if _open(phrase) else [each for each in TEXTS if each[0] in FEW]:
                yield from _text(field, phrase, requirements, row, name, what, text, subject)


def _open(phrase: Phrase) -> bool:
    """Return whether a phrase takes texts by their shape, not from a list."""
    return isinstance(phrase.head, model.Matching | model.KindOf)


def _not_text(field: Field, kind: Type, requirements: tuple[Requirement, ...], subject: Subject) -> Iterator[Case]:
    """Texts where another type belongs."""
    right = type_words(kind)
    if field.shown is not None:
        return
    listed = NUMBERS if kind.numeric else [each for each in TEXTS if each[0] in FEW]
    for name, what, text in listed:
        if name == "exponent" and kind.name == "real":
            continue
        reason = because("{what} instead of {right}", what=what, right=right)
        yield Case(NAME, field.name, name, reason, (*requirements, Raw(field.name, text)), "type")
    if kind.numeric and isinstance(field.body, Phrase) and isinstance(field.head, model.Integer | model.DecimalNumber):
        yield from _minus_zero(field, field.body, requirements, subject)
        for name, what, text in () if field.head.range.open_high else TOKENS:
            yield Case(
                NAME,
                field.name,
                name,
                because("{what}", what=what),
                (*requirements, Raw(field.name, Number(text), typed=True)),
                "range",
            )


def _minus_zero(
    field: Field, phrase: Phrase, requirements: tuple[Requirement, ...], subject: Subject
) -> Iterator[Case]:
    """Zero with a sign is zero."""
    head = phrase.head
    assert isinstance(head, model.Integer | model.DecimalNumber)
    ends = bounds(head, subject.today)
    if ends is None or field.unique or (ends[0] <= 0 <= ends[1] and -ends[0] % head.step):
        return
    places = head.places if isinstance(head, model.DecimalNumber) else 0
    text = Number("-0" + ("." + "0" * places if places else ""))
    violates = "" if ends[0] <= 0 <= ends[1] else "range"
    changes = (Const(field.name, 0), Raw(field.name, text))
    yield Case(
        NAME,
        field.name,
        "minus zero",
        because("{text}: zero with a sign is zero", text=text),
        (*requirements, *changes),
        violates,
    )


def _text(
    field: Field,
    phrase: Phrase,
    requirements: tuple[Requirement, ...],
    row: str,
    item: str,
    what: str,
    text: str,
    subject: Subject,
) -> Iterator[Case]:
    head = phrase.head
    contract = subject.contracts.of(phrase)
    handled = False
    if isinstance(head, model.Matching | model.KindOf | model.Uuid) or contract.open:
        violates = rule_of(phrase, subject.contracts)(text)
        handled = bool(contract.rest) and not violates
    elif isinstance(head, model.OneOf | model.FromList):
        values = head.values if isinstance(head, model.OneOf) else subject.schema.lists[head.name].column(head.column)
        violates = "" if text in {str(each) for each in values} else "list"
        if phrase.narrowed is not None:
            return
    elif isinstance(head, model.Reference):
        violates = "reference" if head.record != subject.record.name else ""
        if not violates:
            return
    else:
        return
    outcome = "the schema allows it" if not violates else "the schema does not allow it"
    if handled:
        outcome = "no rule says whether it is valid: a program stores it unchanged, or refuses it"
    yield Case(
        NAME,
        field.name,
        item,
        because("{what}; {outcome}", what=what, outcome=outcome),
        (*requirements, Const(field.name, text)),
        violates,
        row=row,
        handled=handled,
    )


TECHNIQUE = Technique(4, hostile)
