"""From texts to values of a type, a whole column at a time; texts in other forms are marked.

The forms are those of `yurt.core.text.lexical`: whole numbers without leading zeros or plus sign, decimals with a
point, ISO 8601, `true` and `false`. JSON has its own numbers, Booleans, and texts, and these must have the right type.
"""

from __future__ import annotations

from decimal import ROUND_FLOOR, Context, Decimal, InvalidOperation

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, bytes_of, flags, numbers, numbers_or, word
from yurt.core.base.data_classes import dataclass
from yurt.core.base.exact import FIELD
from yurt.core.base.types import TEXT, Type
from yurt.core.columns.column import Column, Mask
from yurt.core.formats.common.raw import BOOLEAN, CELL, NUMBER, STRING, Raw
from yurt.core.text.lexical import low_halves
from yurt.core.verify.lasting import microseconds
from yurt.core.verify.plain import ZULU, plain

DAY = 86_400_000_000
# Numbers with more digits are no longer distinguished: they are this large, and never valid.
HUGE = FIELD
SHAPES = {
    "integer": r"^-?(0|[1-9]\d*)$",
    "decimal": r"^-?(0|[1-9]\d*)(\.\d+)?$",
    "real": r"^-?(0|[1-9]\d*)(\.\d+)?([eE][+-]?\d+)?$",
}
# An offset as in RFC 3339, 5.6.
OFFSET = r"(?:Z|[+-](?:[01]\d|2[0-3]):[0-5]\d)$"


@dataclass(frozen=True)
class Typed:
    """A column, where a value is not of its type, and where it has more places than its type (`finer`).

    The last place of a finer value is rounded down.
    """

    column: Column
    wrong: Mask
    finer: Mask | None = None
    # The offset of a date-time, in minutes.
    offsets: NDArray[np.int32] | None = None


def typed(raw: Raw, kind: Type, zoned: bool = False) -> Typed:
    """Return the values of a type; missing values are missing, and so are those of another type."""
    own = {"boolean": BOOLEAN, "integer": NUMBER, "decimal": NUMBER, "real": NUMBER}.get(kind.name, STRING)
    fitting = (raw.sorts == CELL) | (raw.sorts == own)
    if (quick := in_one_step(raw, fitting, kind, zoned)) is not None:
        return quick
    texts = raw.texts if not raw.texts.null_count else pc.fill_null(raw.texts, word(""))
    match kind.name:
        case "text":
            return _done(raw, fitting, kind, texts)
        case "boolean":
            true = flags(pc.equal(texts, word("true")))
            fitting &= true | flags(pc.equal(texts, word("false")))
            return _done(raw, fitting, kind, true)
        case "integer" | "decimal":
            values, good, finer = _exact(texts, kind, raw.sorts)
            return _done(raw, fitting & good, kind, values, finer)
        case "real":
            good = flags(pc.match_substring_regex(texts, SHAPES["real"]))
            filled = pc.if_else(arrow(good), texts, word("0"))
            found = numbers(pc.cast(filled, pa.float64()), np.float64)
            return _done(raw, fitting & good & np.isfinite(found), kind, np.where(np.isfinite(found), found, 0.0))
        case "date":
            values, good = days_of(texts)
            return _done(raw, fitting & good, kind, values)
        case "time":
            values, good = _clock(texts)
            return _done(raw, fitting & good, kind, values)
        case "datetime":
            return _moments(raw, texts, fitting, kind, zoned)
        case _:
            values, good = microseconds(texts)
            whole = kind.name == "days"
            if whole:
                good &= values % DAY == 0
                values //= DAY
            return _done(raw, fitting & good, kind, values)


def in_one_step(raw: Raw, fitting: Mask, kind: Type, zoned: bool) -> Typed | None:
    """Return the values if all present ones are in their usual form."""
    missing = raw.missing
    if not (fitting | missing).all():
        return None
    gone = bool(missing.any())
    found = plain(pc.filter(raw.texts, arrow(~missing)) if gone else raw.texts, kind, zoned)
    if found is None:
        return None
    values, offsets = found
    wrong = np.zeros(len(missing), dtype=np.bool_)
    if not gone:
        return Typed(Column(kind, values), wrong, None, offsets)
    spread = np.zeros(len(missing), dtype=np.int64)
    spread[~missing] = values
    if offsets is not None:
        signs = np.zeros(len(missing), dtype=np.int32)
        signs[~missing] = offsets
        offsets = signs
    return Typed(Column(kind, spread, missing), wrong, None, offsets)


