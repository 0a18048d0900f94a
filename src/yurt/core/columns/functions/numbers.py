"""Functions of numbers, and functions of values of any type."""

from __future__ import annotations

from collections.abc import Callable
from functools import reduce
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base import exact
from yurt.core.base.arrays import Values, arrow, flags, numbers, word
from yurt.core.base.types import INTEGER, NULL, REAL, TEXT, decimal, unify
from yurt.core.columns.column import Column, cast
from yurt.core.columns.faults import RowFault, refuse
from yurt.core.columns.functions.registry import function, nulls_of

# The number of marks between thousands that one number may have.
THOUSANDS = 5

if TYPE_CHECKING:
    from yurt.core.columns.scope import Scope


def _rounding(
    columns: list[Column], scope: Scope, of_reals: Callable[[Values], Values], of_exact: Callable[[Values, int], Values]
) -> Column:  # fmt: skip
    """Round to a number of places: floating-point numbers by scaling, exact ones by a factor."""
    number = columns[0]
    places = int(columns[1].values) if len(columns) > 1 else 0
    kind = decimal(places) if places else INTEGER
    if number.type == REAL:
        return Column(kind, _of_reals(of_reals(number.values * 10.0**places), number, scope), number.nulls)
    if number.type.places <= places:
        return Column(kind, cast(number, decimal(places)).values, number.nulls)
    return Column(kind, of_exact(number.values, 10 ** (number.type.places - places)), number.nulls)


def _of_reals(whole: Values, number: Column, scope: Scope) -> Values:
    """Return floating-point numbers without a fraction as exact ones."""
    refuse(scope.rows, np.abs(whole) >= exact.WIDEST, exact.TOO_WIDE, number.nulls)
    return exact.from_real(whole)


@function(
    "number integer", "rounded", "to that many places (0 to 12), halves away from zero", "round(2.345, 2)", least=1
)
def round_(columns: list[Column], scope: Scope) -> Column:
    """Halves are rounded away from zero, as in commerce."""
    return _rounding(columns, scope, lambda scaled: np.sign(scaled) * np.floor(np.abs(scaled) + 0.5), exact.rounded)


@function(
    "number literal", "rounded", "to that many places, halves to the even neighbour", "round_even(2.345, 2)", least=1
)
def round_even(columns: list[Column], scope: Scope) -> Column:
    """Halves are rounded to the even neighbour, so that they cancel out in a sum."""

    def to_even(values: Values, factor: int) -> Values:
        whole, rest = exact.divided(values, factor)
        return whole + ((rest > factor - rest) | ((rest == factor - rest) & (whole % 2 == 1)))

    return _rounding(columns, scope, np.rint, to_even)


@function(
    "text constant",
    "real",
    "the first decimal number in a text, with its decimal mark (by default a point); missing without one",
    'number("EUR 1.234,50", ",")',
    least=1,
)
def number(columns: list[Column], scope: Scope) -> Column:
    """Marks between thousands are read only if the decimal mark is given: then the other mark, spaces, and `'` are."""
    texts = Column(TEXT, columns[0].values).text(len(scope.rows))
    if len(columns) > 1:
        mark = columns[1].values.as_py()
        if mark not in (".", ","):
            raise RowFault(f"`{mark}` is not a decimal mark; write . or ,", 0)
        other = "," if mark == "." else "[.]"
        # A mark between thousands has a digit on its left and three on its right.
        for _ in range(THOUSANDS):
            pattern = rf"(\d)(?:{other}|['\s\x{{A0}}\x{{202F}}])(\d{{3}})(\D|$)"
            texts = pc.replace_substring_regex(texts, pattern=pattern, replacement=r"\1\2\3")
        texts = pc.replace_substring(texts, pattern=mark, replacement=".")
    found = pc.struct_field(pc.extract_regex(texts, pattern=r"(?P<found>-?\d{1,15}(?:\.\d{1,15})?)"), [0])
    without = ~flags(pc.is_valid(found))
    values = numbers(pc.cast(pc.if_else(arrow(without), word("0"), found), pa.float64()), np.float64)
    return Column(REAL, values, without if columns[0].nulls is None else without | columns[0].nulls)


def _whole(number: Column, scope: Scope, up: bool) -> Column:
    if number.type == REAL:
        return Column(INTEGER, _of_reals((np.ceil if up else np.floor)(number.values), number, scope), number.nulls)
    factor = 10**number.type.places
    values = exact.divided_up(number.values, factor) if up else exact.divided(number.values, factor)[0]
    return Column(INTEGER, values, number.nulls)


