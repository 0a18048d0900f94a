"""Values as written in a file: every text that differs by one character from a valid one, compared with other readers.

The readers are Python's own (`datetime`, `decimal`, `re`) and regular expressions written from the language reference.
Each text is read alone, between valid ones, and among many invalid ones, because the validator has a separate path for
each.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from typing import Any

import numpy as np
import pyarrow as pa
import pytest

from yurt.core.base.arrays import strings
from yurt.core.base.types import Type
from yurt.core.formats.common.raw import CELL, NULL, NUMBER, STRING, Raw
from yurt.core.verify.clocks import shown
from yurt.core.verify.plain import ZULU
from yurt.core.verify.typed import in_one_step, typed
from yurt.core.verify.written import reader, restored

EPOCH = datetime(1970, 1, 1)
MICROSECOND = timedelta(microseconds=1)


def number_of(places: int) -> Callable[[str], int | None]:
    """Return a reader of decimals in units of their last place; more places are invalid."""

    def read(text: str) -> int | None:
        shape = r"-?(0|[1-9][0-9]*)(\.[0-9]+)?" if places else r"-?(0|[1-9][0-9]*)"
        if not re.fullmatch(shape, text):
            return None
        return max(-(10**18), min(10**18, int(Decimal(text).scaleb(places))))

    return read


def real_of(text: str) -> float | None:
    shape = r"-?(0|[1-9][0-9]*)(\.[0-9]+)?([eE][+-]?[0-9]+)?"
    found = float(text) if re.fullmatch(shape, text) else math.inf
    return found if math.isfinite(found) else None


def day_of(text: str) -> int | None:
    if not re.fullmatch(r"[0-9]{4}-[0-9]{2}-[0-9]{2}", text):
        return None
    try:
        return (date.fromisoformat(text) - EPOCH.date()).days
    except ValueError:
        return None


def time_of(text: str) -> int | None:
    if not re.fullmatch(r"[0-9]{2}:[0-9]{2}:[0-9]{2}(\.[0-9]{6})?", text):
        return None
    try:
        found = time.fromisoformat(text)
    except ValueError:
        return None
    return ((found.hour * 60 + found.minute) * 60 + found.second) * 1_000_000 + found.microsecond


def moment_of(text: str) -> int | None:
    if not re.fullmatch(r"[0-9-]{10}T[0-9:]{8}(\.[0-9]{6})?", text):
        return None
    try:
        return (datetime.fromisoformat(text) - EPOCH) // MICROSECOND
    except ValueError:
        return None


def zoned_of(text: str) -> int | None:
    """An instant in RFC 3339 with a T and at most six places of a second."""
    offset = r"(Z|[+-]([01][0-9]|2[0-3]):[0-5][0-9])"
    if not re.fullmatch(r"[0-9-]{10}T[0-9:]{8}(\.[0-9]{6})?" + offset, text):
        return None
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        return None
    aside = found.utcoffset()
    assert aside is not None
    return (found.replace(tzinfo=None) - EPOCH - aside) // MICROSECOND


CHARACTERS = "01259+-.:TZex٣"
# The number of texts per form whose characters are changed; two for long forms.
MUTATED = 4


def changed(text: str) -> Iterator[str]:
    """Yield every text that differs by one character."""
    for at in range(len(text) + 1):
        yield text[:at] + text[at + 1 :]
        for char in CHARACTERS:
            yield text[:at] + char + text[at + 1 :]
            yield text[:at] + char + text[at:]


FORMS: dict[str, tuple[Type, bool, Callable[[str], Any], tuple[str, ...]]] = {
    "integer": (Type("integer"), False, number_of(0), (
        "0", "7", "-40", "12345678901234567", "1234567890123456", "12345678901234567", "123456789012345678", "999999999999999999",
        "1000000000000000001", "-1000000000000000001", "9" * 41, "-" + "9" * 41, "1" + "0" * 39,
    )),
    "decimal": (Type("decimal", 2), False, number_of(2), (
        "0.00", "0.05", "3.40", "-3.4", "12", "12345678901234.56", "1234567890123456.78", "99999999999999999.99",
        "9999999999999999.99", "-9999999999999999.99", "10000000000000000.01", "-10000000000000000.01", "1" * 40 + ".5",
    )),
    "real": (Type("real"), False, real_of, ("0", "-1.5", "2e3", "2.5E-3", "1e308", "-1e+308", "2e308")),
    "date": (Type("date"), False, day_of, (
        "2026-06-15", "2024-02-29", "2000-02-29", "1900-02-28", "2100-02-28", "2026-01-31", "2026-12-31", "0001-01-01",
        "0001-02-01", "0001-03-01", "9999-12-31", "1969-12-31", "1970-01-01", "0000-12-31",
        *(f"2026-{month:02}-30" for month in range(1, 13)), *(f"2026-{month:02}-31" for month in range(1, 13)),
    )),
    "time": (Type("time"), False, time_of, ("08:30:15", "08:30:00.123456", "00:00:00", "23:59:59", "24:00:00", "23:60:00", "23:59:60")),
    "datetime": (Type("datetime"), False, moment_of, (
        "2026-06-15T08:30:00", "2026-06-15T08:30:00.123456", "2024-02-29T23:59:59", "0001-01-01T00:00:00",
        "1969-12-31T23:59:59",
    )),
    "datetime with a zone": (Type("datetime"), True, zoned_of, (
        "2026-06-15T08:30:00+02:00", "2026-06-15T08:30:00.123456-09:30", "2026-06-15T08:30:00Z",
        "2026-02-28T00:00:00+23:59", "2024-02-29T23:59:59-00:00", "0001-01-02T00:00:00+05:45",
    )),
}  # fmt: skip


def found(raw: Raw, kind: Type, zoned: bool) -> list[Any]:
    """Return the values of a column: None for invalid ones, and "missing" for missing ones."""
    result = typed(raw, kind, zoned)
    values = np.asarray(result.column.values)
    if zoned:
        assert result.offsets is not None
        values = shown(values, result.offsets, "utc")
    gone = np.zeros(len(values), bool) if result.column.nulls is None else result.column.nulls
    assert (gone == (raw.missing | result.wrong)).all()
    assert not (raw.missing & result.wrong).any()
    marks = zip(values.tolist(), result.wrong.tolist(), raw.missing.tolist(), strict=True)
    return ["missing" if missing else None if wrong else value for value, wrong, missing in marks]


def cells(texts: list[str | None], sort: int = CELL) -> Raw:
    sorts = np.array([NULL if each is None else sort for each in texts], dtype=np.uint8)
    return Raw(pa.array(texts, pa.string()), sorts)


@pytest.mark.parametrize("name", FORMS)
def test_a_text_is_a_value_where_another_reader_says_so(name: str) -> None:
    kind, zoned, read, right = FORMS[name]
    texts = list(
        dict.fromkeys(
            ["", *right, *(each for text in right[: MUTATED if len(right[0]) < 19 else 2] for each in changed(text))]
        )
    )
    wanted = [read(each) for each in texts]
    assert sum(each is not None for each in wanted) > 9
    for size in (7, len(texts)):
        for start in range(0, len(texts), size):
            part, values = texts[start : start + size], wanted[start : start + size]
            assert found(cells([*part]), kind, zoned) == values, part
    for text, value in zip(texts, wanted, strict=True):
        # Between valid texts of the same form or of another.
        good = right[0 if len(text) == len(right[0]) else len(text) % 3]
        around = read(good)
        got = found(cells([good, None, text, good, None]), kind, zoned)
        assert got == [around, "missing", value, around, "missing"], (good, text)


@pytest.mark.parametrize("name", FORMS)
def test_a_value_of_json_has_the_sort_of_its_type(name: str) -> None:
    kind, zoned, read, right = FORMS[name]
    texts = [each for each in right if read(each) is not None]
    own, other = (NUMBER, STRING) if kind.numeric else (STRING, NUMBER)
    assert found(cells([*texts, None], own), kind, zoned) == [*map(read, texts), "missing"]
    assert found(cells([*texts, None], other), kind, zoned) == [*(None for _ in texts), "missing"]


def test_a_number_of_json_may_have_an_exponent_and_more_places() -> None:
    """The value counts, not its form: `1.50e1` is 15."""
    whole = {
        "1.50e1": 15,
        "2E2": 200,
        "1.5": None,
        "15.0": 15,
        "-0": 0,
        "1e400": 10**18,
        "-1e400": -(10**18),
        "1e-9": None,
    }
    assert found(cells([*whole], NUMBER), Type("integer"), False) == [*whole.values()]
    places = {"1.50e1": 1500, "0.005": 0, "1.999": 199, "2e-2": 2, "1e-9": 0, "1e17": 10**18}
    kind = Type("decimal", 2)
    assert found(cells([*places], NUMBER), kind, False) == [*places.values()]
    finer = typed(cells([*places], NUMBER), kind).finer
    assert finer is not None
    assert finer.tolist() == [each in ("0.005", "1.999", "1e-9") for each in places]


@pytest.mark.parametrize(
    "zone", ["+05:45", "-09:30", "utc", "Europe/Vienna", "America/St_Johns", "Australia/Lord_Howe"]
)
def test_the_clock_of_a_zone_shows_what_other_readers_say(zone: str) -> None:
    """Around each clock change in 2026, with all kinds of offsets."""
    from zoneinfo import ZoneInfo

    starts = [
        datetime(2026, month, 1) + timedelta(minutes=15) * step for month in (3, 4, 10, 11) for step in range(2976)
    ]
    offsets = [0, ZULU, 60, -210, 345, 630][: len(zone) % 5 + 2]
    instants = [each - timedelta(minutes=0 if at == ZULU else at) for each in starts for at in offsets]
    if zone[0] in "+-":
        aside = timedelta(hours=int(zone[:3]), minutes=int(zone[0] + zone[4:]))
        wanted = [each + aside for each in instants]
    else:
        clock = ZoneInfo("UTC" if zone == "utc" else zone)
        wanted = [each.replace(tzinfo=UTC).astimezone(clock).replace(tzinfo=None) for each in instants]
    moments = np.array([(each - EPOCH) // MICROSECOND for each in starts for _ in offsets], dtype=np.int64)
    got = shown(moments, np.array(offsets * len(starts), dtype=np.int32), zone)
    assert got.tolist() == [(each - EPOCH) // MICROSECOND for each in wanted]


# ---- `as` ------------------------------------------------------------------------------------------------------------

# A type, a form after `as`, a text, and its standard form; None if the text is invalid.
WRITTEN: list[tuple[Type, str, dict[str, str | None]]] = [
    (Type("date"), "%d.%m.%Y", {"15.06.2026": "2026-06-15", "2026-06-15": None, "5.6.2026": None, "15x06.2026": None}),
    (Type("date"), "100%% %Y%m%d", {"100% 20260615": "2026-06-15", "100%% 20260615": None, "100 20260615": None}),
    (Type("date"), "%Y/%m/%d H", {"2026/06/15 H": "2026-06-15", "2026/06/15 8": None}),
    (Type("time"), "%H.%M", {"08.30": "08:30:00", "0830": None, "08:30": None}),
    (Type("time"), "%H%M%S", {"083015": "08:30:15", "0830": None}),
    (Type("datetime"), "%d.%m.%Y %H:%M", {"15.06.2026 08:30": "2026-06-15T08:30:00", "15.06.2026": None}),
    (Type("datetime"), "%Y-%m-%d %H:%M:%S.%f", {
        "2026-06-15 08:30:01.000000": "2026-06-15T08:30:01", "2026-06-15 08:30:01.000100": "2026-06-15T08:30:01.000100",
        "2026-06-15 08:30:01": None,
    }),
    (Type("boolean"), "Y|N", {"Y": "true", "N": "false", "true": None, "y": None, "": None}),
    (Type("integer"), "007", {"012": "12", "1234": "1234", "12": None, "0012": None, "-012": "-12", "000": "0"}),
    (Type("integer"), "1'000", {"1'234": "1234", "1234": None, "12": "12", "0": "0", "1'23": None}),
    (Type("integer"), "1.00", {"5.00": "5", "5": None, "5.0": None, "5.10": "5.10"}),
    (Type("decimal", 2), "1.234,50 €", {"1.234,50 €": "1234.50", "-3,40 €": "-3.40", "3,40": None, "3.40 €": None}),
    (Type("decimal", 2), "$ 0.00", {"$ 3.40": "3.40", "-$ 3.40": "-3.40", "$ 03.40": None, "3.40": None}),
    (Type("decimal", 2), "0.000", {"3.400": "3.400", "3.40": None}),
]  # fmt: skip


@pytest.mark.parametrize(
    ("kind", "pattern", "texts"), WRITTEN, ids=[f"{kind.name} {like}" for kind, like, _ in WRITTEN]
)
def test_what_as_has_written_is_read_back(kind: Type, pattern: str, texts: dict[str, str | None]) -> None:
    for sort in (CELL, STRING):
        back = restored(cells([*texts, None], sort), pattern, kind)
        assert [None if each == "?" else each for each in back.texts.to_pylist()[:-1]] == [*texts.values()]
        assert back.missing.tolist() == [False] * len(texts) + [True]
        assert set(back.sorts[:-1].tolist()) == {CELL}
    # A JSON number does not match the pattern, whatever its digits.
    assert set(restored(cells([*texts], NUMBER), pattern, kind).sorts.tolist()) == {NUMBER}


@pytest.mark.parametrize(
    ("kind", "pattern", "readable"),
    [
        (Type("date"), "%d.%m.%Y", True),
        (Type("date"), "%d.%m.", False),
        (Type("date"), "%d.%m.%Y %d", False),
        (Type("date"), "%A, %d.%m.%Y", False),
        (Type("date"), "%%d.%m.%Y", False),
        (Type("time"), "%H", False),
        (Type("time"), "%H:%M", True),
        (Type("datetime"), "%d.%m.%Y", False),
        (Type("datetime"), "%H:%M", False),
        (Type("boolean"), "Y|N", True),
        (Type("integer"), "007", True),
        (Type("decimal", 2), "0.00", True),
        (Type("decimal", 2), "0.000", True),
        (Type("decimal", 2), "0.0", False),
        (Type("decimal", 2), "10%", True),
        (Type("decimal", 3), "10%", False),
        (Type("real"), "0.00", False),
        (Type("real"), "0.000000000", False),
    ],
)
def test_what_leaves_out_a_part_cannot_be_read_back(kind: Type, pattern: str, readable: bool) -> None:
    assert (reader(pattern, kind) is not None) == readable


# Columns that are read in one step, at the limits of that step.
QUICK: list[tuple[str, list[str]]] = [
    ("integer", ["0", "7", "12345678901234567"]),
    ("decimal", ["0.05", "0.00", "9.99", "12345678901234.56"]),
    ("date", ["0001-01-01", "2024-02-29", "9999-12-31"]),
    ("datetime", ["0001-01-01T00:00:00", "2026-06-15T08:30:00"]),
    ("datetime with a zone", ["2026-06-15T09:39:59+09:59", "2026-06-15T08:30:00-19:59", "2026-06-15T08:30:00+23:00"]),
]


@pytest.mark.parametrize(("name", "texts"), QUICK, ids=[name for name, _ in QUICK])
def test_columns_in_their_usual_form_are_read_in_one_step(name: str, texts: list[str]) -> None:
    kind, zoned, read, _ = FORMS[name]
    for chosen in (texts, *([each] for each in texts)):
        for column in (chosen, [None, *chosen, None]):
            raw = cells([*column])
            result = in_one_step(raw, np.ones(len(column), dtype=bool), kind, zoned)
            assert result is not None, column
            assert not result.wrong.any()
            assert found(raw, kind, zoned) == ["missing" if each is None else read(each) for each in column]


def test_many_texts_of_one_form_are_read_as_alone() -> None:
    """A long valid column, and the same column with one invalid text far down."""
    numbers = [f"{each}.{each % 100:02}" for each in range(20_000)]
    kind = Type("decimal", 2)
    assert found(Raw(strings(numbers), np.full(20_000, CELL, np.uint8)), kind, False) == [
        each * 100 + each % 100 for each in range(20_000)
    ]
    numbers[19_998] = "1.2.3"
    assert found(Raw(strings(numbers), np.full(20_000, CELL, np.uint8)), kind, False)[19_997:] == [
        1_999_797,
        None,
        1_999_999,
    ]
