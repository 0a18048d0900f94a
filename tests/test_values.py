"""Values as bytes and as text: columns, standard forms, and files, compared with Python's own types."""

from __future__ import annotations

import csv
import io
import json
import re
import threading
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pytest
import yaml
from lxml import etree

import yurt as library
from yurt.core.base import arrays, caches
from yurt.core.base.errors import SurroundingsFault, UsageFault
from yurt.core.base.files import NewFiles, regular_file
from yurt.core.base.nearest import did_you_mean, nearest
from yurt.core.base.threads import in_order
from yurt.core.base.types import Type, arithmetic, decimal, unify
from yurt.core.formats import FORMATS
from yurt.core.formats.common.raw import NOTHING, Number
from yurt.core.text import json_text, lexical
from yurt.core.text.display import NotShown, check, number_like, words_like

from .conftest import HUTS

WORDS = ["", "a", "é", "日本", 'say "x"', "a,b", "two\nlines", "\t", "<&>", "0" * 300]


# ---- arrays ----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("kind", [np.int64, np.int32, np.uint64, np.float64, np.bool_])
@pytest.mark.parametrize("size", [0, 1, 7, 8, 9, 1000])
def test_numbers_go_to_arrow_and_back(kind: type, size: int) -> None:
    values = (np.arange(size) % 3).astype(kind)
    missing = np.arange(size) % 4 == 1
    made = arrays.arrow(values, missing)
    assert made.to_pylist() == [None if gone else value for value, gone in zip(values.tolist(), missing, strict=True)]
    made.validate(full=True)
    if kind is np.bool_:
        assert (arrays.flags(made) == (values & ~missing)).all()
        assert (arrays.flags(made[3:]) == (values & ~missing)[3:]).all()
    else:
        whole = arrays.arrow(values)
        assert (arrays.numbers(whole, kind) == values).all()
        assert (arrays.numbers(whole[2:], kind) == values[2:]).all()


def test_texts_go_to_arrow() -> None:
    made = arrays.strings([*WORDS, None])
    made.validate(full=True)
    assert made.to_pylist() == [*WORDS, None]
    assert bytes(arrays.bytes_of(made)) == "".join(WORDS).encode()
    assert bytes(arrays.bytes_of(made[2:4])) == "é日本".encode()
    assert arrays.strings([]).to_pylist() == []
    cells = np.frombuffer(b"abcdef", dtype=np.uint8).reshape(3, 2)
    fixed = arrays.fixed_strings(cells, np.array([False, True, False]))
    assert fixed.to_pylist() == ["ab", None, "ef"]
    assert arrays.nothing(pa.string()).as_py() is None
    assert arrays.numbers_or(pa.array([1, None, 3]), np.int64, -7).tolist() == [1, -7, 3]


def test_parts_are_joined_line_by_line() -> None:
    one, two = arrays.strings(["a", "b", None]), arrays.strings(["x", None, "z"])
    assert arrays.joined(one, "-", two).to_pylist() == ["a-x", None, None]
    assert arrays.joined(one, two, between="/", missing="?").to_pylist() == ["a/x", "b/?", "?/z"]
    listed = one.dictionary_encode()
    assert arrays.changed_texts(listed, pa.compute.utf8_upper).to_pylist() == ["A", "B", None]
    assert arrays.is_text(listed)
    assert not arrays.is_text(pa.array([1]))


# ---- standard forms --------------------------------------------------------------------------------------------------

DAYS = [date(1, 1, 1), date(1582, 10, 15), date(1969, 12, 31), date(1970, 1, 1), date(2000, 2, 29), date(9999, 12, 31)]
MOMENTS = [
    datetime(1970, 1, 1),
    datetime(1, 1, 1, 0, 0, 1),
    datetime(2026, 6, 1, 23, 59, 59),
    datetime(9999, 12, 31, 1),
]
FINE = [datetime(2026, 6, 1, 12, 0, 0, 500), datetime(1969, 12, 31, 23, 59, 59, 999_999)]
TIMES = [time(0, 0), time(12, 30, 1), time(23, 59, 59)]


