"""Faults that only occur while rows are made; they name field, row, and values."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

import numpy as np

from yurt.core.base import exact
from yurt.core.base.errors import YurtError
from yurt.core.base.json_object import JsonObject
from yurt.core.columns.column import Column, Places
from yurt.core.columns.scope import Scope
from yurt.core.source.diagnostics import NOWHERE, Diagnostic, Source, Span

# Faults that occur in several places, and how to avoid them.
OUT_OF_YEARS = "a date outside the years 1 to 9999; guard it: keep what is added small, as in clamp(n, 0, 100)"
OUT_OF_SPAN = "a duration of more than 292,000 years"

S = TypeVar("S", bound=Scope)
T = TypeVar("T")


class RowFault(Exception):
    """A fault in one row (counted from 0); the maker of the field adds the name of the field.

    `reason` is the message without values and advice, the same for all rows.
    """

    def __init__(self, message: str, row: int, rows: Any = None) -> None:
        super().__init__(message)
        self.reason = message.partition(";")[0]
        self.row = row
        # All rows with the fault.
        self.rows = np.array([row]) if rows is None else rows


class GenerationFault(YurtError):
    """A row that cannot be made; the message has the line of the schema, if that is given."""

    def __init__(
        self, record: str, field: str, fault: RowFault, source: Source | None = None, span: Span = NOWHERE
    ) -> None:  # fmt: skip
        message = f"{record}.{field}, row {fault.row + 1}: {fault}"
        super().__init__(message if source is None or span == NOWHERE else Diagnostic(message, span).render(source))
        self.rows = fault.rows


def refuse(rows: Any, wrong: Any, message: str, nulls: Any = None, values: JsonObject | None = None) -> None:
    """Raise a RowFault for the first row where `wrong` holds; missing values do not count.

    `values` are columns whose value in that row appears in the message, by their names.
    """
    wrong = np.broadcast_to(wrong if nulls is None else wrong & ~nulls, (len(rows),))
    if wrong.any():
        at = int(np.argmax(wrong))
        told = [f"{name} is {_told(column, at)}" for name, column in (values or {}).items()]
        raise RowFault("; ".join([message, *told]), int(rows[at]), np.asarray(rows)[wrong])


def where_possible(
    scope: S, places: Places, compute: Callable[[S], T], left_out: Callable[[Places, str], None] | None = None
) -> tuple[Places, T | None]:  # fmt: skip
    """Compute something for those rows of a scope for which that is possible, and return their places with it.

    It is None where no row is left. The others are given to `left_out`, with the reason. A fault that is in none of
    these rows is one of all.
    """
    while len(places):
        part: S = scope.select(places)
        try:
            return places, compute(part)
        except RowFault as fault:
            failed = np.isin(part.rows, fault.rows)
            failed |= not failed.any()
            if left_out is not None:
                left_out(places[failed], fault.reason)
            places = places[~failed]
    return places, None


def within(column: Column, rows: Any) -> Column:
    """Return a column whose numbers have at most 18 digits, as those of fields do. Raises RowFault for any other."""
    if column.type.name in ("integer", "decimal") and exact.largest(column.values) >= exact.FIELD:
        refuse(rows, np.abs(column.values) >= exact.FIELD, exact.TOO_LONG, column.nulls, {"it": column})
        return Column(column.type, exact.settled(np.where(_nulls(column), 0, column.values)), column.nulls)
    return column


def _nulls(column: Column) -> Any:
    return False if column.nulls is None else column.nulls


def _told(column: Any, at: int) -> str:
    """Return the value of a column in one row, in its written form."""
    one = column.take(np.array([at])) if not column.constant else column
    return str(one.text(1)[0].as_py())
