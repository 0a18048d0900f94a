"""The rule of a head, and its view of the rest of the language."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date
from typing import Generic, Protocol, TypeVar

from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import Type
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.model import Field, Head, Phrase, Record, Schema
from yurt.core.model.expressions import Expression
from yurt.core.planning.typing import Typer
from yurt.core.source.diagnostics import Findings

# The cardinality of values that never run out.
ENDLESS = 1 << 62
# The maximum number of bytes of a short value.
NARROW = 32


class NotUnique(ValueError):
    """The reason why the values of a head cannot be numbered and therefore not be unique."""


class TypeScope(Protocol):
    """What the data type of a head may depend on."""

    schema: Schema

    def typer(self, record: Record) -> Typer:
        """Return the typer of a record type's expressions."""
        ...

    def field_type(self, record: Record, field: Field) -> Type | None:
        """Return the data type of a field."""
        ...


class CheckScope(Protocol):
    """The place where a phrase is checked."""

    schema: Schema
    findings: Findings
    today: date
    record: Record
    field: Field
    typer: Typer

    def inside(self, phrase: Phrase) -> None:
        """Check a phrase that is part of this one."""
        ...


class Describer(Protocol):
    """Writes parts of a head as the schema does."""

    def text(self, expression: Expression) -> str:
        """Return an expression on one line, cut if it is long."""
        ...

    def cut(self, text: str) -> str:
        """Return a text on one line, cut if it is long."""
        ...

    def phrase(self, phrase: Phrase) -> str:
        """Describe a phrase that is part of this head."""
        ...


class WidthScope(Protocol):
    """The width of other values, in bytes."""

    schema: Schema

    def phrase(self, phrase: Phrase) -> int:
        """Return the width of a phrase that is part of a head."""
        ...

    def field(self, record: str, name: str) -> int:
        """Return the width of a field."""
        ...

    def expression(self, expression: Expression) -> int:
        """Return the width of everything that an expression mentions."""
        ...


def narrow(head: object, scope: WidthScope) -> int:
    """Return the width of short values."""
    return NARROW


def endless(head: object, phrase: Phrase, today: date, schema: Schema) -> int:
    """Return the cardinality of a head whose values never run out, or that only a run can count."""
    return ENDLESS


def not_unique(reason: str) -> Callable[[object, Phrase, date, Schema], int]:
    """Return the cardinality of a head whose values cannot be numbered."""

    def refuse(head: object, phrase: Phrase, today: date, schema: Schema) -> int:
        raise NotUnique(reason)

    return refuse


H = TypeVar("H", bound=Head)


@dataclass(frozen=True)
class HeadRule(Generic[H]):
    """What the language knows of one head.

    `build` has a function for each grammar rule that makes the head. `cardinality` raises NotUnique if the values
    cannot be numbered. `width` is the approximate maximum number of bytes of a value. `check` notes what is wrong with
    the head of a phrase.
    """

    model: type[H]
    build: Mapping[str, Callable[[Builder, Tree], H]]
    data_type: Callable[[H, TypeScope, Record], Type | None]
    describe: Callable[[H, Describer], str]
    cardinality: Callable[[H, Phrase, date, Schema], int] = endless
    width: Callable[[H, WidthScope], int] = narrow
    check: Callable[[H, Phrase, CheckScope], None] = lambda head, phrase, scope: None
