"""The validator's rules by data type, in every format that it reads.

A table row is a field, a value, and the rule that the value breaks (empty for none). Python's own writers write the
values, so the project's writers play no part.
"""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator
from datetime import date
from typing import Any
from xml.sax.saxutils import escape

import pandas as pd
import pytest
import yaml

from yurt.core.base.arrays import strings
from yurt.core.language.reader import read
from yurt.core.model import Schema
from yurt.core.source.diagnostics import Source
from yurt.core.verify.lasting import microseconds
from yurt.core.verify.verification import Data, Verification
from yurt.core.verify.violation import RULES, Violation

from .conftest import schema_of

TODAY = date(2026, 6, 1)
ABSENT = object()


def schema(lines: str, tail: str = "") -> Schema:
    """Return the schema of one record type, `row`."""
    return read(Source("s", schema_of(lines, 5, head="seed: 1\ntoday: 2026-06-01\n", tail=tail)))[0]


def as_csv(rows: list[dict[str, Any]]) -> bytes:
    """Write rows as CSV: a missing value is an empty cell, and an empty text is a quoted empty cell."""
    names = list(dict.fromkeys(name for row in rows for name in row))
    lines = [",".join(names)]
    for row in rows:
        cells = []
        for name in names:
            value = row.get(name)
            text = text_of(value)
            out = io.StringIO()
            csv.writer(out, lineterminator="").writerow([text])
            cells.append("" if value in (None, ABSENT) else out.getvalue() if text else '""')
        lines.append(",".join(cells))
    return ("\r\n".join(lines) + "\r\n").encode()


def text_of(value: Any) -> str:
    return value if isinstance(value, str) else "" if value in (None, ABSENT) else json.dumps(value, ensure_ascii=False)


def as_json(rows: list[dict[str, Any]]) -> bytes:
    """Write rows as JSON."""
    return json.dumps([{name: each for name, each in row.items() if each is not ABSENT} for row in rows]).encode()


def as_jsonl(rows: list[dict[str, Any]]) -> bytes:
    """Write rows as JSON Lines."""
    return b"".join(as_json([row])[1:-1] + b"\n" for row in rows)


def as_xml(rows: list[dict[str, Any]]) -> bytes:
    """Write rows as XML: a missing value has no element."""

    def inside(value: Any) -> str:
        if isinstance(value, list):
            return "".join(f"<value>{inside(each)}</value>" for each in value)
        if isinstance(value, dict):
            return "".join(f"<{name}>{inside(each)}</{name}>" for name, each in value.items() if each is not None)
        return escape(text_of(value))

    records = (
        "<row>"
        + "".join(f"<{name}>{inside(each)}</{name}>" for name, each in row.items() if each not in (None, ABSENT))
        for row in rows
    )
    return ("<records>" + "".join(f"{each}</row>" for each in records) + "</records>").encode()


def as_yaml(rows: list[dict[str, Any]]) -> bytes:
    """Write rows as YAML, in block style."""
    found = [{name: each for name, each in row.items() if each is not ABSENT} for row in rows]
    return yaml.safe_dump(found, allow_unicode=True, encoding="utf-8")  # type: ignore[no-any-return]


FORMATS = {"csv": as_csv, "json": as_json, "jsonl": as_jsonl, "xml": as_xml, "yaml": as_yaml}


def broken(found: Schema, rows: list[dict[str, Any]], form: str, **more: Any) -> list[Violation]:
    """Return the violations of rows in a format."""
    return list(looked(found, FORMATS[form](rows), form, **more).run())


def looked(found: Schema, data: bytes, form: str, **more: Any) -> Verification:
    files = {"row": Data("row", lambda: io.BytesIO(data), form)}
    return Verification(found, files, TODAY, workers=1, **more)


def rules(violations: list[Violation]) -> set[tuple[int, str, str]]:
    return {(int(row), each.field, each.rule) for each in violations for row in each.rows}


