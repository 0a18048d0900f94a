"""Equivalence partitions of lists and kinds: each listed value, and values that are not listed, or out of range."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from decimal import Decimal

import numpy as np

from yurt.core import model
from yurt.core.base.types import TEXT, Type
from yurt.core.cases.case import Case, Const, because
from yurt.core.cases.subject import Subject
from yurt.core.cases.words import shown
from yurt.core.columns.column import Column, cast, units
from yurt.core.kinds.catalogue import KINDS
from yurt.core.model import Field, ItemValue, Phrase, Table

# Lists with more values than this do not get a case per value.
MOST = 40
# Makes a case from a partition, a reason, and changes, with the violated rule.
MakeCase = Callable[..., Case]


def of_other_rows(
    name: str, table: Table, phrase: Phrase, values: tuple[ItemValue, ...], case: MakeCase
) -> Iterator[Case]:
    """A value that another row of the table lists, but not this one."""
    for _, other in table.rows:
        if other is not phrase and isinstance(other.head, model.OneOf):
            for value in other.head.values:
                if value not in values and isinstance(value, str):
                    reason = because("`{value}` is listed in another row of the table", value=value)
                    yield case("of another row", reason, Const(name, value), violates="list")
                    return


def scaled(value: ItemValue, kind: Type) -> int:
    if kind.numeric and isinstance(value, int | Decimal) and not isinstance(value, bool):
        return int(Decimal(value).scaleb(kind.places))
    return int(units(value))


def not_listed(field: Field, values: tuple[ItemValue, ...], case: MakeCase) -> Iterator[Case]:
    texts = {str(each) for each in values}
    first = str(values[0])
    for partition, text, why in (
        ("not listed", _unlisted(texts), "is not listed"),
        ("wrong case", first.swapcase(), "is listed in other case"),
        ("space after", first + " ", "has a space after it"),
        ("space before", " " + first, "has a space before it"),
        ("cut off", first[:-1], "is cut off"),
    ):
        if text and text not in texts:
            yield case(
                partition, because('"{text}" {why}', text=text, why=why), Const(field.name, text), violates="list"
            )


def _unlisted(texts: set[str]) -> str:
    return next(
        each
        for each in ("unlisted", "none of these", *(f"unlisted {n}" for n in range(len(texts) + 1)))
        if each not in texts
    )


def listed_values(
    field: Field, values: tuple[ItemValue, ...], kind: Type, case: MakeCase, narrowed: bool
) -> Iterator[Case]:
    """Each listed value, and values that are not listed."""
    for value in values[:MOST]:
        text = str(value).lower() if isinstance(value, bool) else str(value)
        held = value if isinstance(value, str | bool) else scaled(value, kind)
        yield case(text or "empty text", because("`{text}` is listed", text=text), Const(field.name, held), listed=True)
    if kind == TEXT:
        if not narrowed:
            yield from not_listed(field, values, case)
    elif kind.name != "boolean":
        numbers = [scaled(each, kind) for each in values if not isinstance(each, str | bool)]
        yield another_number(field, numbers, kind, case)


def another_number(field: Field, listed: list[int], kind: Type, case: MakeCase) -> Case:
    """A value that is none of the listed ones, in units of its type."""
    other = max(listed) + (10**kind.places if kind.numeric else 1 if kind.name == "date" else 60_000_000)
    reason = because("{value} is not listed", value=shown(other, kind))
    return case("not listed", reason, Const(field.name, other), violates="list")


def of_kind(field: Field, phrase: Phrase, kind: Type, case: MakeCase, subject: Subject) -> Iterator[Case]:
    """Values that are not in the list, or in the range, of a kind."""
    contract = subject.contracts.of(phrase)
    # A table may give the field a wider type than that of the kind.
    own = KINDS[phrase.head.name].type if isinstance(phrase.head, model.KindOf) else kind

    def widened(value: int) -> int:
        return int(cast(Column(own, np.array([value])), kind).values[0])

    if contract.values is not None and phrase.narrowed is None and contract.values:
        if own == TEXT:
            yield from not_listed(field, tuple(sorted(contract.values)), case)
        else:
            yield another_number(field, [widened(int(each)) for each in contract.values], kind, case)
    if contract.low is not None and contract.high is not None:
        for item, value, end in (
            ("below", widened(contract.low - 1), widened(contract.low)),
            ("above", widened(contract.high + 1), widened(contract.high)),
        ):
            reason = because("{value} is {side} {end}", value=shown(value, kind), side=item, end=shown(end, kind))
            yield case(item, reason, Const(field.name, value), violates="range")
