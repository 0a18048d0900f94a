"""A column: values of one type for the rows of a batch.

Numbers, dates, and Booleans are NumPy arrays: int64 (decimals scaled by their places, dates in days and date-times in
microseconds since 1970; Python's integers where a number is too large, see `exact`), float64 for real numbers, bool.
Texts are Arrow arrays, dictionary-encoded if they come from lists. A constant has values of shape () (a text is an
Arrow scalar) and fits any number of rows.
"""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base import exact
from yurt.core.base.arrays import Numbers, Values, arrow, nothing, strings, word
from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import NULL, REAL, TEXT, Type, unify
from yurt.core.model.expressions import Duration, literal_type
from yurt.core.text import forms, lexical

Mask = NDArray[np.bool_]
Places = NDArray[np.int64]
EPOCH = datetime(1970, 1, 1)
DAY = 86_400_000_000


@dataclass(frozen=True)
class Column:
    """Values, and which of them are missing (`nulls`; None if none is)."""

    type: Type
    values: Values
    nulls: Mask | None = None

    def __init__(self, type: Type, values: Values, nulls: Mask | None = None) -> None:  # noqa: A002 - it is the field
        # Every step of a small batch makes columns.
        own = self.__dict__
        own["type"], own["values"], own["nulls"] = type, values, nulls

    @property
    def constant(self) -> bool:
        # NumPy returns a bare number instead of an array of shape () for operations on such arrays.
        return isinstance(self.values, pa.Scalar) or getattr(self.values, "ndim", None) == 0

    def spread(self, rows: int) -> Column:
        """Return the column with one value per row, even if it is a constant."""
        nulls = None if self.nulls is None else np.broadcast_to(self.nulls, (rows,))
        if not self.constant:
            return self if nulls is self.nulls else Column(self.type, self.values, nulls)
        if isinstance(self.values, pa.Scalar):
            codes = arrow(np.zeros(rows, dtype=np.int32))
            return Column(self.type, pa.DictionaryArray.from_arrays(codes, strings([self.values.as_py()])), nulls)
        return Column(self.type, np.broadcast_to(self.values, (rows,)), nulls)

    def take(self, places: Places) -> Column:
        """Return the values at these positions."""
        nulls = None if self.nulls is None or self.nulls.ndim == 0 else self.nulls[places]
        nulls = self.nulls if self.nulls is not None and self.nulls.ndim == 0 else nulls
        if self.constant:
            return Column(self.type, self.values, nulls)
        values = self.values[places] if isinstance(self.values, np.ndarray) else pc.take(self.values, arrow(places))
        return Column(self.type, values, nulls)

    def with_nulls(self, more: Mask) -> Column:
        """Return the column with more values missing."""
        return Column(self.type, self.values, more if self.nulls is None else self.nulls | more)

    def true(self) -> Mask:
        """Return where a Boolean is true and not missing."""
        found: Mask = self.values if self.nulls is None else self.values & ~self.nulls
        return found

    def arrow(self, rows: int) -> pa.Array:
        """Return the column as an Arrow array of the format-independent type for its values."""
        column = self.spread(rows)
        mask = column.nulls
        if column.type == NULL:
            return pa.nulls(rows, pa.string())
        if column.type == TEXT or column.type.name == "list":
            if mask is None or not mask.any():
                return column.values
            return pc.if_else(arrow(mask), nothing(column.values.type), column.values)
        values = np.ascontiguousarray(column.values)
        if exact.is_wide(values):
            return lexical.wide_array(values, column.type.places, mask)
        if column.type.name == "decimal":
            return lexical.decimal_array(values, column.type.places, mask)
        if column.type.name == "date":
            return arrow(values.astype(np.int32), mask, pa.date32())
        if column.type.name == "datetime":
            return arrow(values, mask, pa.timestamp("us"))
        if column.type.name == "time":
            return arrow(values, mask, pa.time64("us"))
        if column.type.name in ("days", "duration"):
            return arrow(values * 86_400_000_000 if column.type.name == "days" else values, mask, pa.duration("us"))
        return arrow(values, mask)

    def text(self, rows: int) -> pa.Array:
        """Return the values in their standard textual form, as an Arrow string array."""
        if exact.is_wide(self.values):
            column = self.spread(rows)
            return lexical.wide_text(column.values, column.type.places, column.nulls)
        return forms.text_of(self.arrow(rows))