# A field, and its values with the rule that each breaks. `typed` values are as in JSON; other formats write the same
# text.
HEADS: dict[str, list[tuple[Any, str]]] = {
    "integer 3..9": [(3, ""), (9, ""), (5, ""), (2, "range"), (10, "range"), (-5, "range"), (10**30, "range"),
        (None, "presence")],
    "integer -5..5": [(-5, ""), (0, ""), (-6, "range"), (6, "range")],
    "integer 10..50 step 5": [(10, ""), (45, ""), (50, ""), (12, "step"), (51, "range"), (9, "range")],
    "integer 3..9, missing 10%": [(3, ""), (None, ""), (11, "range")],
    "integer 3..9, optional": [(3, ""), (None, ""), (ABSENT, "")],
    "decimal 0.50..2.00": [(0.5, ""), (2.0, ""), (1.25, ""), (0.49, "range"), (2.01, "range"), (1.255, "step"),
        (-1.0, "range"), (3, "range"), (1, "")],
    "sex-code": [(1, ""), (9, ""), (5, "list"), (-1, "list")],
    "decimal 0.50..2.00 step 0.25": [(0.75, ""), (0.8, "step"), (2.25, "range")],
    "decimal -1.5..1.5": [(-1.5, ""), (1.5, ""), (-1.6, "range"), (0.05, "step")],
    "date 2026-06-15..2026-09-30": [("2026-06-15", ""), ("2026-09-30", ""), ("2026-06-14", "range"),
        ("2026-10-01", "range"), ("2026-02-30", "type"), ("15.06.2026", "type"), ("2026-6-15", "type"), ("", "type"),
        (None, "presence"), ("2026-06-15T00:00:00", "type")],
    "date 2026-06-01..2026-06-30, on mon | fri": [("2026-06-01", ""), ("2026-06-05", ""), ("2026-06-02", "weekday"), ("2026-05-29", "range")],
    "date 2026-10-01..2026-12-31, on workdays of AT": [("2026-10-27", ""), ("2026-10-26", "holiday"), ("2026-12-08", "holiday"),
        ("2026-11-28", "weekday"), ("2026-11-11", ""), ("2027-01-04", "range")],
    "date 2026-01-01..2026-12-31, in jun": [("2026-06-30", ""), ("2026-07-01", "month")],
    "date 1899-12-31..1900-03-01": [("1900-02-28", ""), ("1900-02-29", "type"), ("1899-12-31", ""), ("1899-12-30", "range")],
    "time 08:00..22:00": [("08:00:00", ""), ("22:00:00", ""), ("07:59:00", "range"), ("22:01:00", "range"),
        ("24:00:00", "type"), ("8:00:00", "type"), ("12:00:30", "step")],
    "time 08:00..22:00 step 15min": [("08:15:00", ""), ("08:20:00", "step")],
    "datetime 2026-06-15T08:00..2026-06-15T18:00": [("2026-06-15T08:00:00", ""), ("2026-06-15T18:00:00", ""),
        ("2026-06-15T18:00:01", "range"), ("2026-06-15", "type"), ("2026-06-15 08:00:00", "type"),
        ("2026-06-15T25:00:00", "type"), ("2026-06-15T08:00:00.500000", "step")],
    "datetime 2026-01-01T00:00..2026-12-31T00:00 zone Europe/Vienna": [
        ("2026-06-15T08:00:00+02:00", ""),
        ("2026-01-15T08:00:00+01:00", ""),
        # The same instant with another offset is the same value.
        ("2026-06-15T08:00:00+01:00", ""),
        ("2026-03-29T02:30:00+01:00", ""),
        ("2026-06-15T08:00:00", "type"),
        ("2026-06-15T08:00:00Z", ""),
        ("2025-12-31T23:00:00Z", ""),
        ("2025-12-31T22:59:59Z", "range"),
        ("2026-12-31T00:00:00+00:59", "range"),
    ],
    "datetime 2026-01-01T00:00..2026-12-31T00:00 zone utc": [("2026-06-15T08:00:00Z", ""),
        ("2026-06-15T08:00:00+00:00", ""), ("2026-12-31T01:00:00+01:00", ""), ("2026-12-31T01:00:01+01:00", "range")],
    "duration 1d..14d": [("P1D", ""), ("P14D", ""), ("P15D", "range"), ("PT24H", ""), ("PT25H", "type"),
        ("1d", "type"), ("P", "type")],
    "duration 30min..8h step 30min": [("PT30M", ""), ("PT8H", ""), ("PT45M", "step"), ("PT8H30M", "range"), ("-PT30M", "range")],
    "boolean": [(True, ""), (False, ""), ("yes", "type"), (None, "presence")],
    "one of half | full | none": [("half", ""), ("none", ""), ("Half", "list"), ("half ", "list"), ("", "list"),
        (None, "presence"), ("other", "list")],
    "one of 1 | 2 | 3": [(1, ""), (4, "list"), (0, "list")],
    "one of 0.5 | 1.5": [(0.5, ""), (1.0, "list"), (2.5, "list")],
    "one of 2026-01-01 | 2026-02-01": [("2026-01-01", ""), ("2026-01-02", "list")],
    'one of a | b | ab, without "b"': [("a", ""), ("b", "pattern"), ("c", "list")],
    "/[A-Z]{2}-[0-9]{3}/": [("AB-123", ""), ("AB-12", "length"), ("AB-1234", "length"), ("ab-123", "pattern"),
        ("AB_123", "pattern"), ("AB-12x", "pattern"), ("", "length"), (None, "presence")],
    "/a|bb|c{2,4}/": [("a", ""), ("bb", ""), ("cccc", ""), ("b", "pattern"), ("ccccc", "length"), ("d", "pattern")],
    "/x*/": [("xxxx", ""), ("", ""), ("y", "pattern"), ("x" * 500, "")],
    "/./": [("é", ""), ("a", ""), ("ab", "length"), ("", "length")],
    "/[^a]/": [("b", ""), ("ß", ""), ("a", "pattern")],
    'like "HK-402"': [("AB-123", ""), ("ab-123", "pattern"), ("AB-1234", "length")],
    "text 3..6 of digit": [("123", ""), ("123456", ""), ("12", "length"), ("1234567", "length"), ("12a", "pattern")],
    "text 2..4 of Greek": [("αβγ", ""), ("abc", "pattern"), ("α", "length")],
    "text 2..5 of upper, matching /A.*/": [("ABC", ""), ("BCD", "pattern"), ("A", "length")],
    "text 1..1500 of lower": [("a" * 1500, ""), ("a" * 1501, "length"), ("a" * 700 + "B", "pattern")],
    "bytes 2..3": [("abcd", ""), ("0123ef", ""), ("ab", "length"), ("01234567", "length"), ("ABCD", "pattern"),
        ("abc", "pattern"), ("wxyz", "pattern")],
    "bytes 3 base64": [("AAAA", ""), ("AAA=", "length"), ("AA!A", "pattern"), ("AAAAAAAA", "length")],
    "sequence from 10 step 5": [(10, ""), (95, ""), (9, "range"), (12, "step")],
    "sequence from 10 step -5": [(10, ""), (5, ""), (15, "range"), (8, "step")],
    "uuid": [("0f8fad5b-d9cb-469f-a165-70867728950e", ""), ("0f8fad5b-d9cb-769f-a165-70867728950e", "pattern"),
        ("0F8FAD5B-D9CB-469F-A165-70867728950E", ""), ("0f8fad5bd9cb469fa16570867728950e", "length"),
        ("x", "length")],
    "uuid v7": [("018f8c7e-0000-7000-8000-000000000000", ""), ("018f8c7e-0000-4000-8000-000000000000", "pattern")],
    "every 15min from 2026-06-15T00:00": [("2026-06-15T00:00:00", ""), ("2026-06-15T00:45:00", ""),
        ("2026-06-15T00:10:00", "step"), ("2026-06-14T23:45:00", "range")],
    "every 1d from 2026-06-15": [("2026-06-15", ""), ("2026-07-01", ""), ("2026-06-14", "range")],
    "list 1..3 of integer 1..9": [([1], ""), ([1, 2, 3], ""), ([], "length"), ([1, 2, 3, 4], "length"),
        ([0], "range"), ([1, 10], "range"), (None, "presence")],
    "list 2 of (one of a | b | c), distinct": [(["a", "b"], ""), (["a", "a"], "distinct"), (["a", "x"], "list"), (["a"], "length")],
    "list 1..2 of (integer 1..9, missing 50%)": [([1], ""), ([12], "range")],
    "gtin-13": [("4006381333931", ""), ("4006381333932", "check digit")],
    "isbn-13": [("9783161484100", ""), ("9783161484101", "check digit")],
    "email": [("a.b@example.com", ""), ("a.b", "pattern")],
    "ipv4": [("192.0.2.1", ""), ("192.0.2.x", "pattern")],
    "bic": [("ABCDAT20XXX", ""), ("ABCDAT2", "length"), ("ABCD1T20", "pattern")],
    "= 1 + 1": [(2, ""), (3, "value"), (None, "value")],
    'text "n{1 + 1}"': [("n2", ""), ("n3", "value")],
}  # fmt: skip


