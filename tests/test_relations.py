"""The validator across rows and files: keys, references, counts, groups, and trees; expectations worked out by hand."""

from __future__ import annotations

import json
from collections import Counter
from datetime import date
from io import BytesIO
from typing import Any

import pytest

from yurt.core.language.reader import read
from yurt.core.model import Schema
from yurt.core.source.diagnostics import Source
from yurt.core.verify import violation as rules_of
from yurt.core.verify.verification import Data, Verification
from yurt.core.verify.violation import RULES, Violation

TODAY = date(2026, 6, 1)
HUTS = """
yurt: 1
seed: 1
today: 2026-06-01
records:
  hut:
    count: 3
    key: code
    fields:
      code: /[A-Z]{2}/, unique
      beds: integer 1..60
  stay:
    count: 2..3 per hut
    fields:
      hut: ref hut
      day: date 2026-06-01..2026-06-30
      party: integer 1..hut.beds
"""
Rows = list[dict[str, Any]]
Found = set[tuple[str, str, str, int]]


def schema(text: str) -> Schema:
    return read(Source("s", text))[0]


def found(schema: Schema, form: str = "json", whole: bool = True, workers: int = 1, **rows: Rows) -> Found:
    """Return the record, field, rule, and row of every violation."""
    return {
        (each.record, each.field, each.rule, int(row))
        for each in violations(schema, form, whole, workers, **rows)
        for row in each.rows
    }


def violations(schema: Schema, form: str, whole: bool, workers: int, **rows: Rows) -> list[Violation]:
    data = {name: Data(name, opener(each, form), form) for name, each in rows.items()}
    return list(Verification(schema, data, TODAY, whole=whole, workers=workers).run())


def opener(rows: Rows, form: str) -> Any:
    if form == "csv":
        names = list(rows[0]) if rows else ["code", "beds"]
        lines = [",".join(names), *(",".join("" if v is None else str(v) for v in row.values()) for row in rows)]
        whole = "\r\n".join(lines).encode() + b"\r\n"
    else:
        whole = json.dumps(rows).encode()
    return lambda: BytesIO(whole)


def hut(code: str, beds: int = 20) -> dict[str, Any]:
    return {"code": code, "beds": beds}


def stay(hut: str | None, party: int = 2, day: str = "2026-06-05") -> dict[str, Any]:
    return {"hut": hut, "day": day, "party": party}


AB, CD = hut("AB"), hut("CD")
# The files, and the expected violations.
FILES: dict[str, tuple[Rows, Rows, Found]] = {
    "all is well": ([AB, CD], [stay("AB"), stay("AB"), stay("CD"), stay("CD"), stay("CD")], set()),
    "a reference to nothing": ([AB], [stay("AB"), stay("AB"), stay("ZZ")], {("stay", "hut", "reference", 2)}),
    "a key that comes twice": (
        [AB, CD, hut("AB")],
        [stay("AB"), stay("AB"), stay("CD"), stay("CD")],
        # If a key is duplicated, its children belong to the first row.
        {("hut", "code", "unique", 2), ("hut", "stay rows", "count", 2)},
    ),
    "too many children, side by side": ([AB], [stay("AB")] * 5, {("stay", "hut", "count", 3), ("stay", "hut", "count", 4)}),
    "too many children, apart": ([AB, CD], [stay("AB"), stay("CD"), stay("AB"), stay("CD"), stay("AB"), stay("AB")],
        {("stay", "hut", "count", 5)}),
    "too few children": ([AB, CD], [stay("AB"), stay("AB"), stay("CD")], {("hut", "stay rows", "count", 1)}),
    "no children in the file": ([AB, CD], [], {("hut", "stay rows", "count", 0), ("hut", "stay rows", "count", 1)}),
    "no child at all": ([AB, CD], [stay("AB"), stay("AB")], {("hut", "stay rows", "count", 1)}),
    "just as many as may be": ([AB], [stay("AB")] * 3, set()),
    "just as few as may be": ([AB], [stay("AB")] * 2, set()),
    "a bound in the other file": ([hut("AB", 4), hut("CD", 9)],
        [stay("AB", 4), stay("AB", 5), stay("CD", 9), stay("CD", 10)],
        {("stay", "party", "range", 1), ("stay", "party", "range", 3)}),
    "no bound where the other row is at fault": ([hut("AB", 99)], [stay("AB", 80), stay("AB", 90)], {("hut", "beds", "range", 0)}),
    "no bound where the reference leads nowhere": ([AB], [stay("AB"), stay("AB"), stay("QQ", 59)], {("stay", "hut", "reference", 2)}),
    "a reference that is missing": ([AB], [stay("AB"), stay("AB"), stay(None, 59)], {("stay", "hut", "presence", 2)}),
}  # fmt: skip


