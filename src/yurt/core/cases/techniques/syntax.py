"""Syntax testing (ISO/IEC/IEEE 29119-4, 5.2.8): valid extremes of patterns and kinds, and single steps that leave them.

A step that happens to lead to another valid text is no case.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial

from yurt.core import model
from yurt.core.base.types import TEXT
from yurt.core.cases.case import Case, Change, Const, Drawn, Raw, Requirement, because
from yurt.core.cases.kinds import EXTREMES, WRONG
from yurt.core.cases.subject import Subject
from yurt.core.cases.technique import Technique
from yurt.core.kinds.catalogue import KINDS
from yurt.core.model import Field, Phrase
from yurt.core.model.restriction import fits
from yurt.core.patterns.match import matches
from yurt.core.patterns.mutate import STEPS, branches, longest, mutated, outside, shortest, typical
from yurt.core.patterns.parse import parse
from yurt.core.patterns.tree import Pattern
from yurt.core.verify.check_digits import RULES as CHECK_DIGITS
from yurt.core.verify.check_digits import right as right_digits
from yurt.core.verify.shapes import uuid_form

NAME = "syntax"
Changes = tuple[Change, ...]


def syntax(subject: Subject) -> Iterator[Case]:
    """Yield the cases of all texts that have a shape."""
    for field in subject.fields:
        if subject.type(field.name) != TEXT:
            continue
        for phrase, requirements, row in subject.phrases(field):
            # A step needs a value to begin with.
            there: Changes = requirements
            if phrase.missing:
                there = (*requirements, Drawn(field.name, replace(phrase, missing=0.0, missing_if=None)))
            if isinstance(phrase.head, model.Matching):
                yield from _pattern(field, phrase, phrase.head.pattern, requirements, row)
            elif isinstance(phrase.head, model.KindOf):
                yield from _kind(field, phrase, phrase.head, requirements, there, row)
            elif isinstance(phrase.head, model.Uuid):
                yield from _steps(field, row, there, outside(parse(uuid_form(phrase.head.version))), "pattern")


def rule_of(pattern: Pattern, text: str) -> str:
    """Return which rule a text that does not follow a pattern breaks: its length, or else the pattern."""
    low, high = pattern.lengths
    return "length" if len(text) < low or (high is not None and len(text) > high) else "pattern"


def _pattern(
    field: Field, phrase: Phrase, pattern: Pattern, requirements: tuple[Requirement, ...], row: str
) -> Iterator[Case]:
    narrowed = phrase.narrowed

    def right(text: str) -> bool:
        return matches(pattern, text) and (narrowed is None or fits(narrowed, text))

    shown = pattern.source if pattern.source.startswith(("like", "text")) else f"/{pattern.source}/"
    seen: set[str] = set()
    for name, text in (("shortest", shortest(pattern)), ("longest", longest(pattern)), *branches(pattern)):
        if text is not None and text not in seen and right(text):
            seen.add(text)
            yield Case(
                NAME,
                field.name,
                name,
                because("{text} follows {shown}", text=_cut(text), shown=shown),
                (*requirements, Const(field.name, text)),
                row=row,
            )
    base = typical(pattern)
    # A text that narrows something down breaks the narrower rule, which is a pattern too.
    wrong = outside(pattern)
    candidates = [(name, mutated(base, step, wrong), why) for name, (why, step) in STEPS.items()]
    short = shortest(pattern)
    long = longest(pattern)
    candidates.append(("a character less", short[:-1] if short else None, "shorter than the shortest"))
    candidates.append(("a character more", long + long[-1] if long else None, "longer than the longest"))
    candidates += [(name, step(base), why) for name, step, why in WRONG.get(phrase.kind, ())]
    if narrowed is not None:
        return
    for name, bad, why in candidates:
        if bad is not None and bad not in seen and wrong(bad):
            seen.add(bad)
            reason = because("{text}: {why}", text=_cut(bad), why=why)
            yield Case(
                NAME, field.name, name, reason, (*requirements, Const(field.name, bad)), rule_of(pattern, bad), row=row
            )


def _cut(text: str) -> str:
    return f'"{text}"' if len(text) <= 40 else f'"{text[:30]}…" of {len(text):,} characters'


def _kind(
    field: Field, phrase: Phrase, head: model.KindOf, requirements: tuple[Requirement, ...], there: Changes, row: str
) -> Iterator[Case]:
    kind = KINDS[head.name]
    if phrase.narrowed is not None:
        return
    pattern = parse(kind.allowed) if kind.allowed else None
    if pattern is not None:
        for name, text, why in EXTREMES.get(head.name, ()):
            if matches(pattern, text):
                reason = because("{why}", why=why)
                yield Case(NAME, field.name, name, reason, (*requirements, Const(field.name, text)), row=row)
        wrong = outside(pattern)
        yield from _steps(field, row, there, wrong, "pattern")
        for name, step, why in WRONG.get(head.name, ()):
            yield Case(
                NAME,
                field.name,
                name,
                because("{why}", why=why),
                (*there, Raw(field.name, made=_wrongly(step, wrong))),
                "pattern",
                row=row,
            )
    if kind.check in CHECK_DIGITS and pattern is not None:
        right = partial(right_digits, kind.check)
        yield Case(
            NAME, field.name, "bad check digit", because("a digit is another one: {check}", check=kind.check),
            (*there, Raw(field.name, made=_other_digit(head.name, pattern, right))), "check digit", row=row
        )  # fmt: skip


def _wrongly(step: Callable[[str], str | None], wrong: Callable[[str], bool]) -> Callable[[str], str | None]:
    def made(text: str) -> str | None:
        found = step(text)
        return found if found is not None and wrong(found) else None

    return made


def _other_digit(name: str, pattern: Pattern, right: Callable[[str, str], bool]) -> Callable[[str], str | None]:
    def made(text: str) -> str | None:
        for at in range(len(text) - 1, -1, -1):
            if text[at].isdigit():
                found = text[:at] + str((int(text[at]) + 1) % 10) + text[at + 1 :]
                if matches(pattern, found) and not right(name, found):
                    return found
        return None

    return made


def _steps(
    field: Field, row: str, requirements: Changes, wrong: Callable[[str], bool], violates: str
) -> Iterator[Case]:
    """Yield the steps that lead out of a shape, from the value that the record has."""
    for name, (why, step) in STEPS.items():

        def made(text: str, step: Callable[[str, int], str | None] = step) -> str | None:
            return mutated(text, step, wrong)

        yield Case(
            NAME,
            field.name,
            name,
            because("{why}", why=why),
            (*requirements, Raw(field.name, made=made)),
            violates,
            row=row,
        )


TECHNIQUE = Technique(3, syntax)