def lines() -> Iterator[tuple[str, Any, str]]:
    for head, values in HEADS.items():
        for value, rule in values:
            yield head, value, rule


@pytest.mark.parametrize("form", FORMATS)
@pytest.mark.parametrize("head", HEADS)
def test_a_value_breaks_the_rule_that_the_table_says(head: str, form: str) -> None:
    found = schema(f"a: '{head.replace(chr(39), chr(39) * 2)}'\nz: integer 1..9")
    values = [(value, rule) for value, rule in HEADS[head] if expressible(value, form)]
    said = rules(
        [
            each
            for each in broken(found, [{"a": value, "z": 1} for value, _ in values], form, whole=False)
            if each.rule != "unique"
        ]
    )
    wanted = {(at, "a", rule) for at, (_, rule) in enumerate(values) if rule}
    assert said == wanted, sorted(said ^ wanted)
    assert len(values) >= 2


def expressible(value: Any, form: str) -> bool:
    """Return whether a format can express the value: XML cannot distinguish an empty list, an empty text, and a missing
    value."""
    return not (form == "xml" and value in ([], ""))


# JSON types: a value of another type than the field's.
TYPES: dict[str, list[Any]] = {
    "integer 3..9": ["5", True, 5.5, [5], {"a": 5}],
    "decimal 0.50..2.00": ["1.00", False, [1.0]],
    "boolean": ["true", 1, 0, []],
    "text 1..3 of lower": [5, True, ["abc"], {}],
    "one of a | b": [1, ["a"]],
    "date 2026-06-15..2026-09-30": [20260615, True, ["2026-06-15"]],
    "time 08:00..22:00": [800, False],
    "duration 1d..14d": [1, "P1M"],
    "uuid": [7, None],
    "list 1..3 of integer 1..9": [5, "5", {"a": 1}, ["5"], [[5]], [True]],
    "list 1..3 of (one of a | b)": [[1], ["a", 2], [["a"]]],
}


