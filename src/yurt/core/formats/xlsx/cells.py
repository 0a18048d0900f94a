"""What the cells of a sheet are: the types that a spreadsheet has, and its limits."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base import exact
from yurt.core.base.arrays import arrow, flags
from yurt.core.formats.common.format import Unwritable
from yurt.core.text.forms import text_of
from yurt.core.text.lexical import low_halves

# The limits of the format (ECMA-376 as programs keep it).
MOST_ROWS, MOST_COLUMNS, LONGEST, LONGEST_NAME, DIGITS = 1_048_576, 16_384, 32_767, 31, 10**15
FIRST_DAY = date(1900, 3, 1)
# The cells of a row, or of a column; a column as it is written: what its cells are, their values, places of decimals.
Row = list[Any]
Cells = tuple[str, Row, int]
Columns = list[Cells]


class Shortest(float):
    """A number that is written as the shortest text that reads back equal, whatever number of digits is requested."""

    __slots__ = ()

    def __format__(self, form: str) -> str:
        return repr(float(self))


def _numbers(column: pa.Array) -> Row:
    if not pa.types.is_floating(column.type):
        return list(column.to_pylist())
    return [None if each is None else Shortest(each) for each in column.to_pylist()]


def cells_of(where: str, column: pa.Array, first_row: int) -> Cells:
    """Return what the cells of a column are, their values, and the places of decimals."""
    kind = column.type
    if pa.types.is_boolean(kind):
        return "boolean", column.to_pylist(), 0
    if pa.types.is_integer(kind) or pa.types.is_floating(kind):
        plain = not len(column) or (pc.max(pc.abs(column)).as_py() or 0) < DIGITS
        return ("number", _numbers(column), 0) if plain else ("text", text_of(column).to_pylist(), 0)
    if pa.types.is_decimal(kind):
        units = low_halves(column)
        if exact.largest(units) >= DIGITS:
            return "text", text_of(column).to_pylist(), 0
        found = exact.as_real(units, kind.scale)
        return "number", _numbers(arrow(found, flags(pc.is_null(column)))), kind.scale
    if pa.types.is_date(kind) or pa.types.is_timestamp(kind):
        name = "date" if pa.types.is_date(kind) else "datetime"
        first = pc.min(column).as_py() if len(column) else None
        if first is not None and (first.date() if isinstance(first, datetime) else first) < FIRST_DAY:
            return "text", text_of(column).to_pylist(), 0
        return name, column.to_pylist(), 0
    if pa.types.is_time(kind):
        return "time", column.to_pylist(), 0
    texts = text_of(column)
    if (longest := pc.max(pc.utf8_length(texts)).as_py() or 0) > LONGEST:
        row = pc.index(pc.utf8_length(texts), longest).as_py()
        told = f"a cell has at most {LONGEST:,} characters, not {longest:,}"
        raise Unwritable(f"{where}, row {first_row + row + 1:,}: {told}")
    return "text", texts.to_pylist(), 0
