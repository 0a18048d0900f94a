"""Values that the tester has listed under `accept:` and `reject:` of a field."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from yurt.core.base.arrays import strings
from yurt.core.base.types import BOOLEAN, TEXT
from yurt.core.cases.case import Case, Const, Raw, because
from yurt.core.cases.subject import Subject
from yurt.core.columns.column import Column
from yurt.core.formats.common.raw import Number, of_cells
from yurt.core.model import Field
from yurt.core.planning.restrictions import literal_of
from yurt.core.verify.frame import Frame
from yurt.core.verify.shapes import CheckInput, broken
from yurt.core.verify.typed import typed

TECHNIQUE = "partition"


def told(field: Field, subject: Subject) -> Iterator[Case]:
    """Yield a case for each listed value."""
    _, requirements, _ = next(subject.phrases(field))
    kind = subject.type(field.name)
    for each in field.told:
        found = typed(of_cells(strings([each.text])), kind)
        change: Const | Raw
        if found.wrong[0]:
            change = Raw(field.name, each.text)
        elif kind == TEXT:
            change = Const(field.name, each.text)
        elif found.finer is not None and found.finer[0]:
            change = Raw(field.name, Number(each.text))
        else:
            value = found.column.values[0]
            change = Const(field.name, bool(value) if kind == BOOLEAN else int(value))
        word = "accepted" if each.accept else "rejected"
        violates = "" if each.accept else _rule(field, each.text, subject)
        yield Case(
            TECHNIQUE,
            field.name,
            f"{word} {each.text}",
            because("{reason}", reason=each.reason),
            (*requirements, change),
            violates,
        )


def _rule(field: Field, text: str, subject: Subject) -> str:
    """Return the rule that a rejected value breaks: one of its field, or just that the schema rejects it."""
    kind = subject.type(field.name)
    raw = of_cells(strings([text]))
    found = typed(raw, kind)
    if found.wrong[0]:
        return "type"
    frame = Frame(np.zeros(1, dtype=np.uint64), {}, {}, subject.today)
    for phrase, _, _ in subject.phrases(field):
        look = CheckInput(
            frame, Column(kind, found.column.values), raw.texts, found.finer, subject.schema,
            subject.contracts.of(phrase),
        )  # fmt: skip
        first = next((each.rule for each in broken(phrase, look) if len(each)), "")
        if not first:
            return "rejected" if literal_of(text, field) is not None else "list"
    return first