@pytest.mark.parametrize("form", ["json", "csv"])
@pytest.mark.parametrize("name", FILES)
def test_files_that_belong_together(name: str, form: str) -> None:
    huts, stays, wanted = FILES[name]
    for workers in (1, 3):
        assert found(schema(HUTS), form, hut=huts, stay=stays, workers=workers) == wanted


@pytest.mark.parametrize("huts", [[], [{"code": "AB", "beds": 9, "name": "Ida", "opens": "2026-01-02", "warm": True}]])
def test_what_follows_from_a_missing_reference_is_missing(huts: Rows) -> None:
    """Also where the other file has no row at all."""
    lines = (
        "hut:\n    count: 1\n    key: code\n    fields:\n      code: /[A-Z]{2}/\n      beds: integer 1..9\n      name: given-name\n"
        "      opens: date 2026-01-01..2026-02-01\n      warm: boolean\n  stay:\n    count: 6\n    fields:\n      hut: ref hut, optional\n"
        "      more: = beds + 1\n      beds: = hut.beds * 2\n      loud: = upper(hut.name)\n      year: = year(hut.opens)\n"
        '      size: = if hut.beds > 3 then "big" else "small"\n'
        "    always:\n      - more <= hut.beds or hut.warm\n"
    )
    none = {"hut": None, "more": None, "beds": None, "loud": None, "year": None, "size": "small"}
    changes = [
        {},
        {"beds": 2, "more": 3},
        {"loud": "IDA"},
        {"year": 2026},
        {"size": "big"},
        {"hut": "ZZ", "beds": 4, "more": 5},
    ]
    assert found(schema(f"yurt: 1\nseed: 1\nrecords:\n  {lines}"), hut=huts, stay=[none | each for each in changes]) == {
        ("stay", "beds", "value", 1), ("stay", "loud", "value", 2), ("stay", "year", "value", 3),
        ("stay", "size", "value", 4), ("stay", "hut", "reference", 5),
    }  # fmt: skip


def test_a_part_of_the_children_is_never_too_few() -> None:
    assert found(schema(HUTS), whole=False, hut=[AB, CD], stay=[stay("AB")]) == set()
    assert found(schema(HUTS), whole=False, hut=[AB], stay=[stay("AB")] * 4) == {("stay", "hut", "count", 3)}


def test_without_the_other_file_references_are_listed_as_not_checked() -> None:
    data = {"stay": Data("stay", opener([stay("AB"), stay("ZZ", 99)], "json"), "json")}
    run = Verification(schema(HUTS), data, TODAY)
    assert {(each.field, each.rule) for each in run.run()} == set()
    said = " ".join(map(str, run.reports["stay"].unjudged))
    assert "hut" in said
    assert "party" in said


