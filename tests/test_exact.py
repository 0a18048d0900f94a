"""Expressions over numbers of any size are exact: every operator and function, for the ends of every type, against
Python's fractions."""

from __future__ import annotations

import math
import operator
from collections.abc import Callable
from datetime import date
from decimal import Context, Decimal
from fractions import Fraction
from typing import Any

import numpy as np
import pytest

from yurt.core.base import exact
from yurt.core.base.types import BOOLEAN, INTEGER, REAL, Type, decimal
from yurt.core.columns.column import Column
from yurt.core.columns.evaluate import evaluate
from yurt.core.language.reader import read
from yurt.core.model.expressions import Expression
from yurt.core.source.diagnostics import Source
from yurt.core.verify.frame import Frame

from .conftest import schema_of

LARGEST = 10**18 - 1
TYPES = [INTEGER, *map(decimal, (1, 2, 6, 9, 12))]
# The ends of what a field may hold, their neighbours, and numbers whose products and sums need 63 bits or one more.
UNITS = [
    0,
    1,
    2,
    3,
    5,
    7,
    10**6,
    10**9,
    3_037_000_499,
    3_037_000_500,
    10**12 + 1,
    2**53,
    2**53 + 1,
    LARGEST - 1,
    LARGEST,
]
ENDS = sorted({sign * each for each in UNITS for sign in (1, -1)})
CODE: dict[str, Callable[[Any, Any], Any]] = {
    "a + b": operator.add, "a - b": operator.sub, "a * b": operator.mul, "a == b": operator.eq, "a != b": operator.ne,
    "a < b": operator.lt, "a <= b": operator.le, "a > b": operator.gt, "a >= b": operator.ge, "min(a, b)": min,
    "max(a, b)": max, "-a": lambda a, b: -a, "abs(a)": lambda a, b: abs(a), "a in [b, 1]": lambda a, b: a in (b, 1),
    "floor(a * b)": lambda a, b: math.floor(a * b), "ceil(a * b)": lambda a, b: math.ceil(a * b),
    "round(a * b, 2)": lambda a, b: rounded(a * b, 2), "round(a, 1)": lambda a, b: rounded(a, 1),
    "round_even(a * b, 1)": lambda a, b: Fraction(round(a * b * 10), 10), "clamp(a, b, 7)": lambda a, b: min(max(a, b), 7),
    "a + b > a * b": lambda a, b: a + b > a * b, "a * b - b * a": lambda a, b: Fraction(0),
    "if a > b then a * b else 0.5": lambda a, b: a * b if a > b else Fraction(1, 2), "a * a * b == b * a * a": lambda a, b: True,
    "coalesce(null, a * b)": operator.mul,
}  # fmt: skip


def rounded(value: Fraction, places: int) -> Fraction:
    size = math.floor(abs(value) * 10**places + Fraction(1, 2))
    return Fraction(size if value >= 0 else -size, 10**places)


def expression_of(text: str, types: dict[str, Type]) -> Expression:
    lines = [
        f"{name}: {'integer 0..9' if kind == INTEGER else f'decimal 0..9 places {kind.places}'}"
        for name, kind in types.items()
    ]
    found, _ = read(Source("s.yaml", schema_of("\n".join([*lines, f"it: = {text}"]))))
    return found.records["row"].by_name["it"].head.expression  # type: ignore[union-attr]


def over(columns: dict[str, Column], rows: int) -> Frame:
    frame = Frame(np.arange(rows, dtype=np.uint64), {}, {}, date(2026, 6, 1))
    frame.fields |= columns
    return frame


def values_of(column: Column, rows: int) -> list[Any]:
    """Read a result by its Arrow form, so that what is written is what is judged."""
    column = column.spread(rows)
    if column.type == BOOLEAN:
        return [bool(each) for each in column.values]
    if column.type == REAL:
        return [float(each) for each in column.values]
    return [Fraction(each) for each in column.text(rows).to_pylist()]


@pytest.mark.parametrize("text", CODE)
def test_every_operation_is_exact_or_refused(text: str) -> None:
    for one in TYPES:
        for other in TYPES:
            expression = expression_of(text, {"a": one, "b": other})
            left, right = (
                np.array(each, dtype=np.int64) for each in zip(*((a, b) for a in ENDS for b in ENDS), strict=True)
            )
            frame = over({"a": Column(one, left), "b": Column(other, right)}, len(left))
            places, (column,) = frame.computed(
                np.arange(len(left)), lambda part, it=expression: [evaluate(it, part)], "it"
            )
            found = dict(zip(places.tolist(), values_of(column, len(places)), strict=True))
            for at, (a, b) in enumerate(zip(left.tolist(), right.tolist(), strict=True)):
                x, y = Fraction(a, 10**one.places), Fraction(b, 10**other.places)
                wanted = CODE[text](x, y)
                if at in found:
                    assert found[at] == wanted, (text, one.places, other.places, x, y)
                else:
                    # Only numbers that need more than 38 digits are left out, and counted.
                    assert any(abs(a * b) * abs(c) >= 10**38 for c in (a, b)), (text, x, y)
                    assert frame.undone["it", "a number of more than 38 digits"][at]


