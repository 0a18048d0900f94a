"""How the functions of expressions are computed, over whole columns. Their signatures are in `core/functions.py`."""

from __future__ import annotations

from collections.abc import Callable
from functools import reduce
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yurt.core.arrays import arrow, flags, numbers, strings
from yurt.core.engine.column import Column, Mask, cast
from yurt.core.engine.faults import refuse
from yurt.core.types import BOOLEAN, DATE, INTEGER, NULL, REAL, TEXT, decimal, unify

if TYPE_CHECKING:
    from yurt.core.engine.batch import Batch

DAY = 86_400_000_000
Kernel = Callable[[list[Column], "Batch"], Column]
KERNELS: dict[str, Kernel] = {}


def kernel(function: Kernel) -> Kernel:
    """Register a kernel under its name; an underscore at the end keeps Python's own names free."""
    KERNELS[function.__name__.rstrip("_")] = function
    return function


def _nulls(columns: list[Column]) -> Mask | None:
    masks = [each.nulls for each in columns if each.nulls is not None]
    return reduce(np.logical_or, masks) if masks else None


@kernel
def round_(columns: list[Column], batch: Batch) -> Column:
    """Halves go away from zero, as in commerce."""
    number = columns[0]
    places = int(columns[1].values) if len(columns) > 1 else 0
    kind = decimal(places) if places else INTEGER
    if number.type == REAL:
        scaled = np.abs(number.values) * 10.0**places
        refuse(batch.rows, scaled > 9e18, "a number of more than 18 digits", number.nulls)
        return Column(kind, (np.sign(number.values) * np.floor(scaled + 0.5)).astype(np.int64), number.nulls)
    if number.type.places <= places:
        return Column(kind, cast(number, decimal(places)).values, number.nulls)
    factor = 10 ** (number.type.places - places)
    rounded = (np.abs(number.values) + factor // 2) // factor
    return Column(kind, np.sign(number.values) * rounded, number.nulls)


def _whole(number: Column, up: bool) -> Column:
    if number.type == REAL:
        return Column(INTEGER, (np.ceil if up else np.floor)(number.values).astype(np.int64), number.nulls)
    factor = 10**number.type.places
    values = -(-number.values // factor) if up else number.values // factor
    return Column(INTEGER, values, number.nulls)


@kernel
def floor(columns: list[Column], _batch: Batch) -> Column:
    return _whole(columns[0], up=False)


@kernel
def ceil(columns: list[Column], _batch: Batch) -> Column:
    return _whole(columns[0], up=True)


@kernel
def abs_(columns: list[Column], _batch: Batch) -> Column:
    return Column(columns[0].type, np.abs(columns[0].values), columns[0].nulls)


@kernel
def real(columns: list[Column], _batch: Batch) -> Column:
    return cast(columns[0], REAL)


def _together(columns: list[Column]) -> list[Column]:
    kind = NULL
    for each in columns:
        kind = unify(kind, each.type) or kind
    return [cast(each, kind) for each in columns]


@kernel
def mod(columns: list[Column], batch: Batch) -> Column:
    left, right = _together(columns)
    nulls, zero = _nulls(columns), right.values == 0
    refuse(batch.rows, zero, "the remainder of a division by zero; guard it: if x == 0 then … else …", nulls)
    return Column(left.type, np.mod(left.values, np.where(zero, 1, right.values)), nulls)


def _extreme(columns: list[Column], batch: Batch, smallest: bool) -> Column:
    same = _together(columns)
    if same[0].type == TEXT:
        pick = pc.min_element_wise if smallest else pc.max_element_wise
        return Column(TEXT, pick(*(each.text(len(batch.rows)) for each in same)), _nulls(columns))
    return Column(
        same[0].type, reduce(np.minimum if smallest else np.maximum, [each.values for each in same]), _nulls(columns)
    )


@kernel
def min_(columns: list[Column], batch: Batch) -> Column:
    return _extreme(columns, batch, smallest=True)


@kernel
def max_(columns: list[Column], batch: Batch) -> Column:
    return _extreme(columns, batch, smallest=False)


@kernel
def coalesce(columns: list[Column], batch: Batch) -> Column:
    same = [each.spread(len(batch.rows)) for each in _together(columns)]
    found = same[0]
    for each in same[1:]:
        if found.nulls is None:
            break
        nulls = found.nulls & (False if each.nulls is None else each.nulls)
        if found.type == TEXT:
            texts = (Column(TEXT, column.values).text(len(batch.rows)) for column in (each, found))
            values = pc.if_else(arrow(found.nulls), *texts)
        else:
            values = np.where(found.nulls, each.values, found.values)
        found = Column(each.type, values, nulls if nulls.any() else None)
    return found


# ---- durations and dates -----------------------------------------------------------------------------------------


def _microseconds(column: Column) -> Any:
    return column.values * DAY if column.type.name == "days" else column.values


@kernel
def days(columns: list[Column], _batch: Batch) -> Column:
    values = columns[0].values if columns[0].type.name == "days" else columns[0].values // DAY
    return Column(INTEGER, values, columns[0].nulls)


@kernel
def hours(columns: list[Column], _batch: Batch) -> Column:
    return Column(INTEGER, _microseconds(columns[0]) // 3_600_000_000, columns[0].nulls)


@kernel
def minutes(columns: list[Column], _batch: Batch) -> Column:
    return Column(INTEGER, _microseconds(columns[0]) // 60_000_000, columns[0].nulls)


def _day_number(column: Column) -> Any:
    return column.values // DAY if column.type.name == "datetime" else column.values


def _calendar(column: Column) -> tuple[Any, Any, Any]:
    """Return year, month and day of the month."""
    moments = np.asarray(_day_number(column)).astype("datetime64[D]")
    month_start = moments.astype("datetime64[M]")
    months = month_start.astype(np.int64)
    return 1970 + months // 12, months % 12 + 1, (moments - month_start.astype("datetime64[D]")).astype(np.int64) + 1


@kernel
def date_(columns: list[Column], _batch: Batch) -> Column:
    return Column(DATE, _day_number(columns[0]), columns[0].nulls)


@kernel
def year(columns: list[Column], _batch: Batch) -> Column:
    return Column(INTEGER, _calendar(columns[0])[0], columns[0].nulls)


@kernel
def month(columns: list[Column], _batch: Batch) -> Column:
    return Column(INTEGER, _calendar(columns[0])[1], columns[0].nulls)


@kernel
def day(columns: list[Column], _batch: Batch) -> Column:
    return Column(INTEGER, _calendar(columns[0])[2], columns[0].nulls)


@kernel
def weekday(columns: list[Column], _batch: Batch) -> Column:
    """1970-01-01 was a Thursday."""
    return Column(INTEGER, (_day_number(columns[0]) + 3) % 7 + 1, columns[0].nulls)


@kernel
def age(columns: list[Column], batch: Batch) -> Column:
    born, until = columns[0], columns[1] if len(columns) > 1 else batch.named("today")
    (year_1, month_1, day_1), (year_2, month_2, day_2) = _calendar(born), _calendar(until)
    before = (month_2 < month_1) | ((month_2 == month_1) & (day_2 < day_1))
    return Column(INTEGER, year_2 - year_1 - before, _nulls([born, until]))


# ---- texts -------------------------------------------------------------------------------------------------------


def _texts(column: Column, batch: Batch) -> pa.Array:
    return Column(column.type, column.values).text(len(batch.rows))


def _mapped(column: Column, batch: Batch, change: Callable[[pa.Array], pa.Array]) -> Column:
    """Change texts; those out of a list are changed once a word, not once a row."""
    if isinstance(column.values, pa.DictionaryArray):
        words = change(column.values.dictionary)
        return Column(TEXT, pa.DictionaryArray.from_arrays(column.values.indices, words), column.nulls)
    return Column(TEXT, change(_texts(column, batch)), column.nulls)


@kernel
def upper(columns: list[Column], batch: Batch) -> Column:
    return _mapped(columns[0], batch, pc.utf8_upper)


@kernel
def lower(columns: list[Column], batch: Batch) -> Column:
    return _mapped(columns[0], batch, pc.utf8_lower)


@kernel
def trim(columns: list[Column], batch: Batch) -> Column:
    return _mapped(columns[0], batch, pc.utf8_trim_whitespace)


@kernel
def length(columns: list[Column], batch: Batch) -> Column:
    return Column(
        INTEGER, numbers(pc.utf8_length(_texts(columns[0], batch)), np.int32).astype(np.int64), columns[0].nulls
    )


def _cut(columns: list[Column], batch: Batch, from_end: bool) -> Column:
    """Cut to a number of characters, which may differ from row to row: one cut for each different number."""
    nulls = _nulls(columns)
    texts = _texts(columns[0], batch)
    sizes = np.maximum(np.broadcast_to(columns[1].values, (len(batch.rows),)), 0)
    found = texts
    for size in np.unique(sizes):
        if from_end:
            part = pc.utf8_slice_codeunits(texts, start=-int(size)) if size else strings([""] * len(texts))
        else:
            part = pc.utf8_slice_codeunits(texts, start=0, stop=int(size))
        found = pc.if_else(arrow(sizes == size), part, found)
    return Column(TEXT, found, nulls)


@kernel
def left(columns: list[Column], batch: Batch) -> Column:
    return _cut(columns, batch, from_end=False)


@kernel
def right(columns: list[Column], batch: Batch) -> Column:
    return _cut(columns, batch, from_end=True)


@kernel
def replace(columns: list[Column], batch: Batch) -> Column:
    old, new = (each.values.as_py() for each in columns[1:])
    if not old:
        return columns[0]
    return _mapped(columns[0], batch, lambda words: pc.replace_substring(words, pattern=old, replacement=new))


@kernel
def contains(columns: list[Column], batch: Batch) -> Column:
    found = pc.match_substring(_texts(columns[0], batch), columns[1].values.as_py())
    return Column(BOOLEAN, flags(found), columns[0].nulls)


@kernel
def text(columns: list[Column], batch: Batch) -> Column:
    return Column(TEXT, _texts(columns[0], batch), columns[0].nulls)
