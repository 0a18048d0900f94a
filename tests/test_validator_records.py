"""The validator's rules between the fields of a record, and the expectations in its messages, worked out by hand.

Python's own writers write each record in the formats that can express it.
"""

from __future__ import annotations

from typing import Any

import pytest

from yurt.core.language.reader import read
from yurt.core.source.diagnostics import Source
from yurt.core.verify.known import Known
from yurt.core.verify.validator import Validator

from .conftest import schema_of
from .test_validator import TODAY, as_csv, broken, looked, rules, schema

Row = dict[str, Any]
Rows = list[Row]
Wanted = set[tuple[int, str, str]]

# A field, a wrong value, and the expectation in the message.
EXPECTED: list[tuple[str, Any, str]] = [
    ("integer 1..9 step 2", 4, "steps of 2"),
    ("decimal 0.00..5.00 step 0.25", 0.3, "steps of 0.25"),
    ("decimal -5.00..0.00", 0.001, "-5.00..0.00"),
    ("time 08:00..09:00 step 15min", "08:20:00", "steps of PT15M"),
    ("datetime 2026-06-01T00:00..2026-06-30T00:00 step 6h", "2026-06-02T05:00:00", "steps of PT6H"),
    ("duration 1h..5h step 30min", "PT1H10M", "steps of PT30M"),
    ("date 2026-06-01..2026-06-30, on mon | tue", "2026-06-03", "on mon | tue"),
    ("date 2026-06-01..2026-09-30, in jun", "2026-07-03", "in jun"),
    ("date 2026-06-01..2026-09-30, on mon, in jun", "2026-07-03", "on mon, in jun"),
    ("text 3 of lower", "ab", "3 characters"),
    ("text 1..3 of lower", "abcd", "1 to 3 characters"),
    ("one of a | b | c | d | e | f", "g", "one of a | b | c | d | e | f"),
    ("one of a | b | c | d | e | f | g", "h", "one of a | b | c | d | e | f | … (7 values)"),
    ("sequence from 10 step 5", 5, "at least 10"),
    ("sequence from 10 step -5", 15, "at most 10"),
    ("sequence from 10 step 5", 12, "10 and steps of 5"),
    ("list 2 of integer 1..9", [1], "2 values"),
    ("list 2..3 of integer 1..9", [1], "2 to 3 values"),
    ("full-name, matching /A.*/", "Bob Ray", "/A.*/"),
    ("bytes 2..3", "aa", "2 to 3 bytes"),
    ("every 1d from 2026-06-15", "2026-06-14", "2026-06-15 or later"),
    ('date 2026-06-01..2026-06-30, as "%d.%m.%Y"', "x", "a date such as 2026-06-15"),
    ("vat", "GB262474751", "vat with its check digits: "),
    ("cc-number", "4000000000000003", "cc-number with its check digits: "),
    ("age(youngest=18, oldest=30)", 31, "18..30"),
    ("age(youngest=18, oldest=30)", 17, "18..30"),
    ("transaction-amount(1, 5)", 5.001, "1.00..5.00"),
    ("currency-code", "XXA", "a value of the kind currency-code: one of "),
    ("sex-code", 5, "a value of the kind sex-code: one of 0 | 1 | 2 | 9"),
    ("decimal 0.10..5.00 step 0.25", 0.25, "steps of 0.25"),
    ("integer 1..9", None, "a value"),
    ("integer 1..9, present if row > 0", None, "a value, as row > 0"),
]  # fmt: skip


@pytest.mark.parametrize(("line", "value", "wanted"), EXPECTED, ids=[f"{line}: {value}" for line, value, _ in EXPECTED])
def test_a_message_expects_what_the_schema_says(line: str, value: Any, wanted: str) -> None:
    found = broken(schema(f"a: {line}"), [{"a": value}], "json")
    (only,) = [one for each in found for one in each.examples(0, 3)]
    assert only.expected == wanted or (wanted.endswith(" ") and only.expected.startswith(wanted))


