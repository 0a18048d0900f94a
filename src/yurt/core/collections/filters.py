"""Filters by field, as they stand behind a question mark: `party=3..5`, `status=booked`, `family=Gas*`."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import datetime

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, word
from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import UsageFault
from yurt.core.base.types import BOOLEAN, TEXT, Type
from yurt.core.columns.column import Column
from yurt.core.formats.common.raw import Cell, of_values
from yurt.core.given.clock import on_clock
from yurt.core.given.values import Unfit, column_of
from yurt.core.model import DateTime, Field, ListOf, Nested
from yurt.core.verify.typed import typed

NUMBER = re.compile(r"-?\d{1,18}(\.\d{1,12})?")
OFFSET = re.compile(r"(T[\d:.]+) (\d\d:\d\d)$")


@dataclass(frozen=True)
class Filter:
    """The texts that were told for a field; a record matches if it matches one of them.

    An `exact` one means the value itself: in `Gas*` the asterisk stands for itself, and an empty text is a value.
    """

    field: str
    told: tuple[str, ...]
    exact: bool = False


def matching(field: Field, kind: Type, told: tuple[str, ...]) -> Callable[[pa.ChunkedArray], pa.ChunkedArray]:
    """Return a function that says which values of a column match. Raises UsageFault for what is no value.

    The column of a list has lists of texts; it matches if one of its values does.
    """
    if isinstance(field.head, Nested) or (isinstance(field.head, ListOf) and field.head.of_records):
        raise UsageFault(f"`{field.name}` has records inside; filter by a field with a value")
    if kind.name == "list":
        tests = [of_list(_test(field.name, TEXT, each), each) for each in told]
    else:
        clocked = [_on_clock(field, each) for each in told] if isinstance(field.head, DateTime) else told
        tests = [_test(field.name, kind, each) for each in clocked]

    def matches(column: pa.ChunkedArray) -> pa.ChunkedArray:
        found = tests[0](column)
        for test in tests[1:]:
            found = pc.or_(found, test(column))
        return found

    return matches


def containing(told: str) -> Callable[[pa.ChunkedArray], pa.ChunkedArray]:
    """Return a function that says which texts of a column contain a text, in any case of its letters."""
    return lambda column: _known(pc.match_substring(column, told, ignore_case=True))


def equal(value: pa.Scalar) -> Callable[[pa.ChunkedArray], pa.ChunkedArray]:
    """Return a function that says which values of a column are the same as a value."""
    return lambda column: _known(pc.equal(column, value))


def of_list(
    test: Callable[[pa.ChunkedArray], pa.ChunkedArray], told: str
) -> Callable[[pa.ChunkedArray], pa.ChunkedArray]:  # fmt: skip
    """Return a function that says which lists have a value that matches; the empty text means no list."""
    if told == "":
        return test

    def matches(column: pa.ChunkedArray) -> pa.ChunkedArray:
        parts = []
        for each in column.chunks:
            found = np.zeros(len(each), dtype=np.bool_)
            found[pc.filter(pc.list_parent_indices(each), test(pc.list_flatten(each))).to_numpy()] = True
            parts.append(arrow(found))
        return pa.chunked_array(parts, pa.bool_())

    return matches


def _on_clock(field: Field, told: str) -> str:
    """Return a date-time with an offset, or the ends of a range, on the clock of the field's zone."""
    ends = []
    for each in told.split(".."):
        # A plus sign that nobody has escaped arrives as a space.
        whole = OFFSET.sub(r"\1+\2", each)
        found = on_clock(field, whole)
        ends.append(found.isoformat() if isinstance(found, datetime) else each)
    return "..".join(ends)


def _test(name: str, kind: Type, told: str) -> Callable[[pa.ChunkedArray], pa.ChunkedArray]:
    if told == "":
        return lambda column: pc.is_null(column)
    low, dots, high = told.partition("..")
    if dots and kind != TEXT and kind != BOOLEAN:
        ends = [(pc.greater_equal, low), (pc.less_equal, high)]
        tests = [(compare, _scalar(name, kind, end)) for compare, end in ends if end]
        if not tests:
            raise UsageFault(f"`{name}={told}` has no end; write {name}=1..5, {name}=1.., or {name}=..5")

        def within(column: pa.ChunkedArray) -> pa.ChunkedArray:
            found = [compare(column, end) for compare, end in tests]
            return _known(found[0] if len(found) == 1 else pc.and_(*found))

        return within
    if kind == TEXT and "*" in told:
        pattern = ".*".join(re.escape(part) for part in told.split("*"))
        return lambda column: _known(pc.match_substring_regex(column, f"(?s)^{pattern}$"))
    return equal(_scalar(name, kind, told))


def _known(found: pa.ChunkedArray) -> pa.ChunkedArray:
    """A missing value matches nothing but an empty filter."""
    return pc.fill_null(found, pa.scalar(False))


def _scalar(name: str, kind: Type, told: str) -> pa.Scalar:
    """Return a value of a filter in the type of its column."""
    if kind == TEXT:
        return word(told)
    try:
        if kind == BOOLEAN:
            if told not in ("true", "false"):
                raise Unfit("true or false")
            return pa.scalar(told == "true")
        return _column(kind, told).arrow(1)[0]
    except Unfit as fault:
        raise UsageFault(f"`{name}={told}`: expected {fault.expected}") from None


def _column(kind: Type, told: str) -> Column:
    if kind.name in ("days", "duration"):
        found = typed(of_values([Cell(told)]), kind)
        if found.wrong[0]:
            raise Unfit("a duration as in ISO 8601, such as PT3H30M")
        return found.column
    if not kind.numeric:
        return column_of(told, kind)
    from decimal import Decimal

    if not NUMBER.fullmatch(told):
        raise Unfit("a number")
    value = Decimal(told)
    if kind.name == "integer" and value != value.to_integral_value():
        raise Unfit("a whole number")
    return column_of(int(value) if kind.name == "integer" else value, kind)