@function("number", "integer", "the whole number below or equal", "floor(2.7)")
def floor(columns: list[Column], scope: Scope) -> Column:
    return _whole(columns[0], scope, up=False)


@function("number", "integer", "the whole number above or equal", "ceil(2.1)")
def ceil(columns: list[Column], scope: Scope) -> Column:
    return _whole(columns[0], scope, up=True)


@function("number", "first", "without the sign", "abs(-3)")
def abs_(columns: list[Column], _scope: Scope) -> Column:
    return Column(columns[0].type, np.abs(columns[0].values), columns[0].nulls)


@function("number", "real", "as a floating-point number", "float(3)")
def float_(columns: list[Column], _scope: Scope) -> Column:
    return cast(columns[0], REAL)


def _together(columns: list[Column]) -> list[Column]:
    kind = NULL
    for each in columns:
        kind = unify(kind, each.type) or kind
    return [cast(each, kind) for each in columns]


@function("number number", "common", "the remainder of a division, with the sign of the divisor", "mod(17, 5)")
def mod(columns: list[Column], scope: Scope) -> Column:
    left, right = _together(columns)
    nulls, zero = nulls_of(columns), right.values == 0
    message = "the remainder of a division by zero; guard it: if x == 0 then … else …"
    refuse(scope.rows, zero, message, nulls, {"the dividend": left})
    rest = np.mod(left.values, np.where(zero, 1, right.values))
    return Column(left.type, exact.settled(rest) if exact.is_wide(rest) else rest, nulls)


def _extreme(columns: list[Column], scope: Scope, smallest: bool) -> Column:
    same = _together(columns)
    if same[0].type == TEXT:
        pick = pc.min_element_wise if smallest else pc.max_element_wise
        return Column(TEXT, pick(*(each.text(len(scope.rows)) for each in same)), nulls_of(columns))
    return Column(
        same[0].type, reduce(np.minimum if smallest else np.maximum, [each.values for each in same]), nulls_of(columns)
    )


@function("any any", "common", "the smallest of its arguments", "min(3, 1, 2)", most=20)
def min_(columns: list[Column], scope: Scope) -> Column:
    return _extreme(columns, scope, smallest=True)


@function("any any", "common", "the largest of its arguments", "max(3, 1, 2)", most=20)
def max_(columns: list[Column], scope: Scope) -> Column:
    return _extreme(columns, scope, smallest=False)


@function("any any any", "common", "the first, limited to the range from the second to the third", "clamp(12, 1, 6)")
def clamp(columns: list[Column], scope: Scope) -> Column:
    return min_([max_(columns[:2], scope), columns[2]], scope)


def _reals(columns: list[Column], scope: Scope, compute: Callable[..., Values]) -> Column:
    """Compute with floating-point numbers; an undefined result is refused with its row."""
    nulls = nulls_of(columns)
    with np.errstate(all="ignore"):
        values = compute(*(cast(each, REAL).values for each in columns))
    refuse(scope.rows, ~np.isfinite(values), "this has no value as a floating-point number", nulls)
    return Column(REAL, np.where(np.isfinite(values), values, 0.0), nulls)


@function("number", "real", "the square root", "sqrt(2)")
def sqrt(columns: list[Column], scope: Scope) -> Column:
    return _reals(columns, scope, np.sqrt)


@function("number", "real", "e to that power", "exp(1)")
def exp(columns: list[Column], scope: Scope) -> Column:
    return _reals(columns, scope, np.exp)


@function("number number", "real", "the natural logarithm, or that to another base", "log(8, 2)", least=1)
def log(columns: list[Column], scope: Scope) -> Column:
    return _reals(columns, scope, lambda x, base=np.e: np.log(x) / np.log(base))


@function("number number", "real", "the first to the power of the second", "power(2, 10)")
def power(columns: list[Column], scope: Scope) -> Column:
    return _reals(columns, scope, np.power)


@function(
    "any any", "common", "the first of its arguments that is not null", "coalesce(null, 3)", most=20, group="any value"
)
def coalesce(columns: list[Column], scope: Scope) -> Column:
    same = [each.spread(len(scope.rows)) for each in _together(columns)]
    found = same[0]
    for each in same[1:]:
        if found.nulls is None:
            break
        nulls = found.nulls & (False if each.nulls is None else each.nulls)
        if found.type == TEXT:
            texts = (Column(TEXT, column.values).text(len(scope.rows)) for column in (each, found))
            values = pc.if_else(arrow(found.nulls), *texts)
        else:
            values = np.where(found.nulls, each.values, found.values)
        found = Column(each.type, values, nulls if nulls.any() else None)
    return found