# Fields, rows, and their violations, record by record, in the formats named (all if none is named).
RECORDS: dict[str, tuple[str, Rows, Wanted]] = {
    "a list that may be missing, or short": ("a: list 2..3 of integer 1..9, missing 10%\nb: integer 1..9",
        [{"a": None, "b": 1}, {"a": [1], "b": 1}, {"a": [1, 2], "b": 1}], {(1, "a", "length")}),
    "an end that an expression leaves without a value": ("a: integer 1..9\nb: integer (if a > 5 then a else null)..20",
        [{"a": 6, "b": 5}, {"a": 5, "b": 3}, {"a": 6, "b": 6}, {"a": 5, "b": None}, {"a": 6, "b": None}],
        {(0, "b", "range"), (4, "b", "presence")}),
    "both ends without a value, the upper one alone": ("a: integer 1..9\nb: integer 4..(if a > 5 then a else null)",
        [{"a": 6, "b": 7}, {"a": 5, "b": 3}, {"a": 5, "b": 999}, {"a": 6, "b": 3}],
        {(0, "b", "range"), (3, "b", "range")}),
    "steps from an end that is a real number": ("a: integer 1..9\nb: decimal 0.00..9.00 step 0.50\nc: decimal sqrt(a) .. 20.0 step 0.5",
        [{"a": 4, "b": 0.5, "c": 2.5}, {"a": 4, "b": 0.5, "c": 2.6}, {"a": 9, "b": 0.4, "c": 3.0}],
        {(1, "c", "step"), (2, "b", "step")}),
    "a number of 19 digits that follows from another": ("a: integer 0..999999999999999999\nd: = a * 10",
        [{"a": 99999999999999999, "d": 999999999999999990}, {"a": 100000000000000000, "d": 1000000000000000000}],
        {(1, "d", "range")}),
    "a kind in a table of wider numbers": ("b: integer 1..9\na:\n  when:\n    b > 5: age\n    else: decimal 0.0..99.9",
        [{"b": 6, "a": 30}, {"b": 6, "a": 30.5}, {"b": 5, "a": 30.5}], {(1, "a", "step")}),
    "a sequence in a table of wider numbers": (
        "b: integer 1..9\na:\n  when:\n    b > 5: sequence from 10 step -1\n    else: decimal 0.0..99.9",
        [{"b": 6, "a": 10}, {"b": 6, "a": 10.5}, {"b": 6, "a": 9.5}, {"b": 5, "a": 10.5}],
        {(1, "a", "range"), (2, "a", "step")}),
    "a listed number with more places": ("a: one of 1.50 | 2.50\nb: integer 1..9",
        [{"a": 1.5, "b": 1}, {"a": 1.505, "b": 1}], {(1, "a", "list")}),
    "a series with jitter, which leaves its grid": ("a: every 1h from 2026-06-01T00:00, jitter 5min\nb: integer 1..9",
        [{"a": "2026-06-01T05:03:00", "b": 1}, {"a": "2026-05-31T23:56:00", "b": 1},
        {"a": "2026-05-31T23:54:00", "b": 1}], {(2, "a", "range")}),
    "a series of months, which differ in length": ("a: every 1mo from 2026-01-31\nb: integer 1..9",
        [{"a": "2026-02-28", "b": 1}, {"a": "2026-03-31", "b": 1}, {"a": "2026-01-30", "b": 1}], {(2, "a", "range")}),
    "a real number that follows from others": ("a: integer 1..9\nb: = sqrt(a)\nc: = a / 3",
        [{"a": 2, "b": 1.4142135623730951, "c": 0.6666666666666666}, {"a": 2, "b": 1.41421356237310, "c": 0.666666666666667},
        {"a": 2, "b": 1.41421356237, "c": 0.66666666666}], {(2, "b", "value"), (2, "c", "value")}),
    "a value where nothing follows": ("a: integer 1..9, missing 50%\nb: = a\nc: = null",
        [{"a": None, "b": None, "c": None}, {"a": None, "b": 2, "c": None}, {"a": 2, "b": None, "c": 3}],
        {(1, "b", "value"), (2, "b", "value"), (2, "c", "type")}),
    "a condition over a value at fault is not checked": ("a: integer 1..9\nb: integer 1..9, present if a > 3\nc: integer 1..9, missing 50% if a > 3",
        [{"a": 99, "b": None, "c": None}, {"a": 0, "b": 1, "c": None}, {"a": 2, "b": None, "c": None}],
        {(0, "a", "range"), (1, "a", "range"), (2, "c", "presence")}),
    "a condition that is neither true nor false does not hold": ("a: integer 1..9, missing 50%\nb: integer 1..9, present if a > 3",
        [{"a": None, "b": None}, {"a": None, "b": 1}, {"a": 4, "b": None}, {"a": 4, "b": 1}],
        {(1, "b", "condition"), (2, "b", "presence")}),
    "a table over a value at fault decides nothing": ("a: integer 1..9\nb:\n  when:\n    a > 5: one of x\n    a > 3: one of y",
        [{"a": 99, "b": "q"}, {"a": 1, "b": None}, {"a": 1, "b": "q"}, {"a": 6, "b": None}, {"a": 4, "b": "x"}],
        {(0, "a", "range"), (2, "b", "condition"), (3, "b", "presence"), (4, "b", "list")}),
    "columns of one value list": ("a: from routes.name\nb: from routes.km\nc: from board\nd: from more.name",
        [{"a": "Ridge", "b": 12.5, "c": "none", "d": "Lake"}, {"a": "Ridge", "b": 7.0, "c": "full", "d": "Ridge"},
        {"a": "Nowhere", "b": 7.0, "c": "none", "d": "Lake"}, {"a": None, "b": 7.0, "c": "none", "d": "Lake"},
        {"a": "Lake", "b": 7.0, "c": "full", "d": "Ridge"}],
        {(1, "a, b", "agreement"), (2, "a", "list"), (3, "a", "presence")}),
    "an empty cell of a value list is a missing value": ("a: from gaps.name\nb: from gaps.km",
        [{"a": "Ridge", "b": 12}, {"a": "Lake", "b": None}, {"a": "Ridge", "b": None}, {"a": "Lake", "b": 12},
        {"a": None, "b": 12}], {(2, "a, b", "agreement"), (3, "a, b", "agreement"), (4, "a", "presence")}),
    "a missing value of a list with empty cells may come from the clause instead": ("a: from gaps.name\nb: from gaps.km, missing 20%",
        [{"a": "Ridge", "b": None}, {"a": "Lake", "b": None}, {"a": "Ridge", "b": 12}, {"a": "Lake", "b": 12}],
        {(3, "a, b", "agreement")}),
    "all fields of a list's row may be missing": ("a: from routes.name, missing 30%\nb: from routes.km, missing 30%",
        [{"a": None, "b": None}, {"a": "Ridge", "b": None}, {"a": None, "b": 7.0}, {"a": "Ridge", "b": 7.0}],
        {(3, "a, b", "agreement")}),
    "a column that stands under a condition is checked alone": ("a: from routes.name\nb: from routes.km, present if c == 'full'\nc: from board",
        [{"a": "Ridge", "b": 7.0, "c": "full"}, {"a": "Ridge", "b": None, "c": "none"},
        {"a": "Ridge", "b": 8.0, "c": "full"}], {(2, "b", "list")}),
    "a record inside with a condition": ("a:\n  nested:\n    c: integer 1..9\n    d: integer 1..9, optional\n  present if: b > 5\nb: integer 1..9",
        [{"a": {"c": 1, "d": 2}, "b": 6}, {"a": None, "b": 6}, {"a": {"c": 1, "d": 2}, "b": 5}, {"a": None, "b": 5},
        {"a": {"c": 10, "d": None}, "b": 6}, {"a": {"c": 1, "d": 10}, "b": 7}],
        {(1, "a", "presence"), (2, "a", "condition"), (4, "a.c", "range"), (5, "a.d", "range")}),
    "a record inside a record that is missing": (
        "a:\n  nested:\n    c: integer 1..9\n    e:\n      nested:\n        f: integer 1..9\n  missing: 40%\nb: integer 1..9",
        [
            {"a": {"c": 1, "e": {"f": 2}}, "b": 6},
            {"a": None, "b": 6},
            {"a": {"c": 1, "e": {"f": 10}}, "b": 5},
            {"a": {"c": 1, "e": None}, "b": 5},
        ],
        {(2, "a.e.f", "range"), (3, "a.e", "presence")},
    ),
    "what follows inside a record that is missing": (
        "a:\n  nested:\n    c: = b + 1\n  missing: 40%\nb: integer 1..9",
        [{"a": {"c": 3}, "b": 2}, {"a": None, "b": 2}, {"a": {"c": 4}, "b": 2}, {"a": {"c": None}, "b": 2}],
        {(2, "a.c", "value"), (3, "a.c", "value")}),
    "the day on which the records are made": (
        'a: text "{today}"\nb: integer 1..9', [{"a": "2026-06-01", "b": 1}, {"a": "2026-06-01T00:00:00", "b": 1}],
        {(1, "a", "value")}),
    "a sum of which a part is missing": (
        "a: integer 1..9, missing 50%\nb: integer 1..9, missing 50%\nc: = a + b",
        [{"a": 1, "b": 3, "c": 4}, {"a": None, "b": 3, "c": None}, {"a": None, "b": 3, "c": 3}, {"a": 1, "b": None, "c": 1}],
        {(2, "c", "value"), (3, "c", "value")}),
    "a conjunction of which a part is unknown": (
        "a: integer 1..9\nb: integer 1..9, missing 50%\nc: = a > 3 and b > 3\nd: = a > 3 or b > 3",
        [{"a": 1, "b": None, "c": False, "d": None}, {"a": 5, "b": None, "c": None, "d": True}, {"a": 1, "b": None, "c": None, "d": None},
        {"a": 5, "b": None, "c": None, "d": None}, {"a": 5, "b": 4, "c": True, "d": True}],
        {(2, "c", "value"), (3, "d", "value")}),
    "a text of which a part is missing, and a date some months later": (
        'a: integer 1..9, missing 50%\nb: date 2026-01-01..2026-12-31\nt: text "{a}!"\nm: = b + 1mo',
        [{"a": 5, "b": "2026-01-31", "t": "5!", "m": "2026-02-28"}, {"a": None, "b": "2026-01-31", "t": "!", "m": "2026-02-28"},
        {"a": None, "b": "2026-01-31", "t": "0!", "m": "2026-03-03"}],
        {(2, "t", "value"), (2, "m", "value")}),
    "records in a list": ("a:\n  list: 1..2\n  nested:\n    c: integer 1..9\n    d: integer 1..c\nb: integer 1..9",
        [{"a": [{"c": 1, "d": 1}], "b": 1}, {"a": [{"c": 3, "d": 3}, {"c": 1, "d": 3}], "b": 1},
        {"a": [{"c": 3, "d": 3}, {"c": 99, "d": 3}], "b": 10}, {"a": [{"c": 3, "d": 3}] * 3, "b": 1},
        {"a": None, "b": 1}],
        {(1, "a.d", "range"), (2, "a.c", "range"), (2, "b", "range"), (3, "a", "length"), (4, "a", "presence")}),
    "a list that follows from another": ("a: list 1..3 of integer 1..9\nb: = a",
        [{"a": [1, 2], "b": [1, 2]}, {"a": [1, 10], "b": [1]}], {(1, "a", "range")}),
    "unique values in a list": ("a: list 2..3 of (integer 1..9, missing 20%), distinct\nb: integer 1..9",
        [{"a": [1, 2], "b": 1}, {"a": [1, 1, 2], "b": 1}, {"a": [None, None], "b": 1}, {"a": [3, 1], "b": 1}],
        {(1, "a", "distinct")}),
}  # fmt: skip
RECORDS |= {
    "a zero where nothing follows, and nothing where a zero does": (
        "c: integer 0..9, missing 50%\nb: = c * 2",
        [{"c": None, "b": 0}, {"c": 3, "b": 6}, {"c": None, "b": None}, {"c": 0, "b": None}],
        {(0, "b", "value"), (3, "b", "value")},
    ),
    "what follows from chance, as a number and as a text": (
        'h: integer 1..9, helper\nb: = h * 2\nt: text "{h}!"',
        [{"b": None, "t": "3!"}, {"b": 4, "t": None}, {"b": 4, "t": "x"}],
        {(1, "t", "presence")},
    ),
    "more than one unique field": (
        "a: integer 1..99, unique\nb: integer 1..99, unique\nc: sequence",
        [{"a": 1, "b": 5, "c": 1}, {"a": 2, "b": 5, "c": 2}, {"a": 3, "b": 6, "c": 2}],
        {(1, "b", "unique"), (2, "c", "unique")},
    ),
    "nothing but the same value": (
        "a: text 1..20, unique\nz: integer 1..9",
        [{"a": "hut", "z": 1}, {"a": "hut", "z": 1}],
        {(1, "a", "unique")},
    ),
}
LISTS = {
    "routes": "[{name: Ridge, km: 12.5}, {name: Lake, km: 7.0}]", "board": "[none, half, full]",
    "more": "[{name: Ridge, km: 12.5}, {name: Lake, km: 7.0}]", "gaps": "[{name: Ridge, km: 12}, {name: Lake, km: ''}]",
}  # fmt: skip