@pytest.mark.parametrize(("head", "value"), [(head, value) for head, values in TYPES.items() for value in values])
@pytest.mark.parametrize("form", ["json", "jsonl", "yaml"])
def test_a_value_of_another_type_is_none_of_the_field(head: str, value: Any, form: str) -> None:
    said = rules(broken(schema(f"a: {head}"), [{"a": value}], form))
    assert said == {(0, "a", "presence" if value is None else "type")}


# Violations of several fields of one record, row by row: fields, rows, and the expected violations.
RECORDS: dict[str, tuple[str, list[dict[str, Any]], set[tuple[int, str, str]]]] = {
    "a range that depends on another field": ("a: integer 1..9\nb: integer a..a + 2",
        [{"a": 3, "b": 5}, {"a": 3, "b": 6}, {"a": 3, "b": 2}, {"a": 99, "b": 5}],
        {(1, "b", "range"), (2, "b", "range"), (3, "a", "range")}),
    "a condition of presence": ("a: boolean\nb: integer 1..9, present if a",
        [{"a": True, "b": 1}, {"a": False, "b": None}, {"a": True, "b": None}, {"a": False, "b": 2}],
        {(2, "b", "presence"), (3, "b", "condition")}),
    "missing only where a condition holds": ("a: integer 1..9\nb: integer 1..9, missing 50% if a > 5",
        [{"a": 6, "b": None}, {"a": 5, "b": None}, {"a": 5, "b": 3}], {(1, "b", "presence")}),
    "a table of conditions": ("a: integer 1..9\nb:\n  when:\n    a > 5: one of x | y\n    else: one of z",
        [{"a": 6, "b": "x"}, {"a": 6, "b": "z"}, {"a": 5, "b": "z"}, {"a": 5, "b": "x"}],
        {(1, "b", "list"), (3, "b", "list")}),
    "a table without a row for all": ("a: integer 1..9\nb:\n  when:\n    a > 5: one of x\n    a > 3: one of y",
        [{"a": 6, "b": "x"}, {"a": 4, "b": "y"}, {"a": 1, "b": None}, {"a": 1, "b": "x"}], {(3, "b", "condition")}),
    "a derived field": ("a: integer 1..9\nb: = a * 2",
        [{"a": 3, "b": 6}, {"a": 3, "b": 7}, {"a": 3, "b": None}, {"a": 88, "b": 7}],
        {(1, "b", "value"), (2, "b", "value"), (3, "a", "range")}),
    "a derived text": ('a: integer 1..9\nb: text "no. {a}"', [{"a": 3, "b": "no. 3"}, {"a": 3, "b": "no. 4"}],
        {(1, "b", "value")}),
    "a derived field over a helper": ("a: integer 1..9\nh: = a + 1, helper\nb: = h * 2",
        [{"a": 3, "b": 8}, {"a": 3, "b": 6}], {(1, "b", "value")}),
    "a unique field": ("a: integer 1..99, unique\nb: integer 1..9",
        [{"a": 3, "b": 1}, {"a": 4, "b": 1}, {"a": 3, "b": 1}, {"a": 3, "b": 2}],
        {(2, "a", "unique"), (3, "a", "unique")}),
    "a unique text": ("a: text 1..3 of lower, unique\nb: integer 1..9",
        [{"a": "x", "b": 1}, {"a": "y", "b": 1}, {"a": "x", "b": 1}], {(2, "a", "unique")}),
    "a record inside": ("a:\n  nested:\n    c: integer 1..9\n    d: one of x | y\nb: integer 1..9",
        [{"a": {"c": 1, "d": "x"}, "b": 1}, {"a": {"c": 10, "d": "x"}, "b": 1}, {"a": {"c": 1, "d": "q"}, "b": 1}],
        {(1, "a.c", "range"), (2, "a.d", "list")}),
    "no record where one should be": ("a:\n  nested:\n    c: integer 1..9\n    d: one of x | y\nb: integer 1..9",
        [{"a": {"c": 1, "d": "x"}, "b": 1}, {"a": {"c": None, "d": "x"}, "b": 1}, {"a": {"c": 3, "d": None}, "b": 1}],
        {(1, "a.c", "presence"), (2, "a.d", "presence")}),
    "a record that may be missing": ("a:\n  nested:\n    c: integer 1..9\n    d: one of x | y\n  missing: 40%\nb: integer 1..9",
        [{"a": None, "b": 1}, {"a": {"c": 99, "d": "x"}, "b": 1}], {(1, "a.c", "range")}),
    "an end that is missing": ("a: integer 1..9, missing 50%\nb: integer a..20",
        [{"a": None, "b": 3}, {"a": 4, "b": 3}, {"a": 4, "b": 4}], {(1, "b", "range")}),
    "a value beside a missing one": ("a: integer 1..9, missing 50%\nb: = a * 2",
        [{"a": None, "b": None}, {"a": None, "b": 4}, {"a": 2, "b": None}, {"a": 2, "b": 4}],
        {(1, "b", "value"), (2, "b", "value")}),
    "places that are cut off at an end": ("a: integer -5..0\nb: decimal 0.50..2.00",
        [{"a": 0, "b": 2.0}, {"a": 0, "b": 2.001}, {"a": 0, "b": 0.499}, {"a": -5, "b": 0.505}],
        {(1, "b", "range"), (2, "b", "range"), (3, "b", "step")}),
    "steps of a series": ("a: every 1h from 2026-06-01T00:00\nb: integer 1..9", [{"a": "2026-06-01T05:00:00", "b": 1},
        {"a": "2026-06-01T05:30:00", "b": 1}, {"a": "2026-05-31T23:00:00", "b": 1}],
        {(1, "a", "step"), (2, "a", "range")}),
    "steps of a range": ("a: integer 1..9 step 2\nb: time 08:00..09:00 step 15min",
        [{"a": 3, "b": "08:15:00"}, {"a": 4, "b": "08:20:00"}, {"a": 11, "b": "07:45:00"}],
        {(1, "a", "step"), (1, "b", "step"), (2, "a", "range"), (2, "b", "range")}),
    "rejected values": ("a:\n  is: integer 1..9\n  reject:\n    5: not five\nb: integer 1..9",
        [{"a": 4, "b": 1}, {"a": 5, "b": 1}, {"a": 10, "b": 1}], {(1, "a", "rejected"), (2, "a", "range")}),
}  # fmt: skip