def constant(value: Any) -> Column:
    """Return the column of one value, as Python or the language has it."""
    found = literal_type(value)
    if value is None:
        return Column(NULL, np.array(0), np.array(True))
    if isinstance(value, str):
        return Column(found, word(value))
    return Column(found, np.array(units(value)))


def units(value: bool | int | Decimal | date | time | Duration | str) -> bool | int:
    """Return the number that represents a value in a column of its type."""
    if isinstance(value, bool | int):
        return value
    if isinstance(value, Decimal):
        return int(value.scaleb(max(0, -int(value.as_tuple().exponent))))
    if isinstance(value, datetime):
        return (value - EPOCH) // timedelta(microseconds=1)
    if isinstance(value, date):
        return value.toordinal() - EPOCH.toordinal()
    if isinstance(value, time):
        return ((value.hour * 60 + value.minute) * 60 + value.second) * 1_000_000 + value.microsecond
    assert isinstance(value, Duration)
    return value.months or (value.microseconds // 86_400_000_000 if value.in_days else value.microseconds)


def coded(codes: Numbers, words: pa.Array) -> Column:
    """Return a text column that picks from a list of words."""
    return Column(TEXT, pa.DictionaryArray.from_arrays(arrow(codes.astype(np.int32, copy=False)), words))


def merge(parts: list[tuple[Places, Column]], rows: int, kind: Type) -> Column:
    """Merge columns for disjoint positions into one; positions in no part are missing."""
    # An Arrow list array knows the type of its values even without rows, so parts without rows may decide.
    listed = next((column.values.type for _, column in parts if column.type.name == "list"), pa.list_(pa.null()))
    parts = [
        (places, column.spread(len(places)))
        for places, column in parts
        if len(places) and not (kind.name == "list" and column.type == NULL)
    ]
    if len(parts) == 1 and len(parts[0][0]) == rows:
        return cast(parts[0][1], kind)
    nulls = np.ones(rows, dtype=np.bool_)
    for places, column in parts:
        nulls[places] = False if column.nulls is None else column.nulls
    missing = nulls if nulls.any() else None
    if kind == TEXT or kind.name == "list":
        order = np.zeros(rows, dtype=np.int64)
        before = 0
        for places, _ in parts:
            order[places] = np.arange(before, before + len(places))
            before += len(places)
        if not parts:
            empty = strings([""] * rows) if kind == TEXT else pa.nulls(rows, listed)
            return Column(kind, empty, missing)
        arrays = [column.text(len(at)) if kind == TEXT else column.values for at, column in parts]
        return Column(kind, pc.take(pa.concat_arrays(arrays), arrow(order)), missing)
    names: dict[str, type] = {"real": np.float64, "boolean": np.bool_}
    found = [(places, cast(column, kind).values) for places, column in parts]
    wide = any(exact.is_wide(each) for _, each in found)
    values: Numbers = np.zeros(rows, dtype=object if wide else names.get(kind.name, np.int64))
    for places, each in found:
        values[places] = each
    return Column(kind, values, missing)


def cast(column: Column, kind: Type) -> Column:
    """Return the column in a type that holds all its values: more places, a real number, a date-time instead of a
    date.
    """
    if column.type == NULL and kind == TEXT:
        empty = word("") if column.constant else pa.nulls(len(column.values), pa.string())
        return Column(kind, empty, column.nulls)
    if column.type == kind or column.type == NULL:
        return Column(kind, column.values, column.nulls)
    values = column.values
    if kind.name == "real":
        return Column(kind, exact.as_real(values, column.type.places), column.nulls)
    if kind.name in ("decimal", "integer") and column.type.name in ("decimal", "integer"):
        return Column(kind, exact.scaled(values, 10 ** (kind.places - column.type.places)), column.nulls)
    if kind.name in ("datetime", "duration"):
        return Column(kind, exact.scaled(values, DAY), column.nulls)
    return column


def compared(left: Column, right: Column) -> tuple[Values, Values]:
    """Return numbers in the same order as the values of two columns of one family: exact, unless one is real."""
    if left.type.numeric and right.type.numeric and REAL not in (left.type, right.type):
        places = right.type.places - left.type.places
        if places < 0:
            more, less = exact.comparable(right.values, left.values, 10**-places)
            return less, more
        return exact.comparable(left.values, right.values, 10**places)
    together = unify(left.type, right.type) or left.type
    return cast(left, together).values, cast(right, together).values