def _done(
    raw: Raw, good: Mask, kind: Type, values: pa.Array | NDArray[np.generic], finer: Mask | None = None,
    offsets: NDArray[np.int32] | None = None,
) -> Typed:  # fmt: skip
    missing = raw.missing
    nulls = missing | ~good
    if kind != TEXT:
        values = np.where(nulls, values.dtype.type(0), values)
    column = Column(kind, values, nulls if nulls.any() else None)
    return Typed(column, ~good & ~missing, None if finer is None else finer & ~nulls, offsets)


# ---- numbers ---------------------------------------------------------------------------------------------------------


def _exact(texts: pa.Array, kind: Type, sorts: NDArray[np.uint8]) -> tuple[NDArray[np.int64], Mask, Mask]:
    """Return exact numbers in units of the last place, where a text is one, and where it has more places."""
    shape = SHAPES["decimal"] if kind.places else SHAPES["integer"]
    good = flags(pc.match_substring_regex(texts, shape))
    finer = np.zeros(len(texts), dtype=np.bool_)
    values = np.zeros(len(texts), dtype=np.int64)
    plain = good & (numbers(pc.binary_length(texts), np.int32) <= 17 - kind.places)
    if kind.places:
        parts = pc.struct_field(pc.extract_regex(texts, pattern=r"^(?P<whole>-?\d+)(?:\.(?P<rest>\d*?)0*)?$"), [1])
        lengths = numbers_or(pc.binary_length(parts), np.int32, 0)
        plain &= lengths <= kind.places
    every = bool(plain.all())
    chosen = texts if every else pc.filter(texts, arrow(plain))
    if kind.places:
        values[plain] = low_halves(pc.cast(chosen, pa.decimal128(38, kind.places)))
    else:
        values[plain] = numbers(pc.cast(chosen, pa.int64()), np.int64)
    # The rest is rare: very long numbers, more places than the type has, and JSON numbers with an exponent.
    for at in np.flatnonzero(~plain & (good | (sorts == NUMBER))).tolist():
        exact = _decimal(str(texts[at].as_py()))
        if exact is None:
            good[at] = False
            continue
        whole, odd = _units(exact, kind.places)
        # A fractional number is not of an integer type; a decimal with more places is between two steps.
        good[at], finer[at] = not (odd and not kind.places), odd
        values[at] = whole
    return values, good, finer


def _units(exact: Decimal, places: int) -> tuple[int, bool]:
    """Return a number in units of its last place, rounded down, and whether it has more places."""
    if exact.adjusted() + places >= len(str(HUGE)):
        return HUGE if exact > 0 else -HUGE, False
    # All digits stay: a product with a power of ten is exact if there is room for them.
    scaled = exact.scaleb(places, Context(prec=len(exact.as_tuple().digits) + 1))
    whole = int(scaled.to_integral_value(ROUND_FLOOR))
    return (whole, scaled != whole) if abs(scaled) < HUGE else (HUGE if scaled > 0 else -HUGE, False)


def _decimal(text: str) -> Decimal | None:
    try:
        found = Decimal(text)
    except InvalidOperation:
        return None
    return found if found.is_finite() else None


# ---- days and times --------------------------------------------------------------------------------------------------


def _cells(texts: pa.Array, width: int) -> tuple[NDArray[np.uint8], Mask]:
    """Return the bytes of the texts with exactly this length, as a matrix, and which texts they are."""
    fitting = numbers(pc.binary_length(texts), np.int32) == width
    chosen = texts if fitting.all() else pc.filter(texts, arrow(fitting))
    return bytes_of(chosen).reshape(-1, width), fitting


def _number(cells: NDArray[np.uint8], start: int, stop: int) -> tuple[NDArray[np.int64], Mask]:
    """Return the number in some columns of a matrix, and where they are digits."""
    digits = cells[:, start:stop].astype(np.int64) - ord("0")
    good = np.logical_and.reduce((digits >= 0) & (digits <= 9), axis=1)
    return digits @ 10 ** np.arange(stop - start - 1, -1, -1), good