@pytest.mark.parametrize(
    ("values", "kind"),
    [
        (DAYS, pa.date32()),
        (MOMENTS, pa.timestamp("us")),
        (FINE, pa.timestamp("us")),
        (TIMES, pa.time64("us")),
        ([True, False], pa.bool_()),
        ([0, -1, 9_223_372_036_854_775_807, -9_223_372_036_854_775_808], pa.int64()),
        ([Decimal("0.05"), Decimal("-12345678901234.50"), Decimal("0.00"), Decimal("-0.01")], pa.decimal128(18, 2)),
        ([Decimal("123456789012345678.9")], pa.decimal128(38, 1)),
    ],
    ids=lambda each: str(each)[:30],
)
def test_a_value_has_the_form_that_python_reads(values: list[Any], kind: pa.DataType) -> None:
    column = pa.array([*values, None], kind)
    texts = lexical.scalar_text(column).to_pylist()
    assert texts.pop() is None
    read = {
        "date32[day]": date.fromisoformat,
        "timestamp[us]": datetime.fromisoformat,
        "time64[us]": time.fromisoformat,
        "bool": lambda text: {"true": True, "false": False}[text],
        "int64": int,
    }.get(str(kind), Decimal)
    assert [read(each) for each in texts] == values  # type: ignore[operator]
    assert lexical.scalar_text(column[1:]).to_pylist()[:-1] == texts[1:]


@pytest.mark.parametrize(
    ("days", "microseconds", "wanted"),
    [
        (3, 0, "P3D"),
        (0, 5_400_000_000, "PT1H30M"),
        (0, 0, "PT0S"),
        (0, 1_500_000, "PT1.5S"),
        (0, 86_400_000_000, "P1D"),
    ],
)
def test_durations_are_those_of_iso_8601(days: int, microseconds: int, wanted: str) -> None:
    span = timedelta(days=days, microseconds=microseconds)
    assert lexical.scalar_text(pa.array([span, None], pa.duration("us"))).to_pylist() == [wanted, None]


@pytest.mark.parametrize("places", [0, 1, 2, 9])
def test_scaled_integers_become_decimals(places: int) -> None:
    values = np.array([0, 1, -1, 99, -100, 10**17], dtype=np.int64)
    mask = np.array([False, False, False, False, True, False])
    made = lexical.decimal_array(values, places, mask).to_pylist()
    assert made == [None if gone else Decimal(int(v)).scaleb(-places) for v, gone in zip(values, mask, strict=True)]


def test_json_of_columns_is_json() -> None:
    column = arrays.strings([*WORDS, None])
    tokens = json_text.tokens(column).to_pylist()
    assert [json.loads(each) for each in tokens] == [*WORDS, None]
    lists = pa.array([[1, 2], [], None], pa.list_(pa.int64()))
    assert [each and json.loads(each) for each in json_text.list_text(lists).to_pylist()] == [[1, 2], [], None]
    objects = json_text.object_text(["t", "n"], [column[:3], pa.array([1, None, 3])]).to_pylist()
    assert [json.loads(each) for each in objects] == [{"t": "", "n": 1}, {"t": "a", "n": None}, {"t": "é", "n": 3}]


# ---- forms after `as` ------------------------------------------------------------------------------------------------


# An example of a number, with its prefix, suffix, and places.
@pytest.mark.parametrize(
    ("example", "before", "after", "places"),
    [
        ("1.234,50", "", "", 2),
        ("1,234.50", "", "", 2),
        ("0012", "", "", 0),
        ("12 %", "", " %", 0),
        ("€ 1,00", "€ ", "", 2),
    ],
)
def test_an_example_of_a_number_is_taken_apart(example: str, before: str, after: str, places: int) -> None:
    found = number_like(example)
    assert (found.before, found.after, found.places) == (before, after, places)


@pytest.mark.parametrize("pattern", ["yes | no", "1 | 0", "on|off"])
def test_words_for_truth_values(pattern: str) -> None:
    yes, no = words_like(pattern)
    assert [yes, no] == [each.strip() for each in pattern.split("|")]
    check(pattern, Type("boolean"))


@pytest.mark.parametrize(
    ("pattern", "kind"), [("yes", "boolean"), ("abc", "date"), ("", "integer"), ("abc", "integer")]
)
def test_what_shows_nothing_is_refused(pattern: str, kind: str) -> None:
    with pytest.raises(NotShown):
        check(pattern, Type(kind))


# ---- one value in every format ---------------------------------------------------------------------------------------

VALUES = [
    "",
    "a",
    'say "x"',
    "a,b",
    "two\nlines",
    " a ",
    "<&>",
    "é",
    "null",
    "1",
    True,
    False,
    Number("1.50"),
    None,
    NOTHING,
    [Number("1")],
    "\x00",
    "]]>",
]