@pytest.mark.parametrize("form", ["json", "jsonl", "xml", "yaml"])
@pytest.mark.parametrize("name", RECORDS)
def test_fields_of_a_record_are_checked_together(name: str, form: str) -> None:
    fields, rows, wanted = RECORDS[name]
    assert rules(broken(schema(fields), rows, form, whole=False)) == wanted


# Texts of durations, with their value in microseconds; None if invalid (ISO 8601-1, 5.5.2.2).
DURATIONS = {
    "PT1H": 3_600_000_000,
    "PT1M": 60_000_000,
    "PT1S": 1_000_000,
    "PT0S": 0,
    "P1D": 86_400_000_000,
    "P1DT1S": 86_401_000_000,
    "PT01H05M": 3_900_000_000,
    "PT1.5S": 1_500_000,
    "PT0.000001S": 1,
    "-PT1H30M": -5_400_000_000,
    "PT100H": 360_000_000_000,
    "P999999D": 86_399_913_600_000_000,
    "P": None,
    "PT": None,
    "P1DT": None,
    "1H": None,
    "PT1": None,
    "P1H": None,
    "PT1.5H": None,
    "PT1S1M": None,
    "pt1h": None,
    "PT1.0000001S": None,
    "P1M": None,
    "PT 1H": None,
    "": None,
    "PT٣H": None,
}