def _day_numbers(cells: NDArray[np.uint8]) -> tuple[NDArray[np.int64], Mask]:
    """Return days since 1970 of `2026-06-15` in the first ten columns (H. Hinnant, days_from_civil)."""
    (year, a), (month, b), (day, c) = (_number(cells, *each) for each in ((0, 4), (5, 7), (8, 10)))
    good = a & b & c & (cells[:, 4] == ord("-")) & (cells[:, 7] == ord("-"))
    leap = (year % 4 == 0) & ((year % 100 != 0) | (year % 400 == 0))
    lengths = np.array([0, 31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31])
    good &= (year >= 1) & (month >= 1) & (month <= 12) & (day >= 1)
    length = lengths[np.clip(month, 0, 12)] + (leap & (month == 2))
    good &= day <= length
    years = year - (month <= 2)
    era = years // 400
    of_era = years - era * 400
    of_year = (153 * (month + np.where(month > 2, -3, 9)) + 2) // 5 + day - 1
    return era * 146_097 + of_era * 365 + of_era // 4 - of_era // 100 + of_year - 719_468, good


def _clock_numbers(cells: NDArray[np.uint8], start: int) -> tuple[NDArray[np.int64], Mask]:
    """Return microseconds of `08:30:00` (and a following `.123456` if the matrix is that wide)."""
    parts = [_number(cells, start + at, start + at + 2) for at in (0, 3, 6)]
    good = parts[0][1] & parts[1][1] & parts[2][1]
    good &= (cells[:, start + 2] == ord(":")) & (cells[:, start + 5] == ord(":"))
    hour, minute, second = (each for each, _ in parts)
    good &= (hour < 24) & (minute < 60) & (second < 60)
    values = ((hour * 60 + minute) * 60 + second) * 1_000_000
    if cells.shape[1] >= start + 15:
        micros, fine = _number(cells, start + 9, start + 15)
        good &= fine & (cells[:, start + 8] == ord("."))
        values = values + micros
    return values, good


def days_of(texts: pa.Array) -> tuple[NDArray[np.int64], Mask]:
    """Return the days since 1970 of ISO 8601 dates, and where a text is one."""
    cells, fitting = _cells(texts, 10)
    found, fine = _day_numbers(cells)
    return _placed(len(texts), [(fitting, found, fine)])


def _clock(texts: pa.Array) -> tuple[NDArray[np.int64], Mask]:
    return _placed(
        len(texts), [(at, *_clock_numbers(cells, 0)) for cells, at in (_cells(texts, width) for width in (8, 15))]
    )


def _placed(size: int, parts: list[tuple[Mask, NDArray[np.int64], Mask]]) -> tuple[NDArray[np.int64], Mask]:
    """Merge the values of several shapes of text."""
    values, good = np.zeros(size, dtype=np.int64), np.zeros(size, dtype=np.bool_)
    for at, found, fine in parts:
        values[at], good[at] = found, fine
    return values, good


def _moments(raw: Raw, texts: pa.Array, fitting: Mask, kind: Type, zoned: bool) -> Typed:
    """Read `2026-06-15T08:30:00`, with six places of a second or none, and with an offset if there is a zone."""
    offsets = None
    if zoned:
        signs = pc.struct_field(pc.extract_regex(texts, pattern=f"(?P<offset>{OFFSET[:-1]})$"), [0])
        fitting = fitting & flags(pc.is_valid(signs))
        # A zone has few offsets.
        few = pc.dictionary_encode(pc.fill_null(signs, word("Z")))
        offsets = np.array([_minutes(each) for each in few.dictionary.to_pylist()] or [0], dtype=np.int32)
        offsets = offsets[numbers(few.indices, np.int32)]
        texts = pc.replace_substring_regex(texts, pattern=OFFSET, replacement="")
    parts = []
    for width in (19, 26):
        cells, at = _cells(texts, width)
        days, fine = _day_numbers(cells)
        clock, ticking = _clock_numbers(cells, 11)
        parts.append((at, days * DAY + clock, fine & ticking & (cells[:, 10] == ord("T"))))
    values, good = _placed(len(texts), parts)
    return _done(raw, fitting & good, kind, values, offsets=offsets)


def _minutes(offset: str) -> int:
    """Return an offset in minutes."""
    if offset == "Z":
        return ZULU
    return (int(offset[1:3]) * 60 + int(offset[4:])) * (-1 if offset[0] == "-" else 1)