# One record type, its rules across rows, its rows, and the expected violations.
GROUPS: dict[str, tuple[str, Rows, set[tuple[str, int]]]] = {
    "two fields together": ("    unique: a, b\n    fields:\n      a: integer 1..9\n      b: integer 1..9\n",
        [{"a": 1, "b": 1}, {"a": 1, "b": 2}, {"a": 2, "b": 1}, {"a": 1, "b": 2}], {("a, b", 3)}),
    "every combination": ("    fields:\n      a: integer 1..3\n      b: one of x | y\n",
        [{"a": 1, "b": "x"}, {"a": 1, "b": "y"}, {"a": 2, "b": "x"}, {"a": 1, "b": "x"}], {("a, b", 3)}),
    "two texts that look like the same two": ("    unique: a, b\n    fields:\n      a: '/[xyz12:\\x1f]{1,3}/'\n      b: '/[xyz12:\\x1f]{1,3}/'\n",
        [{"a": "x\x1fy", "b": "z"}, {"a": "x", "b": "y\x1fz"}, {"a": "1:", "b": "2"}, {"a": "1", "b": ":2"}, {"a": "x", "b": "y\x1fz"}],
        {("a, b", 4)}),
    "one field": ("    fields:\n      a: integer 1..9, unique\n      b: integer 1..9\n",
        [{"a": 5, "b": 1}, {"a": 4, "b": 1}, {"a": 5, "b": 1}, {"a": 5, "b": 1}], {("a", 2), ("a", 3)}),
    "a rising number": ("    fields:\n      a: sequence\n      b: integer 1..9\n",
        [{"a": 1, "b": 1}, {"a": 2, "b": 1}, {"a": 3, "b": 1}], set()),
    "two of a rising number, side by side": ("    fields:\n      a: integer 1..9, unique\n      b: integer 1..9\n",
        [{"a": 3, "b": 1}, {"a": 5, "b": 1}, {"a": 5, "b": 1}, {"a": 7, "b": 1}], {("a", 2)}),
    "a sequence is always unique": ("    fields:\n      a: sequence\n      b: integer 1..9\n",
        [{"a": 1, "b": 1}, {"a": 3, "b": 1}, {"a": 1, "b": 1}], {("a", 2)}),
    "a UUID is always unique": ("    fields:\n      a: uuid\n      b: integer 1..9\n",
        [{"a": f"0e6f1b6a-98c1-4d3c-9a42-00000000000{at}", "b": 1} for at in (1, 2, 1)], {("a", 2)}),
    "a missing value is no value": ("    fields:\n      a: integer 1..9, unique, missing 50%\n      b: integer 1..9\n",
        [{"a": None, "b": 1}, {"a": None, "b": 1}, {"a": 3, "b": 1}], set()),
    "a wrong value is not also a double": ("    fields:\n      a: integer 1..9, unique\n      b: integer 1..9\n",
        [{"a": 50, "b": 1}, {"a": 50, "b": 1}, {"a": 3, "b": 1}], set()),
}  # fmt: skip


@pytest.mark.parametrize("form", ["json", "csv"])
@pytest.mark.parametrize("name", GROUPS)
def test_rows_that_must_differ(name: str, form: str) -> None:
    lines, rows, wanted = GROUPS[name]
    count = "every combination of a, b" if name == "every combination" else str(len(rows))
    made = schema(f"yurt: 1\nseed: 1\nrecords:\n  row:\n    count: {count}\n{lines}")
    said = {(field, row) for _, field, rule, row in found(made, form, row=rows, whole=False) if rule == "unique"}
    assert said == wanted


def test_a_tree_leads_to_rows_of_its_own_file() -> None:
    made = schema(
        "yurt: 1\nseed: 1\nrecords:\n  guide:\n    count: 4\n    key: id\n    fields:\n"
        "      id: sequence\n      head: ref guide, missing 40%\n"
    )
    rows = [{"id": 1, "head": None}, {"id": 2, "head": 1}, {"id": 3, "head": 9}, {"id": 4, "head": 3}]
    assert {each[:4] for each in found(made, guide=rows)} >= {("guide", "head", "reference", 2)}
    good = [{"id": 1, "head": None}, {"id": 2, "head": 1}, {"id": 3, "head": 2}, {"id": 4, "head": None}]
    assert found(made, guide=good) == set()


def test_a_distinct_reference_is_distinct_for_each_parent() -> None:
    made = schema(
        "yurt: 1\nseed: 1\nrecords:\n  hut:\n    count: 4\n    key: code\n    fields:\n      code: /[A-Z]{2}/, unique\n"
        "  tour:\n    count: 2\n    key: id\n    fields:\n      id: sequence\n"
        "  stage:\n    count: 2 per tour\n    fields:\n      tour: ref tour\n      hut: ref hut, distinct\n"
    )
    huts = [{"code": each} for each in ("AA", "BB", "CC", "DD")]
    stages = [{"tour": 1, "hut": "AA"}, {"tour": 1, "hut": "BB"}, {"tour": 2, "hut": "AA"}, {"tour": 2, "hut": "AA"}]
    wrong = found(made, hut=huts, tour=[{"id": 1}, {"id": 2}], stage=stages)
    assert {(rule, row) for record, _, rule, row in wrong if record == "stage"} == {("unique", 3)}