def with_lists(lines: str) -> Any:
    head = "".join(f"  {name}: {values}\n" for name, values in LISTS.items())
    return schema(lines, tail=f"value-lists:\n{head}" if "from " in lines and "every" not in lines else "")


@pytest.mark.parametrize("form", ["json", "jsonl", "xml"])
@pytest.mark.parametrize("name", RECORDS)
def test_fields_of_a_record_are_held_together(name: str, form: str) -> None:
    fields, rows, wanted = RECORDS[name]
    assert rules(broken(with_lists(fields), rows, form, whole=False)) == wanted


def test_what_follows_may_be_missing_where_its_clause_says_so() -> None:
    fields = (
        "b: integer 1..9\nc: = b * 2, present if b > 5\nd: = b * 2, missing 30%\n"
        'e: = b * 2, missing 100% if b < 4\nf: text "{b}", optional\ng: = b * 2'
    )
    sound = {"b": 7, "c": 14, "d": 14, "e": 14, "f": "7", "g": 14}
    small = {"b": 3, "c": None, "d": 6, "e": None, "f": "3", "g": 6}
    changes: list[tuple[Row, Row, Wanted]] = [
        (sound, {}, set()),
        (small, {}, set()),
        (sound, {"c": None}, {(0, "c", "value")}),
        (small, {"c": 6}, {(0, "c", "condition")}),
        (sound, {"d": None, "f": None}, set()),
        (sound, {"d": 13, "f": "x"}, {(0, "d", "value"), (0, "f", "value")}),
        (sound, {"e": None}, {(0, "e", "value")}),
        (sound, {"g": None}, {(0, "g", "value")}),
    ]
    for row, change, wanted in changes:
        assert rules(broken(schema(fields), [row | change], "json")) == wanted, change


