"""Syntax testing (ISO/IEC/IEEE 29119-4, 5.2.8): valid extremes of patterns and kinds, and single changes that break
them.

A change that happens to lead to another valid text is not a case.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

from yurt.core import model
from yurt.core.base.data_classes import replace
from yurt.core.base.types import TEXT
from yurt.core.cases.case import Case, Change, Const, Drawn, Raw, Requirement, because
from yurt.core.cases.kinds import EXTREMES, LETTERS, UNUSUAL, WRONG
from yurt.core.cases.rules import Rule, rule_of, shapes_of
from yurt.core.cases.subject import Subject
from yurt.core.cases.technique import Technique
from yurt.core.model import Field, Phrase
from yurt.core.patterns.match import matches
from yurt.core.patterns.mutate import STEPS, branches, longest, mutated, shortest, typical
from yurt.core.patterns.tree import Pattern
from yurt.core.planning.contracts import Contracts

NAME = "syntax"
# The maximum number of texts excluded by a narrower rule that are cases each.
MOST_LEFT_OUT = 3
Changes = tuple[Change, ...]


def syntax(subject: Subject) -> Iterator[Case]:
    """Yield the cases of all texts with a shape."""
    for field in subject.fields:
        if subject.type(field.name) != TEXT:
            continue
        for phrase, requirements, row in subject.phrases(field):
            # A change needs an original value.
            there: Changes = requirements
            if phrase.missing:
                there = (*requirements, Drawn(field.name, replace(phrase, missing=0.0, missing_if=None)))
            rule = rule_of(phrase, subject.contracts)
            if subject.contracts.of(phrase).open and phrase.narrowed is None:
                yield from _names(field, rule, requirements, row)
            elif isinstance(phrase.head, model.Matching):
                yield from _pattern(field, phrase, phrase.head.pattern, rule, requirements, row)
            elif isinstance(phrase.head, model.KindOf | model.Uuid) and phrase.narrowed is None:
                yield from _kind(field, phrase, subject.contracts, rule, requirements, there, row)


def _names(field: Field, rule: Rule, requirements: tuple[Requirement, ...], row: str) -> Iterator[Case]:
    """Texts of an open list that programs often treat wrongly."""
    for texts, handled in ((LETTERS, False), (UNUSUAL, True)):
        for item, text, what in texts:
            if not rule(text):
                told = "no rule says whether it is valid" if handled else "it is in the form of the kind"
                reason = because("{text} has {what}: {told}", text=_cut(text), what=what, told=told)
                changes: Changes = (*requirements, Const(field.name, text))
                yield Case(NAME, field.name, item, reason, changes, row=row, handled=handled)


def _pattern(
    field: Field, phrase: Phrase, pattern: Pattern, rule: Rule, requirements: tuple[Requirement, ...], row: str
) -> Iterator[Case]:
    shown = pattern.source if pattern.source.startswith(("like", "text")) else f"/{pattern.source}/"
    seen: set[str] = set()
    for name, text in (("shortest", shortest(pattern)), ("longest", longest(pattern)), *branches(pattern)):
        if text is not None and text not in seen and not rule(text):
            seen.add(text)
            yield Case(
                NAME,
                field.name,
                name,
                because("{text} follows {shown}", text=_cut(text), shown=shown),
                (*requirements, Const(field.name, text)),
                row=row,
            )
    if phrase.narrowed is not None:
        yield from _narrowed(field, pattern, rule, requirements, row)
        return
    base = typical(pattern)
    candidates = [
        (name, mutated(base, step, lambda text: bool(rule(text))), why) for name, (why, step) in STEPS.items()
    ]
    short = shortest(pattern)
    long = longest(pattern)
    candidates.append(("a character less", short[:-1] if short else None, "shorter than the shortest"))
    candidates.append(("a character more", long + long[-1] if long else None, "longer than the longest"))
    candidates += [(name, step(base), why) for name, step, why in WRONG.get(phrase.kind, ())]
    for name, bad, why in candidates:
        if bad is not None and bad not in seen and rule(bad):
            seen.add(bad)
            reason = because("{text}: {why}", text=_cut(bad), why=why)
            yield Case(NAME, field.name, name, reason, (*requirements, Const(field.name, bad)), rule(bad), row=row)


def _narrowed(
    field: Field, pattern: Pattern, rule: Rule, requirements: tuple[Requirement, ...], row: str
) -> Iterator[Case]:
    """Texts of a pattern that `matching` or `without` excludes."""
    texts = (text for _, text in (("", shortest(pattern)), ("", typical(pattern)), *branches(pattern)))
    wrong = [text for text in dict.fromkeys(texts) if matches(pattern, text) and rule(text) == "pattern"]
    for at, text in enumerate(wrong[:MOST_LEFT_OUT], start=1):
        reason = because("{text} follows the pattern, but not its restriction", text=_cut(text))
        item = "left out" if at == 1 else f"left out {at}"
        yield Case(NAME, field.name, item, reason, (*requirements, Const(field.name, text)), "pattern", row=row)


def _cut(text: str) -> str:
    return f'"{text}"' if len(text) <= 40 else f'"{text[:30]}…" of {len(text):,} characters'


def _kind(
    field: Field, phrase: Phrase, contracts: Contracts, rule: Rule, requirements: tuple[Requirement, ...],
    there: Changes, row: str,
) -> Iterator[Case]:  # fmt: skip
    contract, shapes = contracts.of(phrase), shapes_of(phrase, contracts)
    if not shapes or (contract.rest and len(shapes) == 1 and not contract.check):
        # A text without a shape of its own cannot be broken by a change.
        return
    name = phrase.head.name if isinstance(phrase.head, model.KindOf) else phrase.kind
    for item, text, why in EXTREMES.get(name, ()):
        if not rule(text):
            yield Case(
                NAME, field.name, item, because("{why}", why=why), (*requirements, Const(field.name, text)), row=row
            )
    steps: list[tuple[str, str, Callable[[str, int], str | None]]] = [
        (item, why, step) for item, (why, step) in STEPS.items()
    ]
    steps += [(item, why, _whole(step)) for item, step, why in WRONG.get(name, ())]
    for item, why, step in steps:
        made = Raw(field.name, made=_wrongly(step, rule, ("length", "pattern")), rule=rule)
        yield Case(NAME, field.name, item, because("{why}", why=why), (*there, made), "pattern", row=row)
    if contract.check:
        made = Raw(field.name, made=_wrongly(_other_digit, rule, ("check digit",)))
        reason = because("one digit is wrong: {check}", check=contract.check)
        yield Case(NAME, field.name, "bad check digit", reason, (*there, made), "check digit", row=row)


def _whole(step: Callable[[str], str | None]) -> Callable[[str, int], str | None]:
    return lambda text, at: step(text)


def _other_digit(text: str, at: int) -> str | None:
    return text[:at] + str((int(text[at]) + 1) % 10) + text[at + 1 :] if text[at].isdecimal() else None


def _wrongly(
    step: Callable[[str, int], str | None], rule: Rule, violates: tuple[str, ...]
) -> Callable[[str], str | None]:
    """Return a change of a text that breaks one of some rules; None if it never does."""
    return lambda text: mutated(text, step, lambda found: rule(found) in violates)


TECHNIQUE = Technique(3, syntax)