THREE = """
yurt: 1
seed: 1
records:
  region:
    count: 2
    key: id
    fields:
      id: integer 1..9{shown}
      most: integer 1..60
  hut:
    count: 3
    key: code
    fields:
      code: /[A-Z]{{2}}/, unique
      region: ref region
  stay:
    count: 2 per hut
    fields:
      hut: ref hut
      party: integer 1..hut.region.most
"""


def test_a_bound_two_files_away_is_not_held_where_the_way_is_broken() -> None:
    regions = [{"id": 1, "most": 5}, {"id": 2, "most": 99}]
    huts = [{"code": "AB", "region": 1}, {"code": "CD", "region": 2}, {"code": "EF", "region": 7}]
    stays = [{"hut": code, "party": party} for code in ("AB", "CD", "EF") for party in (5, 80)]
    assert found(schema(THREE.format(shown="")), region=regions, hut=huts, stay=stays) == {
        ("region", "most", "range", 1),
        ("hut", "region", "reference", 2),
        ("stay", "party", "range", 1),
    }


HELPER = """
yurt: 1
seed: 1
records:
  hut:
    count: 2
    key: id
    fields:
      id: integer 1..9, helper
      beds: integer 1..60
  stay:
    count: 2..3 per hut
    fields:
      hut: ref hut, helper
      party: integer 1..9
"""


def test_absent_columns_are_not_violations() -> None:
    """Keys and references are absent: they are not compared, and the other values are still checked."""
    rows = {"hut": [{"beds": 5}, {"beds": 5}, {"beds": 61}], "stay": [{"party": 9}, {"party": 10}]}
    assert found(schema(HELPER), **rows) == {("hut", "beds", "range", 2), ("stay", "party", "range", 1)}
    # Only the reference is present: its target is not checked, and the report says so.
    made = schema(HELPER.replace("ref hut, helper", "ref hut"))
    rows["stay"] = [{"hut": 3, "party": 9}, {"hut": 3, "party": 10}]
    data = {name: Data(name, opener(each, "json"), "json") for name, each in rows.items()}
    run = Verification(made, data, TODAY)
    assert {(each.field, each.rule) for each in run.run()} == {("beds", "range"), ("party", "range")}
    assert run.reports["stay"].unjudged == {"stay.hut": "`id` is a helper and was drawn"}


def test_doubles_are_found_over_all_blocks_of_a_file() -> None:
    made = schema("yurt: 1\nseed: 1\nrecords:\n  row:\n    count: 9\n    fields:\n      a: integer 1..900000, unique\n")
    rows = [{"a": at % 70_000 + 1} for at in range(70_003)]
    for form in ("json", "csv"):
        assert found(made, form, whole=False, row=rows) == {
            ("row", "a", "unique", at) for at in (70_000, 70_001, 70_002)
        }


def test_what_is_counted_is_what_is_there() -> None:
    """The number of rows per rule equals a count over the plain rows."""
    huts = [hut(f"A{chr(65 + at)}", 10) for at in range(20)]
    stays = [stay(f"A{chr(65 + at % 25)}", at % 14) for at in range(100)]
    by_rule = Counter[str]()
    for each in violations(schema(HUTS), "json", True, 1, hut=huts, stay=stays):
        by_rule[each.rule] += len(each)
    known = {each["code"] for each in huts}
    per_hut = Counter(each["hut"] for each in stays)
    assert by_rule["reference"] == sum(each["hut"] not in known for each in stays)
    assert by_rule["range"] == sum(each["hut"] in known and not 1 <= each["party"] <= 10 for each in stays)
    assert by_rule["count"] == sum(max(0, count - 3) for code, count in per_hut.items() if code in known)
    assert set(by_rule) <= set(RULES)


# ---- one violation ---------------------------------------------------------------------------------------------------