# Values that only JSON can express: fields, rows, and the expected violations.
OF_JSON: dict[str, tuple[str, Rows, Wanted]] = {
    "no record where one is expected": (
        "a:\n  nested:\n    c: integer 1..9\nb: integer 1..9",
        [{"a": {"c": 1}, "b": 1}, {"a": 5, "b": 1}, {"a": "", "b": 1}, {"a": [1], "b": 1}, {"b": 1}, {"a": {}, "b": 1}],
        {(1, "a", "type"), (2, "a", "type"), (3, "a", "type"), (4, "a", "presence"), (5, "a.c", "presence")},
    ),
    "no record where one with what follows is expected": (
        "a:\n  nested:\n    c: = b + 1\nb: integer 1..9",
        [{"a": {"c": 2}, "b": 1}, {"a": 5, "b": 1}, {"a": {"c": None}, "b": 1}, {"a": {"c": "x"}, "b": 1}],
        {(1, "a", "type"), (2, "a.c", "value"), (3, "a.c", "type")},
    ),
    "no records in a list of them": (
        "a:\n  list: 1..3\n  nested:\n    c: integer 1..9\nb: integer 1..9",
        [
            {"a": [{"c": 1}, 5], "b": 1},
            {"a": [{"c": 10}, "x", {"c": 2}], "b": 1},
            {"a": {"c": 1}, "b": 1},
            {"a": [{"c": 1}, {"c": 10}], "b": 1},
            {"a": [{"c": 1}, {"c": 2}], "b": 1},
        ],
        # The fields of the other elements are still checked.
        {(0, "a", "type"), (1, "a", "type"), (1, "a.c", "range"), (2, "a", "type"), (3, "a.c", "range")},
    ),
    "a list in a list of records": (
        "a:\n  list: 1..3\n  nested:\n    c: list 1..2 of integer 1..9\nb: integer 1..9",
        [{"a": [{"c": [1]}, {"c": [10]}], "b": 1}, {"a": [{"c": []}], "b": 1}, {"a": [{"c": "x"}], "b": 1}],
        {(0, "a.c", "range"), (1, "a.c", "length"), (2, "a.c", "type")},
    ),
    "a record that may only be missing with its reason": (
        "a:\n  nested:\n    c: integer 1..9, present if b > 5\n  missing: 40%\nb: integer 1..9",
        [{"a": {"c": 1}, "b": 6}, {"a": {"c": None}, "b": 5}, {"a": {"c": 1}, "b": 5}, {"a": None, "b": 6}],
        {(2, "a.c", "condition")},
    ),
}


