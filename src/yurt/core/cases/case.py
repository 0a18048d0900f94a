"""A case: a record that follows the schema except in its target, and its expected outcome."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from yurt.core.base.data_classes import dataclass, replace
from yurt.core.base.labels import ACCEPT, HANDLE, REJECT
from yurt.core.model import Phrase
from yurt.core.model.expressions import Expression
from yurt.core.verify.violation import TOGETHER

# ---- what is changed in a record -------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Const:
    """A field holds a value of its own type: a text, a Boolean, or a number in units of the type."""

    field: str
    value: str | int | bool


@dataclass(frozen=True)
class Drawn:
    """A field takes a value of another phrase, whether its own condition holds or not."""

    field: str
    phrase: Phrase


@dataclass(frozen=True)
class Edge:
    """A field is a number of steps inside (or, if negative, outside) the minimum or maximum of its range in that
    record.
    """

    field: str
    upper: bool
    inside: int
    phrase: Phrase


@dataclass(frozen=True)
class Gone:
    """A field has no value."""

    field: str


@dataclass(frozen=True)
class Moved:
    """A derived field has a value that differs from the result of its expression."""

    field: str


@dataclass(frozen=True)
class Same:
    """A field repeats the value it has in the first record of the file."""

    field: str


@dataclass(frozen=True)
class Lost:
    """A reference holds a key that no row has."""

    field: str


@dataclass(frozen=True)
class Beside:
    """The record is one of several children of one parent: one row of a group, by its position (from 0)."""

    field: str
    group: str
    place: int


@dataclass(frozen=True)
class SameRow:
    """A reference points to the same row in all records of a group."""

    field: str
    group: str


@dataclass(frozen=True)
class Requirement:
    """A condition is true, or false: the record is drawn until it is."""

    condition: Expression
    truth: bool


@dataclass(frozen=True)
class Raw:
    """A replacement for a field's value in the output: a JSON value, or a function of the value's text.

    If it needs a format with types (a number instead of a text), it is `typed`. A function returns None if it cannot
    change a value; `rule` says which rule the changed text breaks. Applied to its own result, the function returns the
    same text; otherwise `back` returns the original.
    """

    field: str
    value: Any = None
    made: Callable[[str], str | None] | None = None
    typed: bool = False
    rule: Callable[[str], str] | None = None
    back: Callable[[str], str] | None = None


Change = Const | Drawn | Edge | Gone | Moved | Same | Lost | Beside | SameRow | Requirement | Raw


@dataclass(frozen=True)
class Reason:
    """The reason for a case: a template and the facts for its braces. The sentence is made when it is shown."""

    form: str
    facts: tuple[tuple[str, object], ...] = ()

    def __str__(self) -> str:
        return self.form.format(**dict(self.facts))


def because(form: str, **facts: object) -> Reason:
    """Return a reason."""
    return Reason(form, tuple(facts.items()))


@dataclass(frozen=True)
class Case:
    """A case before its record is made. `violates` is empty if the case is to be accepted."""

    technique: str
    # The field or condition that the case targets, and the item of it: a partition, a boundary, a step.
    target: str
    item: str
    reason: Reason
    changes: tuple[Change, ...] = ()
    violates: str = ""
    id: str = ""
    # Further faults in the same record, if several were requested.
    also: tuple[Case, ...] = ()
    # The row of a table that the item belongs to; empty for a field without a table.
    row: str = ""
    # Whether the value is listed in the schema.
    listed: bool = False
    # Whether no rule decides if the value is valid: a program must handle it, that is, store it unchanged or refuse it.
    handled: bool = False

    @property
    def coverage_item(self) -> str:
        """The item as the labels name it; several faults are joined."""
        own = f"{self.row}: {self.item}" if self.row and self.item != self.row else self.item
        if not self.also:
            return own
        return TOGETHER.join(f"{each.target} {each.coverage_item}" for each in (replace(self, also=()), *self.also))

    @property
    def sentence(self) -> str:
        """The reasons for all faults."""
        return "; ".join(dict.fromkeys(str(each.reason) for each in (self, *self.also)))

    @property
    def valid(self) -> bool:
        return not self.violates

    @property
    def expected(self) -> str:
        return REJECT if not self.valid else HANDLE if self.handled else ACCEPT


WORDS = {"<=": " at most ", ">=": " at least ", "==": " is ", "!=": " is not ", "<": " below ", ">": " above "}


def slug(text: str) -> str:
    """Return a text as part of an id: words joined by hyphens."""
    for sign, word in WORDS.items():
        text = text.replace(sign, word)
    return re.sub(r"[^\w.+]+", "-", text.strip().lower()).strip("-")[:60].strip("-")


def with_ids(cases: list[Case]) -> list[Case]:
    """Give each case an id that depends only on its own target and item."""
    seen: dict[str, int] = {}
    found = []
    for case in cases:
        name = "/".join(filter(None, (slug(case.target), case.technique, slug(case.coverage_item))))
        seen[name] = seen.get(name, 0) + 1
        found.append(replace(case, id=name if seen[name] == 1 else f"{name}-{seen[name]}"))
    return found