def test_a_violation_moves_from_a_block_to_its_file() -> None:
    import numpy as np

    mask = np.array([False, True, True, False, True])
    one = rules_of.violation("range", mask, lambda at: f"for {at}")
    assert one is not None
    assert (one.rule, one.rows.tolist(), len(one)) == ("range", [1, 2, 4], 3)
    kept = one.keep(np.array([True, False, True, True, True]))
    assert kept.rows.tolist() == [2, 4]
    assert [each.expected for each in kept.examples(0, 9)] == ["for 2", "for 4"]
    moved = kept.moved(np.array([10, 11, 12, 13, 14]))
    assert moved.rows.tolist() == [12, 14]
    assert [each.expected for each in moved.examples(0, 9)] == ["for 2", "for 4"]
    named = moved.named("stay", "party", lambda row: f"value of {row}")
    assert [(each.row, each.value) for each in named.examples(0, 1)] == [(12, "value of 12")]
    # Elements 1, 2, and 4 of the lists: the first row has the elements 0 and 1, the second has 2 to 4.
    around = one.around(np.array([0, 0, 1, 1, 1]), np.array([0, 2]))
    assert around.rows.tolist() == [0, 1]
    assert [(each.row, each.element, each.expected) for each in around.examples(0, 9)] == [
        (0, 1, "for 1"),
        (1, 0, "for 2"),
    ]


def expectations(made: Any, rule: str, **files: Rows) -> set[tuple[str, str]]:
    """Return the values and expectations of the examples of a rule."""
    found = (each for each in violations(made, "json", True, 1, **files) if each.rule == rule)
    return {(one.value, one.expected) for each in found for one in each.examples(0, 9)}


def test_a_message_shows_the_value_that_repeats_and_how_many_rows_are_expected() -> None:
    head = "yurt: 1\nseed: 1\nrecords:\n  row:\n    count: 2\n"
    alone, both = (
        schema(head + lines) for lines in (
            "    fields:\n      a: integer 1..9, unique\n      b: integer 1..9\n",
            "    unique: a, b\n    fields:\n      a: integer 1..9\n      b: integer 1..9\n",
        )
    )  # fmt: skip
    rows = [{"a": 5, "b": 1}, {"a": 5, "b": 1}]
    assert expectations(alone, "unique", row=rows) == {("5", "a value that no earlier row has")}
    assert expectations(both, "unique", row=rows) == {("5, 1", "a value that no earlier row has")}
    assert expectations(schema(HUTS), "count", hut=[AB], stay=[stay("AB")]) == {("1", "2 to 3")}
    exact = schema(HUTS.replace("2..3 per hut", "2 per hut"))
    assert expectations(exact, "count", hut=[AB], stay=[stay("AB")]) == {("1", "2")}


def test_a_running_total_is_exact_beyond_64_bits() -> None:
    """The last total of the file is the right one less 2^64."""
    shown = schema(
        "yurt: 1\nrecords:\n  hut:\n    count: 1\n    key: id\n    fields:\n      id: sequence\n  stay:\n    count: 21 per hut\n"
        "    fields:\n      hut: ref hut\n      paid: integer 0..999999999999999999\n      total: = running(paid)\n"
    )
    paid = [922337203685477580] * 20 + [16]
    assert sum(paid) == 2**64
    stays = [{"hut": 1, "paid": each, "total": sum(paid[: at + 1])} for at, each in enumerate(paid)]
    right = found(shown, hut=[{"id": 1}], stay=stays)
    assert right == {("stay", "total", "range", at) for at in range(1, 21)}
    stays[-1]["total"] = 0
    assert found(shown, hut=[{"id": 1}], stay=stays) - right == {("stay", "total", "value", 20)}


def test_references_inside_a_list_lead_to_the_other_file() -> None:
    shown = schema(
        "yurt: 1\nrecords:\n  hut:\n    count: 2\n    key: code\n    fields:\n      code: /[A-Z]{2}/\n      beds: integer 1..9\n"
        "  tour:\n    count: 3\n    fields:\n      more: integer 1..9\n      stops:\n        list: 1..3\n        nested:\n"
        "          at: ref hut\n          beds: = at.beds + more\n"
    )
    tours = [
        {"more": 1, "stops": [{"at": "AB", "beds": 5}, {"at": "CD", "beds": 10}]},
        {"more": 2, "stops": [{"at": "CD", "beds": 11}, {"at": "AB", "beds": 11}]},
        {"more": 2, "stops": [{"at": "ZZ", "beds": 5}]},
    ]
    wanted = {("tour", "stops.beds", "value", 1), ("tour", "stops.at", "reference", 2)}
    assert found(shown, hut=[hut("AB", 4), hut("CD", 9)], tour=tours) == wanted