@pytest.mark.parametrize("form", ["json", "jsonl"])
@pytest.mark.parametrize("name", OF_JSON)
def test_what_only_json_can_hold(name: str, form: str) -> None:
    fields, rows, wanted = OF_JSON[name]
    assert rules(broken(schema(fields), rows, form)) == wanted


def test_what_is_there_of_a_row_of_a_list_agrees() -> None:
    lists = "seed: 1\nvalue-lists:\n  l:\n    - {a: x, b: 1, c: p}\n    - {a: y, b: 2, c: q}\n"
    lines = "a: from l.a\nb: from l.b\nc: from l.c, missing 30%"
    rows = [{"a": "x", "b": 1, "c": None}, {"a": "x", "b": 2, "c": None}, {"a": "y", "b": 2, "c": "p"}]
    found = rules(broken(read(Source("s", schema_of(lines, 9, lists)))[0], rows, "json"))
    assert found == {(1, "a, b, c", "agreement"), (2, "a, b, c", "agreement")}


def test_two_elements_of_one_name_are_no_record() -> None:
    text = b"<records><row><value>1</value><value>2</value></row></records>"
    run = looked(schema("value: integer 1..9"), text, "xml")
    assert list(run.run()) == [] and "a field in each element was expected" in run.reports["row"].faults[0].message


def test_an_element_of_a_record_has_elements_inside_or_nothing() -> None:
    """In XML; an empty element is a record without values."""
    rows = "".join(f"<row><a>{inside}</a><b>1</b></row>" for inside in ("<c>1</c>", "", "5", "<c>10</c>"))
    fields = "a:\n  nested:\n    c: integer 1..9, optional\nb: integer 1..9"
    found = rules(list(looked(schema(fields), f"<records>{rows}</records>".encode(), "xml").run()))
    assert found == {(2, "a", "type"), (3, "a.c", "range")}
    listed = "<row><a><value>5</value></a><b>1</b></row><row><a><value> </value></a><b>1</b></row>"
    fields = "a:\n  list: 1..3\n  nested:\n    c: integer 1..9, optional\nb: integer 1..9"
    found = rules(list(looked(schema(fields), f"<records>{listed}</records>".encode(), "xml").run()))
    assert found == {(0, "a", "type")}