@pytest.mark.parametrize("value", VALUES, ids=repr)
@pytest.mark.parametrize("form", ["csv", "json", "jsonl", "xml", "yaml"])
def test_a_token_is_read_back_or_the_format_says_why_not(form: str, value: Any) -> None:
    chosen = FORMATS[form]
    why = chosen.cannot(value)
    if why:
        assert why[0].isupper() or " " in why
        return
    token = chosen.token(value)
    if token is None:
        assert value is None or value is NOTHING
    elif value is NOTHING:
        assert token == ""
    elif form == "csv":
        (cells,) = csv.reader(io.StringIO(f"{token}\r\n", newline=""))
        assert (cells or [""]) == [_as_text(value)]
    elif form == "xml":
        inside = etree.fromstring(f"<x>{token}</x>" if not token.startswith("<x") else token)
        assert "".join(inside.itertext()) == (_as_text(value) if not isinstance(value, list) else "1")
    else:
        assert (yaml.safe_load if form == "yaml" else json.loads)(token) == (
            float(value) if isinstance(value, Number) else [1] if isinstance(value, list) else value
        )


def _as_text(value: Any) -> str:
    return (
        {True: "true", False: "false"}[value]
        if isinstance(value, bool)
        else "[1]"
        if isinstance(value, list)
        else str(value)
    )


READERS = {
    "csv": lambda data: list(csv.reader(io.StringIO(data.decode("utf-8"), newline=""), strict=True)),
    "json": lambda data: json.loads(data.decode("utf-8")),
    "jsonl": lambda data: [json.loads(each) for each in data.decode("utf-8").splitlines()],
    "xml": etree.fromstring,
    "yaml": lambda data: yaml.safe_load(data.decode("utf-8")),
}
SOUND = {
    "csv": b"a,b\r\n1,ae\r\n2,ea\r\n",
    "json": b'[{"a": 1, "b": "ae"},\n{"a": 2, "b": "ea"}]\n',
    "jsonl": b'{"a": 1, "b": "ae"}\n{"a": 2, "b": "ea"}\n',
    "xml": b'<?xml version="1.0" encoding="UTF-8"?>\n<records><row><a>1</a><b>ae</b></row><row><a>2</a><b>ea</b></row></records>',
    "yaml": b'- a: 1\n  b: "ae"\n- a: 2\n  b: "ea"\n',
}


@pytest.mark.parametrize("form", READERS)
def test_broken_files_are_broken_for_other_readers_too(form: str) -> None:
    """A file to reject fails in other readers or reads as other records; a file to accept reads as the same records."""
    wanted = _plain(READERS[form](SOUND[form]))
    names = [each.fault for each in FORMATS[form].breaks]
    assert len(set(names)) == len(names) > 5
    for each in FORMATS[form].breaks:
        data = each.change(SOUND[form], "row")
        if data is None:
            continue
        try:
            found = _plain(READERS[form](data.removeprefix(b"\xef\xbb\xbf")))
        except (ValueError, csv.Error, etree.XMLSyntaxError, yaml.YAMLError, RecursionError):
            found = None
        if each.expected == "accept":
            assert found == wanted, each.fault
        assert data != SOUND[form], each.fault


def _plain(found: Any) -> Any:
    return etree.tostring(found, method="text") if isinstance(found, etree._Element) else found


# ---- types -----------------------------------------------------------------------------------------------------------

INT, REAL, TEXT, BOOL, DATE = Type("integer"), Type("real"), Type("text"), Type("boolean"), Type("date")


@pytest.mark.parametrize(
    ("one", "two", "both"),
    [
        (INT, INT, INT),
        (INT, decimal(2), decimal(2)),
        (decimal(1), decimal(3), decimal(3)),
        (INT, REAL, REAL),
        (Type("null"), DATE, DATE),
        (DATE, Type("datetime"), Type("datetime")),
        (INT, TEXT, None),
        (BOOL, INT, None),
        (Type("days"), Type("duration"), Type("duration")),
    ],
)
def test_two_types_have_one_in_common(one: Type, two: Type, both: Type | None) -> None:
    assert unify(one, two) == unify(two, one) == both


@pytest.mark.parametrize(
    ("operator", "one", "two", "found"),
    [
        ("+", INT, INT, INT),
        ("*", decimal(2), decimal(2), decimal(4)),
        ("/", INT, INT, REAL),
        ("-", DATE, DATE, Type("days")),
        ("+", DATE, Type("days"), DATE),
        ("+", TEXT, INT, None),
        ("*", DATE, INT, None),
        ("*", Type("duration"), INT, Type("duration")),
    ],
)
def test_arithmetic_of_types(operator: str, one: Type, two: Type, found: Type | None) -> None:
    assert arithmetic(operator, one, two) == found


# ---- files, threads, caches ------------------------------------------------------------------------------------------


