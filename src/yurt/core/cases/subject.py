"""The input of a technique: a record type with everything known about its fields."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from functools import cached_property

from yurt.core.base.data_classes import dataclass, replace
from yurt.core.base.types import Type
from yurt.core.cases.case import Requirement
from yurt.core.model import Field, ListOf, Matching, Phrase, Record, Schema, Table
from yurt.core.model.expressions import Expression
from yurt.core.model.plan import Plan
from yurt.core.patterns.tree import expression_of
from yurt.core.planning.contracts import Contracts
from yurt.core.planning.restrictions import written_conditions


def _allowed(phrase: Phrase) -> Phrase:
    """Return a phrase with what it allows in place of the kind that is usual, also inside a list."""
    if phrase.allowed is not None:
        narrowed = phrase.narrowed
        own = narrowed is not None and narrowed.matching == expression_of(phrase.allowed) and not narrowed.without
        head = Matching(phrase.allowed)
        return replace(phrase, head=head, kind="", allowed=None, narrowed=None if own else narrowed)
    if isinstance(phrase.head, ListOf) and (inside := _allowed(phrase.head.phrase)) is not phrase.head.phrase:
        return replace(phrase, head=replace(phrase.head, phrase=inside))
    return phrase


@dataclass(frozen=True)
class Subject:
    """A record type of a schema."""

    schema: Schema
    record: Record
    plan: Plan
    today: date
    # Two or three values at every boundary.
    values: int = 2
    # The number of fields that are combined: a number, `base`, or `all`; a larger number for some of them.
    strength: str = "2"
    stronger: tuple[tuple[tuple[str, ...], int], ...] = ()
    # The combinations of existing records: the level of each factor.
    seeds: tuple[tuple[int, ...], ...] = ()
    # Whether each invalid partition is also combined with valid ones.
    invalid_parts: bool = False

    @cached_property
    def contracts(self) -> Contracts:
        """What the kinds of the record state."""
        return Contracts(self.schema, self.record, self.today)

    @cached_property
    def widths(self) -> dict[int, int | None]:
        """The steps of the widest range of each head whose ends depend on the row, once they are known."""
        return {}

    def type(self, name: str) -> Type:
        """Return the type of a field."""
        return self.plan.types[self.record.name, name]

    @property
    def fields(self) -> Iterator[Field]:
        """The fields that cases target: those in the output that are not in lists of records."""
        for each in self.record.shown:
            if self.record.list_around(each.name) in (None, each.name):
                yield self._allowed.get(each.name, each)

    @cached_property
    def _allowed(self) -> dict[str, Field]:
        """The fields of which a kind is only usual, with what is allowed instead: cases come from that."""
        found = {}
        for field in self.record.shown:
            if isinstance(field.body, Phrase):
                body: Phrase | Table = _allowed(field.body)
            else:
                body = replace(field.body, rows=tuple((each, _allowed(phrase)) for each, phrase in field.body.rows))
            if body != field.body:
                found[field.name] = replace(field, body=body)
        return found

    def as_usual(self, field: Field, phrase: Phrase) -> Phrase:
        """Return a phrase of a field with the kind that is usual, to draw values from."""
        at = next((at for at, each in enumerate(field.phrases) if each is phrase), None)
        return phrase if at is None else self.record.by_name[field.name].phrases[at]

    @property
    def conditions(self) -> tuple[Expression, ...]:
        """The conditions of `always`."""
        return written_conditions(self.record)

    def text(self, expression: Expression) -> str:
        """Return a condition as the schema writes it."""
        source = self.schema.source
        return " ".join(source.text[expression.span.start : expression.span.end].split())

    def phrases(self, field: Field) -> Iterator[tuple[Phrase, tuple[Requirement, ...], str]]:
        """Yield each phrase of a field, the requirements under which it decides, and a word for its table row."""
        there = (Requirement(field.present_if, True),) if field.present_if is not None else ()
        if isinstance(field.body, Phrase):
            yield field.body, there, ""
            return
        before: tuple[Requirement, ...] = ()
        for condition, phrase in field.body.rows:
            if condition is None:
                yield phrase, (*there, *before), "else"
            else:
                yield phrase, (*there, *before, Requirement(condition, True)), self.text(condition)
                before = (*before, Requirement(condition, False))

    def row_of_table(self, table: Table, at: int) -> str:
        """Return a word for a row of a table."""
        condition = table.rows[at][0]
        return "else" if condition is None else self.text(condition)