@pytest.mark.parametrize("kind", TYPES, ids=str)
def test_conversions_to_floating_point_round_once(kind: Type) -> None:
    column = Column(kind, np.array(ENDS, dtype=np.int64))
    found = evaluate(expression_of("float(a)", {"a": kind}), over({"a": column}, len(ENDS)))
    assert values_of(found, len(ENDS)) == [each / 10**kind.places for each in ENDS]


@pytest.mark.parametrize(
    "values", [[], [0.0, -3.0], [2.0**63, 1.0], [-(2.0**63), 5.0], [1e30, -1e37], [1e38, -1e300, 7.0]]
)
def test_whole_numbers_of_floating_point_are_exact(values: list[float]) -> None:
    found = exact.from_real(np.array(values))
    assert [int(each) for each in found.tolist()] == [int(each) if abs(each) < 1e38 else 0 for each in values]


@pytest.mark.parametrize("places", [0, 2, 9, 24])
def test_wide_numbers_become_arrow_decimals_and_texts(places: int) -> None:
    units = [0, -1, 10**18, -(10**20) - 7, 10**38 - 1, 1 - 10**38, 2**64, -(2**64)]
    column = Column(decimal(places), np.array(units, dtype=object))
    wanted = [Decimal(each).scaleb(-places, Context(prec=60)) for each in units]
    assert column.arrow(len(units)).to_pylist() == wanted
    assert column.text(len(units)).to_pylist() == [f"{each:f}" for each in wanted]


# What is left out of a judgement is counted with its reason, and is not called valid.
COUNTED = {
    "a division by zero": ("a: integer 0..9\nb: = 1 / a", "a,b\n0,7\n1,1.0\n", "row.b, in 1 row: division by zero"),
    "a remainder": ("a: integer 0..9\nb: = mod(7, a)", "a,b\n0,7\n0,1\n2,1\n", "row.b, in 2 rows: the remainder of a division by zero"),
    "the end of a range": ("a: integer 0..9\nb: integer 0..floor(9 / a)", "a,b\n0,7\n1,1\n", "row.b, in 1 row: division by zero"),
    "a condition": ("a: integer 0..9\nb: integer 0..9, present if 1 / a > 0", "a,b\n0,7\n1,1\n", "row: 1 / a > 0, in 1 row: division by zero"),
    "more than 38 digits": (f"a: integer 0..{LARGEST}\nb: = a * a * a > 1", f"a,b\n{LARGEST},true\n2,true\n",
        "row.b, in 1 row: a number of more than 38 digits"),
    "inside a list": ("a: list 1..3 of integer 0..9\nb: = 1 / size(a) > 0", 'a,b\n"[0]",true\n', ""),
}  # fmt: skip


@pytest.mark.parametrize("name", COUNTED)
def test_what_cannot_be_computed_is_counted(name: str, yurt: Any, tmp_path: Any) -> None:
    lines, data, told = COUNTED[name]
    (tmp_path / "s.yaml").write_text(schema_of(lines))
    (tmp_path / "row.csv").write_text(data)
    said = yurt("verify", "s.yaml", "row.csv").stdout.decode()
    assert (f"not checked: {told}" in said) if told else ("not checked" not in said)
    assert ("all valid" in said) == (not told)