# Flat CSV columns for nested records: fields, header and lines, and the expected violations.
FLAT: dict[str, tuple[str, str, Wanted]] = {
    "a record is there when one of its columns has a value": ("a:\n  nested:\n    c: integer 1..9\n    d: integer 1..9\n  missing: 40%\nb: integer 1..9",
        "a.c,a.d,b\n1,2,1\n,,1\n1,,1\n,2,1\n10,2,1\n",
        {(2, "a.d", "presence"), (3, "a.c", "presence"), (4, "a.c", "range")}),
    "a record that must be there": ("a:\n  nested:\n    c: integer 1..9\n    d: integer 1..9, optional\nb: integer 1..9",
        "a.c,a.d,b\n1,2,1\n,,1\n1,,1\n", {(1, "a.c", "presence")}),
    "a record without any value that must be there": ("a:\n  nested:\n    c: integer 1..9, optional\n    d: integer 1..9, optional\nb: integer 1..9",
        "a.c,a.d,b\n1,2,1\n,,1\n10,,1\n", {(2, "a.c", "range")}),
    "a record with a condition of its own": ("a:\n  nested:\n    c: integer 1..9\n  present if: b > 5\nb: integer 1..9",
        "a.c,b\n1,6\n,6\n1,5\n,5\n", {(1, "a", "presence"), (2, "a", "condition")}),
    "no column of a nested record is there": ("home:\n  nested:\n    c: integer 1..9\nb: integer 1..9", "b\n1\n", {(0, "home.c", "presence")}),
    "no column of a nested record that may be missing": ("home:\n  nested:\n    c: integer 1..9\n  missing: 40%\nb: integer 1..9",
        "b\n1\n10\n", {(1, "b", "range")}),
    "a record whose only sure value follows from others": ('home:\n  nested:\n    c: integer 1..9, optional\n    t: text "of {b}"\n  missing: 40%\nb: integer 1..9',
        "home.c,home.t,b\n1,of 2,2\n,,3\n1,,4\n,of 5,5\n", {(2, "home.t", "presence")}),
    "a record with a text of others and a condition": ('home:\n  nested:\n    t: text "of {b}"\n  present if: b > 5\nb: integer 1..9',
        "home.t,b\nof 6,6\n,6\n,2\n", {(1, "home", "presence")}),
    "lists stand in cells as JSON": ("a: list 1..3 of integer 1..9\nb: integer 1..9",
        'a,b\n"[1, 2]",1\n"[]",1\n"[1, 10]",1\n"[1,",1\n5,1\n,1\n"[""1""]",1\n', {(1, "a", "length"),
        (2, "a", "range"), (3, "a", "type"), (4, "a", "type"), (5, "a", "presence"), (6, "a", "type")}),
}  # fmt: skip


@pytest.mark.parametrize("name", FLAT)
def test_columns_of_csv_for_what_is_inside(name: str) -> None:
    fields, text, wanted = FLAT[name]
    assert rules(list(looked(schema(fields), text.encode(), "csv").run())) == wanted


