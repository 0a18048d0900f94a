"""Python values as columns of the engine, and as values of a record that is validated."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime, time, timedelta
from decimal import Decimal, InvalidOperation
from enum import Enum
from typing import Any
from uuid import UUID

import numpy as np
import pyarrow as pa

from yurt.core.base.arrays import word
from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import UsageFault
from yurt.core.base.python_values import PythonValue
from yurt.core.base.types import BOOLEAN, DATE, DATETIME, INTEGER, TEXT, TIME, Type
from yurt.core.columns.column import EPOCH, Column, constant
from yurt.core.formats.common.raw import NOTHING, Number, Value
from yurt.core.text.json_text import tokens

# Longer values would not be read in a message.
SHOWN = 60
MICROSECOND = timedelta(microseconds=1)
MOST_DIGITS = 18


@dataclass(frozen=True)
class Unfit(Exception):
    """A value that is not of a field's data type; `expected` says what is."""

    expected: str


def plain(value: PythonValue) -> PythonValue:
    """Return a value without the wrappers of Python: the value of an enumeration, the text of a UUID."""
    if isinstance(value, Enum):
        return plain(value.value)
    if isinstance(value, UUID):
        return str(value)
    if isinstance(value, np.generic):
        return value.item()
    return value


def shown(value: PythonValue) -> str:
    """Return a value as a message shows it."""
    text = f'"{value}"' if isinstance(value, str) else str(plain(value)) if value is not None else "nothing"
    return text if len(text) <= SHOWN else text[: SHOWN - 1] + "…"


def column_of(value: PythonValue, kind: Type, arrow_type: pa.DataType | None = None) -> Column:
    """Return the column of one value, in a type; `arrow_type` is that of a list. Raises Unfit."""
    value = plain(value)
    if value is None:
        return _missing(kind, arrow_type)
    if kind == TEXT:
        if not isinstance(value, str):
            raise Unfit("a text")
        return constant(value)
    if kind.name == "list":
        return _list(value, kind, arrow_type)
    if kind == BOOLEAN:
        if not isinstance(value, bool):
            raise Unfit("a Boolean")
        return constant(value)
    return Column(kind, np.array(_number(value, kind)))


def _missing(kind: Type, arrow_type: pa.DataType | None) -> Column:
    nulls = np.array(True)
    if kind == TEXT:
        return Column(TEXT, word(""), nulls)
    if kind.name == "list":
        return Column(kind, pa.nulls(1, arrow_type), np.ones(1, dtype=np.bool_))
    return Column(kind, np.array(False if kind == BOOLEAN else 0), nulls)


def _number(value: PythonValue, kind: Type) -> int | float:
    """Return the number that represents a value in a column of a type."""
    if isinstance(value, bool):
        raise Unfit(_expected(kind))
    if kind.name == "real" and isinstance(value, int | float | Decimal):
        return float(value)
    if kind == INTEGER and isinstance(value, int):
        return _small(value, kind)
    if kind.name == "decimal" and isinstance(value, int | float | Decimal):
        return _scaled(value, kind)
    if kind in (DATE, DATETIME, TIME):
        return _clock(value, kind)
    if kind.name in ("days", "duration") and isinstance(value, timedelta):
        whole = value // MICROSECOND
        if kind.name == "days" and whole % 86_400_000_000:
            raise Unfit("a whole number of days")
        return whole // 86_400_000_000 if kind.name == "days" else whole
    raise Unfit(_expected(kind))


def _small(number: int, kind: Type) -> int:
    if abs(number) >= 10**MOST_DIGITS:
        raise Unfit(f"{_expected(kind)} of at most {MOST_DIGITS} digits")
    return number


def _scaled(value: int | float | Decimal, kind: Type) -> int:
    try:
        number = Decimal(str(value)).scaleb(kind.places)
        whole = int(number)
    except (InvalidOperation, ValueError, OverflowError):
        raise Unfit("a decimal number") from None
    if whole != number:
        raise Unfit(f"a number with {kind.places} decimal places at most")
    return _small(whole, kind)


def _clock(value: PythonValue, kind: Type) -> int:
    """Return a date, time, or date-time as a number; a text is read as ISO 8601."""
    reader: Any = {"date": date, "datetime": datetime, "time": time}[kind.name]
    if isinstance(value, str):
        try:
            value = reader.fromisoformat(value)
        except ValueError:
            raise Unfit(f"{_expected(kind)} as in ISO 8601") from None
    if isinstance(value, datetime) and value.tzinfo is not None:
        raise Unfit(f"{_expected(kind)} without an offset from UTC")
    if kind == DATETIME and isinstance(value, datetime):
        return (value - EPOCH) // MICROSECOND
    if kind == TIME and isinstance(value, time):
        return ((value.hour * 60 + value.minute) * 60 + value.second) * 1_000_000 + value.microsecond
    if kind == DATE and isinstance(value, date) and not isinstance(value, datetime):
        return value.toordinal() - EPOCH.toordinal()
    raise Unfit(_expected(kind))


def _list(value: PythonValue, kind: Type, arrow_type: pa.DataType | None) -> Column:
    if not isinstance(value, list | tuple):
        raise Unfit("a list")
    inside = kind.of
    if inside is not None and inside.name not in ("list", "nested"):
        for each in value:
            column_of(each, inside)
    try:
        return Column(kind, pa.array([[plain(each) for each in value]], type=arrow_type))
    except (pa.ArrowException, OverflowError):
        raise Unfit(f"a list of {inside or 'values'}s") from None


def _expected(kind: Type) -> str:
    words = {"integer": "a whole number", "decimal": "a decimal number", "real": "a number", "datetime": "a date-time",
             "days": "a duration of whole days (timedelta)", "duration": "a duration (timedelta)",
             "period": "a duration in months, which cannot be given"}  # fmt: skip
    return words.get(kind.name, f"a {kind.name}")


def tree_of(value: PythonValue) -> Value:
    """Return a value as the reader of JSON would have it, for the validator."""
    value = plain(value)
    if value is None or isinstance(value, bool):
        return value
    if isinstance(value, str):
        return str(value)
    if isinstance(value, int | float | Decimal):
        return Number(_plain_number(value))
    if isinstance(value, timedelta):
        return str(tokens(pa.array([value], pa.duration("us")))[0].as_py()).strip('"')
    if isinstance(value, datetime | date | time):
        return value.isoformat()
    if isinstance(value, Mapping):
        return {str(name): tree_of(each) for name, each in value.items()}
    if isinstance(value, list | tuple | set | frozenset | np.ndarray):
        return [tree_of(each) for each in value]
    if value is NOTHING:
        return value
    raise UsageFault(f"{shown(value)} is {type(value).__name__}, which no record can contain")


def python_of(value: Value) -> PythonValue:
    """Return a value of a tree with Python's own numbers: the reverse of `tree_of` for JSON."""
    if isinstance(value, Number):
        return int(value) if value.lstrip("-").isdecimal() else Decimal(value)
    if isinstance(value, dict):
        return {name: python_of(each) for name, each in value.items() if each is not NOTHING}
    if isinstance(value, list):
        return [python_of(each) for each in value]
    return str(value) if isinstance(value, str) else value


def _plain_number(value: int | float | Decimal) -> str:
    """Return the digits of a number without an exponent, unless it is a floating-point number."""
    return format(value, "f") if isinstance(value, Decimal) and value.is_finite() else str(value)
