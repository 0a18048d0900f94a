"""A case: a record that follows the schema except in its target, and its expected outcome."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from yurt.core.base.labels import ACCEPT, HANDLE, REJECT
from yurt.core.model import Phrase
from yurt.core.model.expressions import Expression
from yurt.core.verify.violation import TOGETHER

# ---- what is changed in a record -------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Const:
    """A field holds a value of its type: a text, a Boolean, or a number in units of the type."""

    field: str
    value: str | int | bool


@dataclass(frozen=True, slots=True)
class Drawn:
    """A field takes a value of another phrase than its own, whether its condition holds or not."""

    field: str
    phrase: Phrase


@dataclass(frozen=True, slots=True)
class Edge:
    """A field stands so many steps inside (or, below 0, outside) the lower or upper end of its range in that record."""

    field: str
    upper: bool
    inside: int
    phrase: Phrase


@dataclass(frozen=True, slots=True)
class Gone:
    """A field has no value."""

    field: str


@dataclass(frozen=True, slots=True)
class Moved:
    """A field that follows from others has another value than that which follows."""

    field: str


@dataclass(frozen=True, slots=True)
class Same:
    """A field has the value that it has in the first record of the file."""

    field: str


@dataclass(frozen=True, slots=True)
class Lost:
    """A reference holds a key that no row has."""

    field: str


@dataclass(frozen=True, slots=True)
class Beside:
    """The record is one of several children of one parent: the rows of a group, by their place in it (from 0)."""

    field: str
    group: str
    place: int


@dataclass(frozen=True, slots=True)
class SameRow:
    """A reference points to the same row in all records of a group."""

    field: str
    group: str


@dataclass(frozen=True, slots=True)
class Requirement:
    """A condition is true, or false: the record is drawn until it is so."""

    condition: Expression
    truth: bool


@dataclass(frozen=True, slots=True)
class Raw:
    """What stands in the output instead of a field's value, as JSON has it, or made of the value's text.

    What needs a format with types (a number instead of a text) is `typed`. A function returns None where it can make
    nothing of a value; which rule the made text breaks is what `rule` says of it. What is made of a made text is
    the same text; where it is not, `back` returns what it was made of.
    """

    field: str
    value: Any = None
    made: Callable[[str], str | None] | None = None
    typed: bool = False
    rule: Callable[[str], str] | None = None
    back: Callable[[str], str] | None = None


Change = Const | Drawn | Edge | Gone | Moved | Same | Lost | Beside | SameRow | Requirement | Raw


@dataclass(frozen=True, slots=True)
class Reason:
    """Why a case is one: a form, and the facts that stand in its braces. The sentence is made when it is shown."""

    form: str
    facts: tuple[tuple[str, object], ...] = ()

    def __str__(self) -> str:
        return self.form.format(**dict(self.facts))


def because(form: str, **facts: object) -> Reason:
    """Return a reason."""
    return Reason(form, tuple(facts.items()))


@dataclass(frozen=True, slots=True)
class Case:
    """A case, before its record is made. `violates` is empty for one that is to be accepted."""

    technique: str
    # The field or condition that the case is about, and what of it: a part, an edge, a step.
    target: str
    item: str
    reason: Reason
    changes: tuple[Change, ...] = ()
    violates: str = ""
    id: str = ""
    # Further faults of the same record, where several are asked for.
    also: tuple[Case, ...] = ()
    # The row of a table that the item is of; empty for a field without one.
    row: str = ""
    # Whether the value is one of a list.
    listed: bool = False
    # Whether no rule says if the value is valid: it must be handled, that is stored unchanged or refused.
    handled: bool = False

    @property
    def coverage_item(self) -> str:
        """The item as the labels name it; the items of several faults one after the other."""
        own = f"{self.row}: {self.item}" if self.row and self.item != self.row else self.item
        if not self.also:
            return own
        return TOGETHER.join(f"{each.target} {each.coverage_item}" for each in (replace(self, also=()), *self.also))

    @property
    def sentence(self) -> str:
        """The reasons of all faults."""
        return "; ".join(dict.fromkeys(str(each.reason) for each in (self, *self.also)))

    @property
    def valid(self) -> bool:
        return not self.violates

    @property
    def expected(self) -> str:
        return REJECT if not self.valid else HANDLE if self.handled else ACCEPT


WORDS = {"<=": " at most ", ">=": " at least ", "==": " is ", "!=": " is not ", "<": " below ", ">": " above "}


def slug(text: str) -> str:
    """Return a text as a part of an id: words with hyphens between them."""
    for sign, word in WORDS.items():
        text = text.replace(sign, word)
    return re.sub(r"[^\w.+]+", "-", text.strip().lower()).strip("-")[:60].strip("-")


def with_ids(cases: list[Case]) -> list[Case]:
    """Give each case an id that depends on its own target and item alone."""
    seen: dict[str, int] = {}
    found = []
    for case in cases:
        name = "/".join(filter(None, (slug(case.target), case.technique, slug(case.coverage_item))))
        seen[name] = seen.get(name, 0) + 1
        found.append(replace(case, id=name if seen[name] == 1 else f"{name}-{seen[name]}"))
    return found