# Text formats use the form after `as`; JSON uses it only with `as text`; lists of records never do.
SHOWN: list[tuple[str, str, Any, str]] = [
    ('integer 1..99, as "007"', "csv", "012", ""),
    ('integer 1..99, as "007"', "csv", "12", "type"),
    ('integer 1..99, as "007"', "json", 12, ""),
    ('integer 1..99, as "007"', "json", "012", "type"),
    ('integer 1..99, as text "007"', "json", "012", ""),
    ('integer 1..99, as text "007"', "json", 12, "type"),
    ('integer 1..99, as text "007"', "json", "012x", "type"),
    ('integer 1..99, as "007"', "xml", "012", ""),
    ('integer 1..99, as "007"', "xml", "12", "type"),
    ('integer 1..9, as "007"', "csv", "012", "range"),
    ('date 2026-06-01..2026-06-30, as "%d.%m.%Y"', "csv", "15.06.2026", ""),
    ('date 2026-06-01..2026-06-30, as "%d.%m.%Y"', "csv", "15.07.2026", "range"),
    ('date 2026-06-01..2026-06-30, as "%d.%m.%Y"', "csv", "2026-06-15", "type"),
    ('date 2026-06-01..2026-06-30, as "%d.%m."', "csv", "anything", "type"),
    ('date 2026-06-01..2026-06-30, as "%d.%m."', "csv", "01.07.", "range"),
    ('date 2026-06-01..2026-06-30, as "%d.%m."', "csv", "30.06.", ""),
    ('date 2026-06-01..2026-06-30, as "%d.%m."', "csv", None, "presence"),
    ('date 2026-06-01..2026-06-30, missing 10%, as "%d.%m."', "csv", None, ""),
    ('date 2026-06-01..2026-06-30, as text "%d.%m."', "json", "30.06.", ""),
    ('date 2026-06-01..2026-06-30, as text "%d.%m."', "json", 30, "type"),
    ('date 2026-06-01..2026-06-30, missing 10%, as text "%d.%m."', "json", None, ""),
    ('decimal 1.00..9.99, as "0.0"', "csv", "5.5", ""),
    ('decimal 1.00..9.99, as "0.0"', "csv", "77.5", "range"),
    ('decimal 1.00..9.94, as "0.0"', "csv", "9.9", ""),
    ('decimal 1.00..9.96, as "0.0"', "csv", "10.0", ""),
    ('decimal 1.00..9.94, as "0.0"', "csv", "10.0", "range"),
    ('decimal 1.00..9.94, as "0.0"', "csv", "9.90", "type"),
    ('decimal 0.000..1.000, as "12.5 %"', "csv", "99.9 %", ""),
    ('decimal 0.000..1.000, as "12.5 %"', "csv", "0.0 %", ""),
    ('decimal 0.000..1.000, as "12.5 %"', "csv", "100.0 %", ""),
    ('decimal 0.000..1.000, as "12.5 %"', "csv", "100.1 %", "range"),
    ('one of 0.125 | 0.254 | 1.000, as "0.1"', "csv", "0.3", ""),
    ('one of 0.125 | 0.254 | 1.000, as "0.1"', "csv", "0.2", "list"),
    ('time 08:00..20:00 step 1h, as "%H:%M"', "csv", "09:00", ""),
    ('time 08:00..20:00 step 1h, as "%H:%M"', "csv", "09:30", "step"),
    ('decimal 0.000..1.000, as "12.5 %"', "csv", "abc", "type"),
    ('decimal 0.000..1.000, as "12.5 %"', "csv", None, "presence"),
    ('decimal 0.00..1.00, as "12.5 %"', "csv", "0.5 %", "step"),
    ('one of 1.25 | 2.50, as "0.0"', "csv", "1.3", ""),
    ('one of 1.25 | 2.50, as "0.0"', "csv", "1.2", "list"),
    ('= z / 3, as "0.00"', "csv", "0.33", ""),
    ('= z / 3, as "0.00"', "csv", "0.34", "value"),
    ('= z / 3, as "0.00"', "csv", None, "value"),
    ('datetime 2026-06-01T08:00..2026-06-01T10:00, as "%Y-%m-%d %H:%M"', "csv", "2026-06-01 10:00", ""),
    ('datetime 2026-06-01T08:00..2026-06-01T10:00, as "%Y-%m-%d %H:%M"', "csv", "2026-06-01 10:01", "range"),
    ('datetime 2026-06-01T08:00:30..2026-06-01T10:00, as "%Y-%m-%d %H:%M"', "csv", "2026-06-01 08:00", ""),
    ('datetime 2026-06-01T08:00:30..2026-06-01T10:00:30 step 1min, as "%Y-%m-%d %H:%M"', "csv", "2026-06-01 08:00", ""),
    (
        'datetime 2026-06-01T08:00:30..2026-06-01T10:00:30 step 1min, as "%Y-%m-%d %H:%M"',
        "csv",
        "2026-06-01 10:01",
        "range",
    ),
    # As many forms as are written out to check one.
    ('datetime 2026-01-01T00:00:30..2026-05-19T21:20:30, as "%Y-%m-%d %H:%M"', "csv", "2026-05-19 21:20", ""),
    ('datetime 2026-01-01T00:00:30..2026-05-19T21:20:30, as "%Y-%m-%d %H:%M"', "csv", "2026-05-19 21:21", "range"),
    ('every 1h from 2026-06-01T00:00:30, as "%Y-%m-%d %H:%M"', "csv", "2026-06-01 01:00", ""),
    ('every 1h from 2026-06-01T00:00, as "%Y-%m-%d %H:%M"', "csv", "2026-06-01 01:30", "step"),
    (
        'every 1h from 2026-06-01T00:00, jitter 5min, as "%Y-%m-%d %H:%M:%S.%f"',
        "csv",
        "2026-05-31 23:00:00.000000",
        "range",
    ),
    ('every 1h from 2026-06-01T00:00, jitter 5min, as "%Y-%m-%d %H:%M:%S.%f"', "csv", "2026-06-01 00:03:00.000000", ""),
    ('= z * 2, as "007"', "csv", "002", ""),
    ('= z * 2, as "007"', "csv", "004", "value"),
    ('boolean, as "yes | no"', "csv", "no", ""),
    ('boolean, as "yes | no"', "csv", "false", "type"),
]


@pytest.mark.parametrize(("line", "form", "value", "rule"), SHOWN, ids=[f"{a}: {b} {c}" for a, b, c, _ in SHOWN])
def test_a_value_stands_as_it_is_shown(line: str, form: str, value: Any, rule: str) -> None:
    said = rules(broken(schema(f"a: {line}\nz: integer 1..9"), [{"a": value, "z": 1}], form))
    assert said == ({(0, "a", rule)} if rule else set())


@pytest.mark.parametrize("lines", [("s: integer 1..3, missing 50%", "LIST"), ("LIST", "s: integer 1..3, missing 50%")])
def test_what_is_inside_a_list_follows_from_fields_before_and_after_it(lines: tuple[str, str]) -> None:
    inside = "l:\n  list: 1..2\n  nested:\n    v: integer 1..9\n    more: = s == 1\n    first: = s + v"
    found = schema("\n".join(lines).replace("LIST", inside))
    for s, more, first, wanted in (
        (None, None, None, set()), (1, True, 5, set()), (2, False, 6, set()), (2, True, 6, {(0, "l.more", "value")}),
        (None, False, None, {(0, "l.more", "value")}), (3, False, 4, {(0, "l.first", "value")}),
    ):  # fmt: skip
        row = {"s": s, "l": [{"v": 4, "more": more, "first": first}]}
        assert rules(broken(found, [row], "json")) == wanted, row