def test_durations_are_read_shape_by_shape() -> None:
    """All texts in one column, in several orders, so that different shapes are adjacent."""
    for texts in (list(DURATIONS), list(DURATIONS)[::-1], sorted(DURATIONS) * 3):
        values, good = microseconds(strings(texts))
        assert good.tolist() == [DURATIONS[each] is not None for each in texts]
        assert [int(v) for v, fine in zip(values, good, strict=True) if fine] == [
            DURATIONS[each] for each in texts if DURATIONS[each] is not None
        ]
    # Python's own form, written to the standard by other code.
    spans = [pd.Timedelta(seconds=each * 7919) for each in range(300)]
    values, good = microseconds(strings([each.isoformat() for each in spans]))
    assert good.all()
    assert values.tolist() == [each.value // 1000 for each in spans]


@pytest.mark.parametrize("form", ["csv", "json", "xml"])
def test_conditions_hold_for_every_row(form: str) -> None:
    found = schema("a: integer 1..9\nb: integer 1..9", tail="    always:\n      - a <= b\n      - a + b < 15\n")
    rows = [{"a": 1, "b": 2}, {"a": 3, "b": 2}, {"a": 7, "b": 9}, {"a": 9, "b": 8}]
    said = {(int(row), each.field) for each in broken(found, rows, form) for row in each.rows if each.rule == "always"}
    assert said == {(1, "a <= b"), (2, "a + b < 15"), (3, "a <= b"), (3, "a + b < 15")}


def test_the_facts_of_a_violation_are_fields_of_it() -> None:
    found = schema("a: integer 3..9\ntags: list 1..4 of integer 1..9")
    rows = [{"a": 4, "tags": [1]}, {"a": 12, "tags": [3, 99, 4, 77]}]
    by_field = {each.field: each for each in broken(found, rows, "json")}
    (one,) = by_field["a"].examples(0, 9)
    assert (by_field["a"].record, by_field["a"].rule, one.row, one.element, one.value, one.expected) == (
        "row",
        "range",
        1,
        None,
        "12",
        "3..9",
    )
    (one,) = by_field["tags"].examples(0, 9)
    assert (one.row, one.element, one.value) == (1, 1, "[3, 99, 4, 77]")


@pytest.mark.parametrize(
    ("rule", "line", "value"),
    [
        ("presence", "list 1..3 of integer 1..9", [1, None]),
        ("type", "list 1..3 of integer 1..9", [1, "x"]),
        ("range", "list 1..3 of integer 1..9", [1, 10]),
        ("distinct", "list 2 of integer 1..9, distinct", [4, 4]),
        ("list", "list 1..3 of (one of a | b)", ["a", "c"]),
        ("pattern", "list 1..3 of /[a-z]/", ["a", "B"]),
    ],
)
def test_the_faulty_value_of_a_list_is_named(rule: str, line: str, value: list[Any]) -> None:
    (found,) = broken(schema(f"a: {line}"), [{"a": value}], "json")
    assert (found.rule, [each.element for each in found.examples(0, 3)]) == (rule, [1])


def test_every_rule_is_found_somewhere_in_the_tables() -> None:
    seen = {rule for _, _, rule in lines()} | {rule for _, _, wanted in RECORDS.values() for _, _, rule in wanted}
    assert {*RULES} - seen <= {"agreement", "reference", "count", "always", "safe range"}


# Files that are not valid in their format, and the message.
FILES: list[tuple[str, bytes, str]] = [
    ("csv", b"", "no header line"),
    ("csv", b"a,a\r\n1,2\r\n", "is repeated in the header"),
    ("csv", b"b,c\r\n1,2\r\n", "no column has the name of a field"),
    ("csv", b"1,2\r\n3,4\r\n", "no column has the name of a field"),
    ("csv", b"a,z\r3,1\r4,1\r", "a carriage return alone (CR)"),
    ("csv", b"a;z\n3;1\n", "separated by semicolons; expected commas"),
    ("csv", b"a\tz\n3\t1\n", "separated by tabs; expected commas"),
    ("csv", b"A,Z\n3,1\n", "did you mean `a` by `A`?"),
    ("csv", b"a\r\n1\r\n1,2\r\n3\r\n", "2 cells where the header has 1"),
    ("csv", b'a,z\r\n"1,2\r\n', "a quote is never closed"),
    ("csv", b'a,z\n5,1\n4,"5\n6,7', "a quote is never closed"),
    ("csv", b'a,z\n5,1\n4,5"6\n6', "1 cells where the header has 2"),
    ("csv", b"a,z\r\n\xff,2\r\n", "not UTF-8"),
    ("csv", b"a," + b"x," * 30_000 + b"\r\n1\r\n", "more than 20,000 are not read"),
    ("json", b"", "the file is empty"),
    ("json", b"[1]", "a record was expected, not 1"),
    ("json", b'[{"a": 1}', "never closed"),
    ("json", b'[{"a": 1} {"a": 2}]', "a comma between two records is missing"),
    ("json", b'[{"a": 1, "a": 2}]', "is repeated in one record"),
    ("json", b"[" * 20_000, "nested too deeply"),
    ("json", b"[{}] x", "there is text after the end"),
    ("json", b"{a: 1}", "not JSON"),
    ("json", b'{"a": "\xff"}', "not UTF-8"),
    ("xml", b"", "not well-formed"),
    ("xml", b"<records><row><a>1</b></row></records>", "not well-formed"),
    ("xml", b"<other><row><a>3</a><z>1</z></row></other>", "the root is `other`"),
    ("xml", b"<records><row>" + b"<a>" * 300 + b"</records>", "nested too deeply"),
    ("xml", b'<!DOCTYPE r [<!ENTITY x "y">]><records><row><a>&x;</a></row></records>', "document type"),
    ("xml", b"<records>text<row><a>1</a></row></records>", "text between records"),
]


@pytest.mark.parametrize(("form", "whole", "told"), FILES, ids=[f"{form}-{told[:24]}" for form, _, told in FILES])
def test_a_malformed_file_is_reported(form: str, whole: bytes, told: str) -> None:
    look = looked(schema("a: integer 3..9\nz: integer 1..9, optional"), whole, form)
    list(look.run())
    assert any(told in each.message for each in look.reports["row"].faults), look.reports["row"].faults


@pytest.mark.parametrize("form", FORMATS)
def test_blocks_of_a_file_are_checked_as_a_whole(form: str) -> None:
    """Rows of different blocks are compared with one another and numbered through the file."""
    found = schema("a: integer 1..999999, unique\nb: integer 1..9")
    rows = [{"a": at + 1, "b": 1} for at in range(40_000)]
    rows[35_000]["a"] = 20
    rows[39_999]["b"] = 10
    assert rules(broken(found, rows, form)) == {(35_000, "a", "unique"), (39_999, "b", "range")}


def test_what_cannot_be_checked_is_listed() -> None:
    found = schema("a: integer 1..9\nh: integer 1..9, helper\nb: integer 1..h\nc: = draw(integer 1..9)\nd: = row")
    look = looked(found, as_json([{"a": 1, "b": 1, "c": 1, "d": 1}]), "json", whole=False)
    assert not list(look.run())
    told = look.reports["row"].unjudged
    assert {"row.b", "row.c", "row.d"} <= {name.split(",")[0] for name in told}
    assert all(told.values())