FALSE_GREENS = {
    "a scaled comparison": (f"a: integer 0..{LARGEST}\nlimit: decimal 0.00..100.00", "- a <= limit", "a,limit\n950000000000000000,5.00\n"),
    "twelve places": ("a: integer 0..99999999\nb: decimal 0.000000000000..1.000000000000", "- a <= b", "a,b\n9300000,1.000000000000\n"),
    "a literal": (f"a: integer 0..{LARGEST}\nb: integer 0..9", "- a < 10.55", f"a,b\n{LARGEST},1\n"),
    "a product": ("a: integer 0..99999999999\nb: integer 0..99999999999", "- a * b < 100", "a,b\n99999999999,99999999999\n"),
    "a derived product": ("a: integer 0..99999999999\nb: integer 0..9\nd: = a * a", "- b >= 0", "a,b,d\n99999999999,1,5\n"),
    "a place too many": ("a: decimal 0.00..1000.00\nb: = round(a * 0.2, 2)", "- a >= 0", "a,b\n2.00,0.404\n"),
    "a place too many, far behind": ("a: decimal 0.00..1000.00\nb: integer 0..9", "- a >= 0", f"a,b\n0.40{'0' * 40}1,1\n"),
    "a listed number": ("a: one of 1.50 | 2.00\nb: integer 0..9", "- a >= 0", "a,b\n1.504,1\n"),
    "a number of 19 digits": ("a: integer 0..\nb: integer 0..9", "- a >= 0", f"a,b\n{10**18},1\n"),
    "below the minimum by a cut place": ("a: decimal 0.00..1.00\nb: integer 0..9", "- b >= 0", "a,b\n-0.004,1\n"),
    "a running total": (f"a: integer 0..{LARGEST}\nb: integer 0..9", "- row == row and a > row * 900000000000000000", f"a,b\n{LARGEST},1\n{LARGEST},1\n"),
}  # fmt: skip


@pytest.mark.parametrize("name", FALSE_GREENS)
def test_a_fault_beside_large_numbers_is_seen(name: str, yurt: Any, tmp_path: Any) -> None:
    lines, rule, data = FALSE_GREENS[name]
    (tmp_path / "s.yaml").write_text(schema_of(lines, tail=f"    always:\n      {rule}\n"))
    (tmp_path / "row.csv").write_text(data)
    yurt("verify", "s.yaml", "row.csv", code=1)


# A run whose expression cannot be computed ends with one message, which has the place.
REFUSED = {
    f"a: integer {LARGEST}..{LARGEST}\nd: = a * a": "row.d, row 1: a number of more than 18 digits",
    f"a: integer {LARGEST}..{LARGEST}\nd: = a * a * a > 1": "row.d, row 1: a number of more than 38 digits",
    f"a: integer {LARGEST}..{LARGEST}\nd: = 2026-06-15T00:00 + a * 1d": "row.d, row 1: a date outside the years 1 to 9999",
    f"a: integer {10**17}..{10**17}\nd: = a * a * 10000 > 1": "row.d, row 1: a number of more than 38 digits",
    "a: integer 0..0\nd: = floor(exp(a + 300))": "row.d, row 1: a number of more than 38 digits",
    "a: integer 0..0\nd: = floor(exp(a + 50))": "row.d, row 1: a number of more than 18 digits",
    "a: integer 0..0\nd: integer 5..1 / a": "row.d, row 1: division by zero",
    f"a: integer {10**9}..{10**9}\nd: = a * a": "row.d, row 1: a number of more than 18 digits",
    "a: sequence from -1\nd: = (a + 9) / a": "the dividend is 9",
    f'a: one of {"a" * 900}\nd: = replace(replace(a, "a", "{"b" * 900}"), "b", "{"c" * 90}")':
        "row.d, row 1: a text of more than 16 MB",
    f"a: integer {LARGEST}..{LARGEST}\nd: integer a * a..": "row.d, row 1: its range is empty",
}  # fmt: skip


@pytest.mark.parametrize("lines", REFUSED)
@pytest.mark.parametrize("command", ["generate", "cases", "check"])
def test_a_run_that_cannot_be_computed_names_the_place(lines: str, command: str, yurt: Any, tmp_path: Any) -> None:
    (tmp_path / "s.yaml").write_text(schema_of(lines))
    done = yurt(command, "s.yaml", code=1 if command == "generate" else None)
    if command == "generate":
        told = done.stderr.decode()
        assert REFUSED[lines] in told
        # The place in the schema, and the line with a mark.
        assert told.startswith("yurt: s.yaml:")
        assert "^" in told


@pytest.mark.parametrize(
    ("lines", "tail"),
    [
        ("a: integer 0..99999999\nrate: decimal 0.000000000000..1.000000000000", "    always:\n      - a >= rate\n"),
        (f"a: integer 0..{LARGEST}\nb: integer 0..9", "    always:\n      - a > 10.55\n"),
        ("income: integer 0..\ncut: decimal 0.00..income", ""),
    ],
)
def test_every_command_compares_large_numbers(lines: str, tail: str, yurt: Any, tmp_path: Any) -> None:
    (tmp_path / "s.yaml").write_text(schema_of(lines, tail=tail, count=50))
    for command in (["check"], ["generate", "--out", "row.csv"], ["cases", "--out", "c.csv"]):
        yurt(command[0], "s.yaml", *command[1:])
    yurt("cases", "s.yaml", "--technique", "combinatorial")
    yurt("verify", "s.yaml", "row.csv")
    yurt("verify", "s.yaml", "row=c.csv")