def test_inside_a_list_of_records_values_stand_in_the_standard_form() -> None:
    found = schema('a:\n  list: 1..2\n  nested:\n    c: integer 1..99, as "007"\nb: integer 1..9')
    for value, wanted in ((12, set()), ("012", {(0, "a.c", "type")})):
        assert rules(list(looked(found, as_csv([{"a": [{"c": value}], "b": 1}]), "csv").run())) == wanted


def test_a_message_shows_the_ends_of_a_range_in_the_form_of_the_file() -> None:
    line = 'a: date 2026-06-01..2026-06-30, as "%d.%m.%Y"\nz: integer 1..9'
    csv, json = ("csv", "15.07.2026", "01.06.2026..30.06.2026"), ("json", "2026-07-15", "2026-06-01..2026-06-30")
    for form, value, wanted in (csv, json):
        (found,) = broken(schema(line), [{"a": value, "z": 1}], form)
        assert [each.expected for each in found.examples(0, 2)] == [wanted]


@pytest.mark.parametrize(
    ("line", "value", "away"),
    [
        ("ipv4", "192.0.2.7", False),
        ("ipv4", "8.8.8.8", True),
        ("email", "a@example.com", False),
        ("email", "a@yurt.dev", True),
        ("integer 1..9", 3, False),
    ],
)
def test_who_could_be_reached_is_a_rule_of_its_own(line: str, value: Any, away: bool) -> None:
    found = schema(f"a: {line}")
    assert rules(broken(found, [{"a": value}], "json")) == set()
    assert rules(broken(found, [{"a": value}], "json", safe=True)) == ({(0, "a", "safe range")} if away else set())


WHY = """a: text 1..3 of lower, missing 50% if mod(row, 2) == 0
b: integer 1..9, present if row > 3
c: = row * 2
d: text "{h}-{a}"
h: integer 1..9, helper
e: integer 1..9
f: = h + 1"""
SILENT = "`row` depends on earlier rows, and some of them are missing"


@pytest.mark.parametrize(
    ("target", "rule", "wanted"),
    [
        ("a", "presence", SILENT),
        ("a", "condition", SILENT),
        ("a", "pattern", ""),
        ("a", "type", ""),
        ("b", "presence", SILENT),
        ("b", "condition", SILENT),
        ("b", "range", ""),
        ("c", "value", SILENT),
        ("c", "type", ""),
        ("c", "presence", SILENT),
        ("c", "", ""),
        ("d", "presence", ""),
        ("d", "value", "drawn"),
        ("f", "value", "drawn"),
        ("f", "presence", "drawn"),
        ("f", "type", ""),
        ("e", "range", ""),
        ("row > 0", "always", SILENT),
        ("e > 0", "always", ""),
        ("h > e", "always", "drawn"),
    ],
)
def test_why_a_fault_could_not_be_seen(target: str, rule: str, wanted: str) -> None:
    """For a part of a file, earlier rows are unknown, and `h` is a drawn helper."""
    found = schema(WHY, "    always:\n      - row > 0\n      - e > 0\n      - h > e\n")
    record = found.records["row"]
    said = Validator(found, record, found.plan, Known(found, {"row"}), TODAY, False).why_not(target, rule)
    assert said == wanted if wanted != "drawn" else "`h`" in said


@pytest.mark.parametrize(
    ("lines", "safe", "wanted"),
    [
        ("a: email\nb: integer 1..9", True, set()),
        ("a: sort-code", True, {"row.a, whether it never reaches real people"}),
        ("a: sort-code", False, set()),
        (
            "a: street",
            True,
            {"row.a, whether it is the name of a street, or of the part of a town that numbers the houses"},
        ),
        ("a: text 1..3", True, set()),
        (
            "a: given-name\nb: family-name",
            False,
            {"row: whether a, b agree", "row.a, whether it is a first name", "row.b, whether it is a last name"},
        ),
        (
            "a: city\nb: city of other",
            False,
            {"row.a, whether it is a town or city", "row.b, whether it is a town or city"},
        ),
        ("a: given-name", False, {"row.a, whether it is a first name"}),
        ("a: given-name\nb: integer 1..9", False, {"row.a, whether it is a first name"}),
    ],
)
def test_what_is_not_checked_is_listed(lines: str, safe: bool, wanted: set[str]) -> None:
    found = schema(lines)
    unjudged = Validator(
        found, found.records["row"], found.plan, Known(found, {"row"}, True), TODAY, False, safe
    ).unjudged
    assert {each for each in unjudged if "whether" in each} == wanted


def test_a_condition_is_checked_once_even_if_others_wait_for_earlier_rows() -> None:
    found = schema("a: integer 1..9\nb: = row", "    always:\n      - a < 9\n      - row < 3\n")
    rows = [{"a": 9, "b": 1}, {"a": 1, "b": 2}, {"a": 9, "b": 3}]
    said = [(int(row), each.field) for each in broken(found, rows, "json") for row in each.rows]
    assert sorted(said) == [(0, "a < 9"), (2, "a < 9"), (2, "row < 3")]
