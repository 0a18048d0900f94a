"""The data types of columns, and their values: what a text is, by how it is written."""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, flags, numbers, strings, word
from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import BOOLEAN, DATE, DATETIME, INTEGER, MAX_PLACES, REAL, TEXT, TIME, Type, decimal, unify
from yurt.core.columns.column import Column
from yurt.core.formats.common.raw import NUMBER, Raw

# A number as programs write it: no leading zeros, no plus sign, at most 18 digits. `007` is a code.
WHOLE = r"^(0|-?[1-9]\d{0,17})$"
# `-0.0` would come back without its sign.
DECIMAL = r"^(-?[1-9]\d{0,17}\.\d{1,12}|-?0\.\d{0,11}[1-9]\d{0,11}|0\.0{1,12})$"
DAY = r"^\d{4}-\d\d-\d\d$"
CLOCK = r"^([01]\d|2[0-3]):[0-5]\d:[0-5]\d$"
WHOLE_TIME = r"^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d$"
DATE_TIME = r"^\d{4}-\d\d-\d\d[T ]\d\d:\d\d(:\d\d(\.\d{1,6})?)?$"
MOST_DIGITS = 18
STORED: dict[str, pa.DataType] = {
    "integer": pa.int64(), "date": pa.date32(), "datetime": pa.timestamp("us"), "real": pa.float64(),
    "time": pa.timestamp("us"),
}  # fmt: skip


@dataclass(frozen=True)
class Seen:
    """What the values of a column have been so far: their common type, None if there was none.

    The type is `exact` if each value can be written again from it as it was: all decimals have the same places.
    """

    type: Type | None = None
    exact: bool = True

    def and_then(self, other: Seen) -> Seen:
        """Return what the values of two parts are together."""
        if self.type is None or other.type is None:
            return self if other.type is None else other
        if self.type == other.type:
            return Seen(self.type, self.exact and other.exact)
        together = unify(self.type, other.type) if self.type.numeric and other.type.numeric else None
        return Seen(together, False) if together is not None else Seen(TEXT)


def seen(raw: Raw) -> Seen:
    """Return the type of some values of a column."""
    texts = pc.filter(raw.texts, arrow(~raw.missing)) if raw.missing.any() else raw.texts
    if not len(texts):
        return Seen()
    if _all(texts, WHOLE):
        return Seen(INTEGER)
    for pattern, kind in ((DAY, DATE), (DATE_TIME, DATETIME), (CLOCK, TIME)):
        if _all(texts, pattern):
            exact = kind != DATETIME or _all(texts, WHOLE_TIME)
            return Seen(kind, exact) if _possible(texts, kind) else Seen(TEXT)
    if bool(pc.all(pc.is_in(texts, strings(["true", "false"]))).as_py()):
        return Seen(BOOLEAN)
    if _all(texts, f"{WHOLE}|{DECIMAL}"):
        places = _places(texts)
        most = int(places.max())
        longest = pc.max(pc.utf8_length(pc.replace_substring_regex(texts, r"^-?|\..*$", ""))).as_py()
        if most <= MAX_PLACES and longest + most <= MOST_DIGITS:
            return Seen(decimal(most), exact=bool((places == most).all()))
    # Numbers with an exponent have a type of their own only where the file says that they are numbers.
    if bool((raw.sorts[~raw.missing] == NUMBER).all()):
        return Seen(REAL, exact=False)
    return Seen(TEXT)


def _all(texts: pa.Array, pattern: str) -> bool:
    # One value tells most of the time.
    if not bool(pc.match_substring_regex(texts[:1], pattern)[0].as_py()):
        return False
    return bool(pc.all(pc.match_substring_regex(texts, pattern)).as_py())


def _possible(texts: pa.Array, kind: Type) -> bool:
    try:
        _stored(texts, kind)
    except pa.ArrowInvalid:
        return False
    return True


def _stored(texts: pa.Array, kind: Type) -> pa.Array:
    """Return texts as numbers of a type. Raises ArrowInvalid if one is none."""
    if kind == TIME:
        # A time of day is that time on the first day.
        texts = pc.binary_join_element_wise(word("1970-01-01T"), texts, word(""))
    return pc.cast(texts, STORED[kind.name])


def _places(texts: pa.Array) -> np.ndarray[tuple[int], np.dtype[np.int64]]:
    at = numbers(pc.find_substring(texts, "."), np.int32).astype(np.int64)
    lengths = numbers(pc.utf8_length(texts), np.int32).astype(np.int64)
    return np.where(at < 0, 0, lengths - at - 1)


def column_of(raw: Raw, kind: Type) -> Column:
    """Return values of a type that all of them have."""
    missing = raw.missing
    nulls = missing if missing.any() else None
    if kind == TEXT:
        return Column(TEXT, pc.fill_null(raw.texts, word("")) if nulls is not None else raw.texts, nulls)
    texts = pc.if_else(arrow(missing), word(_zero(kind)), raw.texts) if nulls is not None else raw.texts
    if kind == BOOLEAN:
        return Column(BOOLEAN, flags(pc.equal(texts, word("true"))), nulls)
    if kind.name == "decimal":
        scaled = pc.cast(texts, pa.decimal128(38, kind.places))
        # The lower half of a number of 128 bits: values have at most 18 digits.
        return Column(kind, np.frombuffer(scaled.buffers()[1], dtype=np.int64)[::2][: len(texts)].copy(), nulls)
    width = {"date": np.int32, "real": np.float64}.get(kind.name, np.int64)
    values = numbers(_stored(texts, kind), width)
    return Column(kind, values if kind == REAL else values.astype(np.int64), nulls)


def _zero(kind: Type) -> str:
    return {"date": "1970-01-01", "datetime": "1970-01-01T00:00:00", "time": "00:00:00", "boolean": "false"}.get(
        kind.name, "0"
    )