def test_files_appear_together_or_not_at_all(tmp_path: Path) -> None:
    one, two = tmp_path / "new" / "one", tmp_path / "new" / "two"
    with NewFiles(force=False) as files:
        files.folder(tmp_path / "new")
        files.open(one).write(b"1")
        files.open(two).write(b"2")
        assert not one.exists()
    assert (one.read_bytes(), two.read_bytes()) == (b"1", b"2")
    with pytest.raises(UsageFault, match="--force"), NewFiles(force=False) as files:
        files.open(one)
    with pytest.raises(ValueError, match="stop"), NewFiles(force=True) as files:  # noqa: PT012 - checks the files left behind
        files.folder(tmp_path / "other")
        files.open(tmp_path / "other" / "x").write(b"3")
        files.open(one).write(b"4")
        raise ValueError("stop")
    assert one.read_bytes() == b"1"
    assert not (tmp_path / "other").exists()
    assert sorted(each.name for each in tmp_path.rglob("*")) == ["new", "one", "two"]
    with pytest.raises(UsageFault, match="is a folder"), NewFiles(force=True) as files:
        files.open(tmp_path)
    with pytest.raises(UsageFault, match="is a file"), NewFiles(force=True) as files:
        files.folder(one)
    with pytest.raises(SurroundingsFault, match="no such file"), NewFiles(force=True) as files:
        files.open(tmp_path / "nowhere" / "x")
    assert regular_file(one)
    assert not regular_file(Path("/dev/null"))


@pytest.mark.parametrize("workers", [1, 2, 5])
def test_results_come_in_order_whoever_is_first(workers: int) -> None:
    started: list[int] = []

    def make(part: int) -> int:
        started.append(part)
        threading.Event().wait(0.002 * (part % 3))
        return part * part

    found = list(in_order(make, range(20), workers))
    assert found == [(each, each * each) for each in range(20)]
    with pytest.raises(ZeroDivisionError):
        list(in_order(lambda part: 1 // (3 - part), range(20), workers))


def test_few_parts_are_under_way_at_once() -> None:
    under_way: list[int] = []

    def parts() -> Any:
        for each in range(30):
            under_way.append(each)
            yield each

    done = in_order(lambda part: part, parts(), 2)
    next(done)
    assert len(under_way) <= 5
    done.close()  # type: ignore[attr-defined]
    assert len(under_way) <= 5


def test_a_cache_can_be_cleared() -> None:
    seen: list[int] = []

    @caches.kept(4)
    def double(number: int) -> int:
        seen.append(number)
        return number * 2

    assert [double(1), double(1), double(2)] == [2, 2, 4]
    assert seen == [1, 2]
    caches.forget()
    assert double(1) == 2
    assert seen == [1, 2, 1]


@pytest.mark.parametrize(
    ("word", "known", "right"),
    [
        ("integr", ["integer", "decimal"], "integer"),
        ("given_name", ["given-name", "family-name"], "given-name"),
        ("nmae", ["name", "date"], "name"),
        ("xyz", ["integer"], None),
        ("INTEGER", ["integer"], "integer"),
        ("", ["a"], None),
    ],
)
def test_the_nearest_word_is_found(word: str, known: list[str], right: str | None) -> None:
    assert nearest(word, known) == right
    assert did_you_mean(word, known) == (f"did you mean `{right}`?" if right else None)


CALLS = [
    (lambda schema: library.table(schema, "hut", rows=(0, 0)), "`0..0` is not a range of rows; the first row is 1"),
    (lambda schema: library.table(schema, "hut", rows=(5, 1)), "`5..1` is not a range of rows"),
    (lambda schema: library.table(schema, "hut", rows=(20, 30)), "`hut` has 24 rows; row 25 is not there"),
    (lambda schema: library.table(schema, "hutt"), "there is no record type `hutt`; did you mean `hut`?"),
    (lambda schema: library.table(schema, "hut", count=-1), "`count` is -1, not a whole number"),
    (lambda schema: library.table(schema, "hut", seed="x"), "`seed` is 'x', not a whole number"),
    (lambda schema: library.table("huts.yaml", "hut"), "the schema is what `yurt.read` returns, not str"),
    (lambda schema: library.read("none.yaml"), "there is no file none.yaml"),
    (lambda schema: library.read(HUTS, ["peek"]), "there is no variant `peek`; did you mean `peak`?"),
]


@pytest.mark.parametrize(("call", "message"), CALLS)
def test_python_errors_are_our_own(call: Any, message: str) -> None:
    with pytest.raises(library.UsageFault, match=re.escape(message)) as caught:
        call(library.read(HUTS))
    assert isinstance(caught.value, library.YurtError) and issubclass(library.SchemaFault, library.YurtError)
