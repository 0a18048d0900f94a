"""Cases: independent validators check every label, and an independent count checks the arrays."""

from __future__ import annotations

import csv
import io
import json
import re
from datetime import date
from itertools import combinations, pairwise, product
from pathlib import Path
from random import Random
from typing import Any

import duckdb
import jsonschema
import numpy as np
import pyarrow as pa
import pyarrow.csv
import pytest
from lxml import etree

from yurt.core.cases.suite import Options, Suite, suite_of
from yurt.core.combining.arrays import covering
from yurt.core.combining.rules import Rule
from yurt.core.engine.run import RunOptions
from yurt.core.language.reader import read
from yurt.core.patterns.mutate import of_length
from yurt.core.patterns.parse import parse
from yurt.core.source.diagnostics import Source

from .composer import composed
from .conftest import FULL, HUTS, read_csv, schema_of

EVERY = ("partition", "boundary", "syntax", "hostile", "combinatorial", "decision")
SCHEMAS = 200


# ---- labels ----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("form", ["csv", "xml"] if FULL else ["xml"])
def test_every_label_of_the_demo_is_right(yurt: Any, tmp_path: Path, form: str) -> None:
    options = [part for name in EVERY for part in ("--technique", name)]
    done = yurt("cases", HUTS, *options, "--boundary", 3, "--out", "cases/", "--format", form)
    assert b"the validator says" not in done.stderr
    yurt("generate", HUTS, "--out", "huts/")
    own = [f"{name}=cases/{name}-cases.{form}" for name in ("hut", "hiker", "stay")]
    for files in (own[:2], ["huts/hut.csv", "huts/hiker.csv", own[2]]):
        told = yurt("verify", HUTS, *files).stdout.decode()
        found = re.search(r"([\d,]+) cases: every label is correct", told)
        assert found and int(found[1].replace(",", "")) > 300


def trees(suite: Suite) -> list[dict[str, Any]]:
    """Return the records of cases as Python's JSON reader returns them, without values such as `Infinity`, which it
    accepts."""
    return [json.loads(line) for line in suite.rows.file().decode().strip("[]\n").split(",\n")]


@pytest.mark.parametrize("start", range(0, SCHEMAS, 25))
def test_the_composer_of_random_schemas_agrees_with_every_label(start: int) -> None:
    """The composer's predicates are independent of the engine and the validator: a case to accept passes all of them,
    and a case with an invalid shape fails the predicate of its field."""
    total = 0
    for seed in range(start, start + (25 if FULL else 4)):
        lines, predicates = composed(seed)
        schema, _ = read(Source("s", schema_of(lines, 60, head="seed: 4\ntoday: 2026-06-01\n")))
        suite = suite_of(schema, schema.records["row"], RunOptions(), Options(form="json", techniques=EVERY))
        # Impossible: a condition over row numbers, or a condition excluded by the field's own range. Not checkable: a
        # rule that reads a drawn value of a helper field.
        known = (
            "no record",
            "no row number",
            "no values were found",
            "`row` depends on earlier rows",
            "`draw(…)` is random",
            "`f",
        )
        assert all(why.startswith(known) for _, why in suite.left_out), (seed, suite.left_out)
        total += len(suite.cases)
        for case, tree in zip(suite.cases, trees(suite), strict=True):
            record = dict.fromkeys(predicates) | tree
            top = case.target.partition(".")[0]
            for name, predicate in predicates.items():
                try:
                    good = bool(predicate(record))
                except (TypeError, KeyError, ValueError, AttributeError):
                    good = False
                # A condition over the row number cannot be checked from a record alone.
                if case.valid:
                    assert good, (seed, case.id, name, record)
                elif name == top and case.violates not in ("unique", "condition"):
                    assert not good, (seed, case.id, name, record)
    assert total > 60 * (25 if FULL else 6)


EXPRESSIBLE = """
code: /[A-Z]{2}-[0-9]{3}/
beds: integer 8..140
grade: one of hard | easy | medium
open: boolean
tags: list 1..3 of (one of a | b | c), distinct
note: text 3..20 of lower, missing 30%
home:
  nested:
    zip: /[0-9]{4,5}/
"""
SCHEMA = {
    "type": "object",
    "required": ["code", "beds", "grade", "open", "tags", "home"],
    "properties": {
        "code": {"type": "string", "pattern": "^[A-Z]{2}-[0-9]{3}$"},
        "beds": {"type": "integer", "minimum": 8, "maximum": 140},
        "grade": {"enum": ["hard", "easy", "medium"]},
        "open": {"type": "boolean"},
        "tags": {
            "type": "array",
            "minItems": 1,
            "maxItems": 3,
            "uniqueItems": True,
            "items": {"enum": ["a", "b", "c"]},
        },
        "note": {"type": ["string", "null"], "pattern": "^[a-z]{3,20}$"},
        "home": {
            "type": "object",
            "required": ["zip"],
            "properties": {"zip": {"type": "string", "pattern": "^[0-9]{4,5}$"}},
        },
    },
}


def test_json_schema_is_a_second_validator(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema_of(EXPRESSIBLE, 40, "seed: 2\ntoday: 2026-06-01\n"))
    options = [part for name in EVERY for part in ("--technique", name)]
    cases = json.loads(yurt("cases", "s.yaml", *options, "--out", "-", "--format", "json").stdout)
    checker = jsonschema.Draft202012Validator(SCHEMA)
    labels = [each.pop("case") for each in cases]
    for case, label in zip(cases, labels, strict=True):
        assert checker.is_valid(case) == (label["expected"] == "accept"), (case, label)
    outcomes = [each["expected"] for each in labels]
    assert outcomes.count("reject") > 100 and outcomes.count("accept") > 30
    targets = {error.path[0] for case in cases for error in checker.iter_errors(case) if error.path}
    assert targets == {"code", "beds", "grade", "open", "tags", "note", "home"}


# ---- derived cases ---------------------------------------------------------------------------------------------------

DERIVED: list[tuple[str, str, set[tuple[str, object, str]]]] = [
    ("n: integer 0..100 step 5", "boundary",
        {("just below", -1, "range"), ("just above", 101, "range"), ("high outside", 105, "range")}),
    ("n: decimal 0.00..9.00 step 0.25", "partition",
        {("too many places", 0.015, "step"), ("between two steps", 0.12, "step")}),
    ("n: one of 2026-01-01 | 2026-05-01", "partition", {("not listed", "2026-05-02", "list")}),
    ('n: /[A-Z]{2}/, without "N"', "syntax", {("left out", "NN", "pattern")}),
    ("n: date 1899-12-01..1900-12-31", "partition",
        {("29 February 1900", "1900-02-29", "type"), ("day 31 of April", "1900-04-31", "type")}),
    ("a: integer 1..9\nn: integer 1..9, present if a > 6", "boundary",
        {("a > 6: equal", None, ""), ("high", 9, ""), ("low outside", 0, "range")}),
    ("n: datetime 2026-05-01T00:00..2026-05-01T00:00 zone utc", "partition", {("in UTC", "2026-05-01T00:00:00Z", ""),
        ("another offset", "2026-05-01T05:30:00+05:30", ""), ("no offset", "2026-05-01T00:00:00", "type")}),
    # Field, technique, some of the expected items: partition, value, rule.
    ("n: = 7, missing 95%", "partition", {("another value", 8, "value")}),
    ("n: integer 3..9", "boundary", {("low", 3, ""), ("low outside", 2, "range"), ("low inside", 4, ""),
        ("high", 9, ""), ("high outside", 10, "range"), ("high inside", 8, "")}),
    ("n: decimal 0.50..2.00 step 0.25", "boundary",
        {("low outside", 0.25, "range"), ("high outside", 2.25, "range"), ("low inside", 0.75, "")}),
    ("n: text 3..6 of digit", "boundary", {("shortest", "555", ""), ("shortest inside", "5555", ""),
        ("too short", "55", "length"), ("too long", "5555555", "length")}),
    ("n: integer -3..9", "hostile", {("minus zero", 0, ""), ("plus sign", "+7", "type")}),
    ("n: date 2024-01-31..2024-03-01", "boundary",
        {("low", "2024-01-31", ""), ("2024-02-29", "2024-02-29", ""), ("high outside", "2024-03-02", "range")}),
    ("n: date 1899-01-01..9999-12-31", "boundary",
        {("1900-02-28", "1900-02-28", ""), ("2000-02-29", "2000-02-29", ""), ("2038-01-19", "2038-01-19", "")}),
    ("n: date 2026-06-01..2026-06-30, on mon", "boundary",
        {("low", "2026-06-01", ""), ("high", "2026-06-29", ""), ("high outside", "2026-07-06", "range")}),
    ("n: date 2026-10-24..2026-11-30, on workdays of AT", "partition",
        {("another day", "2026-10-24", "weekday"), ("a public holiday", "2026-10-26", "holiday")}),
    ("n: datetime 2026-03-01T00:00..2026-11-01T00:00 step 30min zone Europe/Vienna", "boundary",
        {("clock 2026-03-29 before", "2026-03-29T01:30:00+01:00", ""),
        ("clock 2026-03-29 after", "2026-03-29T03:00:00+02:00", ""),
        ("clock 2026-10-25 first time", "2026-10-25T02:00:00+02:00", "")}),
    ("n: list 2..3 of integer 1..9", "boundary",
        {("too short", 1, "length"), ("shortest", 2, ""), ("longest", 3, ""), ("too long", 4, "length")}),
    ("n: /[A-Z]{2}-\\d{1,3}/", "syntax", {("shortest", "NN-5", ""), ("longest", "NN-555", ""),
        ("A at position 1", "AN-555", ""), ("Z at position 1", "ZN-555", ""),
        ("wrong separator", "NN_555", "pattern"), ("doubled", "NN-5555", "length")}),
    ("n: ipv4", "syntax", {("octet 256", "192.0.2.256", "pattern"), ("five octets", "192.0.2.5.1", "pattern")}),
    ("n: one of half | full", "partition", {("half", "half", ""), ("wrong case", "HALF", "list"),
        ("space after", "half ", "list"), ("not listed", "unlisted", "list")}),
    ("n: integer 1..9", "hostile",
        {("leading zeros", "007", "type"), ("huge", float("inf"), "range"), ("decimal comma", "1,5", "type")}),
    ("n: text 1..40 of print", "hostile", {("single quote", "O'Hara", ""), ("line break", "first\nsecond", "pattern"),
        ("very long", "x" * 10_000, "length"), ("empty", "", "length")}),
    ("n: date 2026-01-01..2026-12-31", "partition", {("day 30 of February", "2026-02-30", "type"),
        ("29 February of a common year", "2026-02-29", "type"), ("day 31 of April", "2026-04-31", "type")}),
    ("a: integer 1..9\nn:\n  when:\n    a > 5: one of x\n    a > 2: one of y\n    else: one of z", "decision",
        {("a > 5, a > 2", "x", ""), ("not a > 5, a > 2", "y", ""), ("not a > 5, not a > 2", "z", "")}),
    ("n:\n  is: text 2..4 of upper\n  reject: {QQ: kept, q: too short}\n  accept: {AB: usual}", "partition",
        {("rejected QQ", "QQ", "rejected"), ("rejected q", "q", "length"), ("accepted AB", "AB", "")}),
]  # fmt: skip


@pytest.mark.parametrize(("lines", "technique", "some"), DERIVED, ids=[f"{line[:40]} {by}" for line, by, _ in DERIVED])
def test_what_is_derived(lines: str, technique: str, some: set[tuple[str, object, str]]) -> None:
    schema, _ = read(Source("s", schema_of(lines, 60, head="seed: 4\ntoday: 2026-06-01\n")))
    suite = suite_of(
        schema, schema.records["row"], RunOptions(), Options(form="json", techniques=(technique,), boundary=3)
    )
    seen = set()
    for case, tree in zip(suite.cases, trees(suite), strict=True):
        value = tree.get("n")
        seen.add((case.coverage_item, len(value) if isinstance(value, list) else value, case.violates))
    assert some <= seen, sorted(map(str, seen))
    assert all("both" not in why for _, why in suite.left_out)


def test_texts_of_a_length_follow_their_pattern() -> None:
    for source in (
        "a{3,20}",
        "[A-Z]{2}-\\d{1,4}(x|yy)?",
        "(ab|cde){2,3}",
        "(a|bb|c{2,4})?x",
        "((ab|cd){0,5}x?){0,9}",
        "(ab)?" * 40,
    ):
        pattern = parse(source)
        low, high = pattern.lengths
        assert high is not None and of_length(pattern, low - 1) is None and of_length(pattern, high + 1) is None
        for length in (low, (low + high) // 2 // 2 * 2, high):
            text = of_length(pattern, length)
            assert text is None or (len(text) == length and re.fullmatch(source, text)), (source, length, text)
        assert of_length(pattern, low) is not None and of_length(pattern, high) is not None


def test_names_of_the_output_are_not_those_of_the_fields(yurt: Any, tmp_path: Path) -> None:
    lines = 'beds: integer 3..9, named "Beds of the hut"\nhome:\n  nested:\n    zip: text 4..5 of digit, named "post code"\n  named: \'"Home"\''
    (tmp_path / "s.yaml").write_text(schema_of(lines, 9, "seed: 2\n"))
    for form in ("csv", "json"):
        yurt("cases", "s.yaml", "--out", f"row.{form}")
        assert b"every label is correct" in yurt("verify", "s.yaml", f"row.{form}").stdout
    assert (
        "Home.post code    5555  ← the target"
        in yurt("cases", "s.yaml", "--explain", "home.zip/syntax/shortest").stdout.decode()
    )


def test_edges_of_conditions_and_elements_of_lists() -> None:
    lines = "a: integer 0..20\nb: integer 0..20\nday: date 2026-01-01..2026-12-31\nend: date 2026-01-02..2027-06-30\n"
    lines += (
        "tags: list 1..3 of integer 1..9\nstops:\n  list: 1..2\n  nested:\n    km: integer 1..9\n    name: text 3..5"
    )
    tail = "    unique: a, day\n    always:\n      - a <= b\n      - end > day\n"
    schema, _ = read(Source("s", schema_of(lines, 60, "seed: 4\ntoday: 2026-06-01\n", tail)))
    suite = suite_of(
        schema, schema.records["row"], RunOptions(), Options(form="json", techniques=("partition", "boundary"))
    )
    assert not suite.left_out
    found = {
        (case.target, case.item): (tree, case.violates) for case, tree in zip(suite.cases, trees(suite), strict=True)
    }
    day = date.fromisoformat
    for item, gap, violates in (("equal", 0, ""), ("one step above", 1, "always")):
        tree, broken = found["a <= b", item]
        assert tree["a"] - tree["b"] == gap and broken == violates
    for item, gap, violates in (("equal", 0, "always"), ("one step above", 1, "")):
        tree, broken = found["end > day", item]
        assert (day(tree["end"]) - day(tree["day"])).days == gap and broken == violates
    first = trees(suite)[0]
    tree, broken = found["a, day", "duplicate"]
    assert (tree["a"], tree["day"], broken) == (first["a"], first["day"], "unique")
    for target, item, value, violates in (
        ("tags", "element 1: above", 10, "range"), ("tags", "element 1: wrong type", "abc", "type"),
        ("tags", "element 1: missing", None, "presence"), ("stops.km", "element 1: below", {"km": 0}, "range"),
        ("stops.name", "element 1: missing", {"name": None}, "presence"),
    ):  # fmt: skip
        tree, broken = found[target, item]
        element = tree[target.partition(".")[0]][0]
        assert broken == violates and (
            value.items() <= element.items() if isinstance(value, dict) else element == value
        )


def test_a_chain_that_no_draw_meets_is_solved() -> None:
    names = [f"n{at}" for at in range(7)]
    lines = "\n".join([*(f"{each}: integer 0..99" for each in names), "mail: email, unique"])
    tail = "    always:\n" + "".join(f"      - {a} <= {b}\n" for a, b in pairwise(names))
    schema, _ = read(Source("s", schema_of(lines, 60, "seed: 4\ntoday: 2026-06-01\n", tail)))
    suite = suite_of(
        schema,
        schema.records["row"],
        RunOptions(),
        Options(form="json", techniques=("partition", "boundary", "combinatorial")),
    )
    assert not suite.left_out and len(suite.cases) > 100
    for case, tree in zip(suite.cases, trees(suite), strict=True):
        rising = [tree.get(each) for each in names]
        assert not case.valid or rising == sorted(rising), case.id
    # A duplicate has the values of the first record, even if several candidates were drawn.
    first, again = (
        trees(suite)[0],
        next(tree for case, tree in zip(suite.cases, trees(suite), strict=True) if case.item == "duplicate"),
    )
    assert first["mail"] == again["mail"]


def test_ids_survive_unrelated_changes() -> None:
    def ids(lines: str) -> dict[str, str]:
        schema, _ = read(Source("s", schema_of(lines, 60, head="seed: 4\n")))
        suite = suite_of(schema, schema.records["row"], RunOptions(), Options())
        return {each.id: each.reason for each in suite.cases if each.target == "n"}

    before = ids("n: integer 1..9\nm: one of a | b")
    assert before == ids("other: email\nz: boolean\nn: integer 1..9\nm: one of a | b | c") and len(before) >= 15


# ---- the command -----------------------------------------------------------------------------------------------------


def test_options_of_cases(yurt: Any, tmp_path: Path) -> None:
    def rows(*options: object) -> list[dict[str, str]]:
        return read_csv(yurt("cases", HUTS, "hut", *options, "--out", "-").stdout)

    whole = rows()
    assert len({each["case.id"] for each in whole}) == len(whole) > 110
    assert {each["case.technique"] for each in whole} == {"partition", "boundary", "syntax", "hostile"}
    assert whole == rows("--seed", 2407)
    valid = rows("--only", "accept", "--target", "beds", "--target", "code")
    assert {each["case.target"] for each in valid} == {"hut", "beds", "code"} and {
        each["case.expected"] for each in valid
    } == {"accept"}
    invalid = rows("--only", "reject")
    # The record that a duplicate repeats precedes it.
    assert [each["case.expected"] for each in invalid].count("accept") == 1 and invalid[0][
        "case.id"
    ] == "hut/partition/nominal"
    repeated = rows("--technique", "boundary", "--repeat", 3)
    assert len(repeated) == 3 * len([each for each in whole if each["case.technique"] == "boundary"]) + 3
    assert len({each["altitude"] for each in repeated if each["case.id"].startswith("beds/boundary/low")}) > 3
    several = rows("--faults", 2, "--technique", "partition", "--only", "reject")
    assert sum("; " in each["case.item"] for each in several) > 10
    counts = yurt("cases", HUTS, "hut", "--dry-run").stdout.decode()
    assert re.search(r"hut: \d+ cases at most\n +\d+  partition\n +\d+  boundary", counts)
    yurt("cases", HUTS, "hut", "--labels", "beside", "--split-files", "--out", "c.csv")
    assert sorted(each.name for each in tmp_path.iterdir() if each.name.startswith("c-")) == [
        "c-accept-labels.csv",
        "c-accept.csv",
        "c-reject-labels.csv",
        "c-reject.csv",
    ]
    data, labels = (read_csv((tmp_path / name).read_bytes()) for name in ("c-reject.csv", "c-reject-labels.csv"))
    assert len(data) == len(labels) and "case.id" not in data[0] and labels[4]["row"] == "5"
    shown = yurt("cases", HUTS, "hut", "--explain", "beds/boundary/high-outside").stdout.decode()
    assert "reject: beds violates range" in shown and re.search(r"beds +141 +← the target", shown)
    summary = yurt("cases", HUTS, "hut").stdout.decode()
    assert re.search(r"beds +8 +\d+ +140 +-124", summary) and re.search(r"code +3 +\d+ +\d+ +\d+", summary)


def test_strengths_seeds_and_what_is_missing(yurt: Any, tmp_path: Path) -> None:
    lines = "a: one of 1 | 2 | 3\nb: one of x | y\nc: boolean\nd: one of p | q | r"
    (tmp_path / "s.yaml").write_text(schema_of(lines, 5, "seed: 1\n", '    always:\n      - a > 1 or b == "x"\n'))

    def rows(*options: object) -> list[dict[str, str]]:
        found = read_csv(yurt("cases", "s.yaml", "--technique", "combinatorial", *options, "--out", "-").stdout)
        return [{name: each[name] for name in "abcd"} for each in found]

    allowed = [each for each in product("123", "xy", ("true", "false"), "pqr") if each[0] != "1" or each[1] == "x"]
    for options, strength in ((("--strength", 1), 1), ((), 2), (("--strength", 3), 3), (("--strength", "all"), 4)):
        found = [tuple(each.values()) for each in rows(*options)]
        assert set(found) <= set(allowed)
        for places in combinations(range(4), strength):
            assert {tuple(each[at] for at in places) for each in found} == {
                tuple(each[at] for at in places) for each in allowed
            }
    base = rows("--strength", "base")
    assert len(base) == 1 + 2 + 1 + 1 + 2
    stronger = [tuple(each.values()) for each in rows("--mixed-strength", "a,b,d=3")]
    assert {(each[0], each[1], each[3]) for each in stronger} == {(each[0], each[1], each[3]) for each in allowed}
    half = rows()[:5]
    out = io.StringIO(newline="")
    writer = csv.DictWriter(out, list("abcd"))
    writer.writeheader()
    writer.writerows(half)
    (tmp_path / "row.csv").write_text(out.getvalue(), newline="")
    more = [tuple(each.values()) for each in (*half, *rows("--existing", "row.csv"))]
    for places in combinations(range(4), 2):
        assert {tuple(each[at] for at in places) for each in more} == {
            tuple(each[at] for at in places) for each in allowed
        }
    # The reverse: the coverage of existing rows, and the cases that complete it.
    before = json.loads(yurt("coverage", "s.yaml", "row.csv", "--json", "--complete", "more.csv").stdout)[0]
    pairs = {(x, each[x], y, each[y]) for each in allowed for x, y in combinations(range(4), 2)}
    seen = {
        (x, list(each.values())[x], y, list(each.values())[y]) for each in half for x, y in combinations(range(4), 2)
    }
    assert before["pairs"]["possible"] == len(pairs) and before["pairs"]["covered"] == len(seen)
    (tmp_path / "both.csv").write_bytes((tmp_path / "more.csv").read_bytes())
    text = (tmp_path / "row.csv").read_text().splitlines()[1:]
    with (tmp_path / "both.csv").open("a", newline="") as both:
        both.writelines(f"x,,,,,,,{line}\r\n" for line in text)
    after = json.loads(yurt("coverage", "s.yaml", "row=both.csv", "--json").stdout)[0]
    assert after["pairs"]["covered"] == after["pairs"]["possible"]
    assert all(each["covered"] for each in after["items"]), [each for each in after["items"] if not each["covered"]]


def test_coverage_of_the_demo(yurt: Any, tmp_path: Path) -> None:
    yurt("generate", HUTS, "--out", "huts/")
    found = json.loads(yurt("coverage", HUTS, "huts/", "--record", "stay", "--json").stdout)[0]
    hit = {each["id"] for each in found["items"] if each["covered"]}
    assert {
        "status/partition/cancelled",
        "party/boundary/low",
        "board/decision/not-hut.beds-below-20-not-party-above-6",
    } <= hit
    assert not any(each["covered"] for each in found["items"] if each["expected"] == "reject")
    for outcome, name in (("accept", "valid items"), ("reject", "invalid items")):
        own = [each for each in found["items"] if each["expected"] == outcome]
        assert found[name] == {"covered": sum(each["covered"] for each in own), "of": len(own)}
    assert 0.5 < found["pairs"]["covered"] / found["pairs"]["possible"] < 0.95
    (tmp_path / "none.csv").write_text("x;y\n1;2\n")
    assert "no column has the name of a field" in yurt("coverage", HUTS, "hut=none.csv", code=1).stderr.decode()
    told = yurt("coverage", HUTS, "huts/").stdout.decode()
    assert re.search(r"status +4/10 +40%", told) and "items are not covered" in told


WRONG = [
    (["--explain", "party/x"], 2, "there is no case `party/x`"),
    (["--target", "parti"], 2, "did you mean `party`?"),
    (
        ["--strength", "x", "--technique", "combinatorial"],
        2,
        "`x` is not a strength; write 1 (each choice), 2 (pairwise)",
    ),
    (["--mixed-strength", "party", "--technique", "combinatorial"], 2, "write it like party,status,board=3"),
    (
        ["--mixed-strength", "slip,party=3", "--technique", "combinatorial"],
        2,
        "`slip` is not combined; the fields that are: ",
    ),
    (["--malformed-files"], 2, "broken files need a folder: --out FOLDER"),
    (["--out", "huts.yaml", "--format", "csv"], 2, "--force overwrites it"),
    (["--existing", "none.csv", "--technique", "combinatorial"], 2, "there is no file none.csv"),
    (["--technique", "borders"], 2, "'borders' is not one of"),
]


@pytest.mark.parametrize(("options", "code", "message"), WRONG, ids=lambda each: str(each)[:40])
def test_a_usage_error_is_reported(yurt: Any, tmp_path: Path, options: Any, code: int, message: str) -> None:
    (tmp_path / "huts.yaml").write_bytes(HUTS.read_bytes())
    assert message in yurt("cases", "huts.yaml", "stay", *options, code=code).stderr.decode()
    assert [each.name for each in tmp_path.iterdir()] == ["huts.yaml"]


# ---- arrays ----------------------------------------------------------------------------------------------------------

SIZES = [
    ("3^4", [3] * 4, 2, 9),
    ("3^13", [3] * 13, 2, 15),
    *([("4^15 3^17 2^29", [4] * 15 + [3] * 17 + [2] * 29, 2, 29)] if FULL else []),
    *([("4 3^39 2^35", [4] + [3] * 39 + [2] * 35, 2, 21)] if FULL else []),
    ("2^100", [2] * 100, 2, 10),
    ("10^20", [10] * 20, 2, 186),
    ("8^10 4^10", [8] * 10 + [4] * 10, 2, 91),
    # The smallest sizes published.
    ("3^4 of three", [3] * 4, 3, 27),
    ("2^10 of three", [2] * 10, 3, 12),
    ("3^6 of three", [3] * 6, 3, 33),
    ("4^3 2^5 of three", [4] * 3 + [2] * 5, 3, 64),
    ("5^6 of three", [5] * 6, 3, 125),
    ("2^6 of four", [2] * 6, 4, 21),
    ("2^11 of four", [2] * 11, 4, 24),
    ("2^16 of four", [2] * 16, 4, 40),
    ("10^4", [10] * 4, 2, 100),
    ("14^4", [14] * 4, 2, 196),
    ("20^5", [20] * 5, 2, 400),
    ("3^5 of four", [3] * 5, 4, 81),
    ("2^7 3^2 4 10^2", [2] * 7 + [3] * 2 + [4] + [10] * 2, 3, 420),
    ("mixed", [5, 2, 7, 3, 3, 2], 2, 35),
    ("two", [3, 5], 2, 15),
]


def left_out(rows: Any, levels: list[int], strength: int, rules: list[Rule]) -> int:
    """Count the uncovered combinations that a valid row could contain, by trying all rows of a few factors."""
    missing = 0
    for places in combinations(range(len(levels)), strength):
        seen = set(map(tuple, rows[:, list(places)].tolist()))
        missing += sum(each not in seen for each in product(*(range(levels[at]) for at in places)))
    return missing


@pytest.mark.parametrize(("name", "levels", "strength", "most"), SIZES, ids=lambda each: str(each)[:20])
def test_arrays_are_complete_and_small(name: str, levels: list[int], strength: int, most: int) -> None:
    rows = covering(levels, strength)
    assert left_out(rows, levels, strength, []) == 0
    assert len(rows) <= most
    assert (rows >= 0).all() and (rows < np.array(levels)).all()


@pytest.mark.parametrize("seed", [1])
def test_arrays_with_rules_cover_what_can_be(seed: int) -> None:
    dice = Random(seed)
    levels = [dice.choice((2, 3, 4)) for _ in range(20)]
    rules = []
    for _ in range(10):
        factors = tuple(dice.sample(range(20), dice.choice((2, 2, 3))))
        allowed = np.array([dice.random() < 0.7 for _ in range(int(np.prod([levels[at] for at in factors])))])
        allowed[0] = True
        rules.append(Rule(factors, allowed.reshape([levels[at] for at in factors])))
    rows = covering(levels, 2, rules)
    assert all(rule.allowed[tuple(row[list(rule.factors)])] for row in rows for rule in rules)

    def can_be(fixed: dict[int, int]) -> bool:
        """Try every completion over the factors in rules; independent of the code of the arrays."""
        for rule in rules:
            if all(at in fixed for at in rule.factors) and not rule.allowed[tuple(fixed[at] for at in rule.factors)]:
                return False
        rest = next((at for rule in rules for at in rule.factors if at not in fixed), None)
        return rest is None or any(can_be(fixed | {rest: level}) for level in range(levels[rest]))

    missing = 0
    for a, b in combinations(range(20), 2):
        seen = set(map(tuple, rows[:, [a, b]].tolist()))
        for pair in product(range(levels[a]), range(levels[b])):
            if pair not in seen:
                missing += 1
                assert not can_be({a: pair[0], b: pair[1]}), (a, b, pair)
    assert missing < 200


def test_each_invalid_part_is_combined_once_with_valid_ones(yurt: Any) -> None:
    valid = read_csv(yurt("cases", HUTS, "stay", "--technique", "combinatorial", "--out", "-").stdout)
    options = ("--technique", "combinatorial", "--invalid-parts", "--out", "-")
    done = yurt("cases", HUTS, "stay", *options)
    rows = read_csv(done.stdout)
    assert b"left out" not in done.stderr
    assert [each["case.id"] for each in rows[: len(valid)]] == [each["case.id"] for each in valid]
    wrong = rows[len(valid) :]
    assert {each["case.expected"] for each in wrong} == {"reject"} and len(wrong) > 50
    alone = read_csv(yurt("cases", HUTS, "stay", "--technique", "partition", "--only", "reject", "--out", "-").stdout)
    combined = {"arrival", "departure", "party", "status", "seen_at", "bunk", "board", "refund"}
    parts = [(each["case.target"], each["case.item"].partition(" among ")[0]) for each in wrong]
    assert len(set(parts)) == len(parts)
    assert set(parts) == {
        (each["case.target"], each["case.item"]) for each in alone[1:] if each["case.target"] in combined
    }
    # The values of parties follow the array, pair by pair.
    ways = {tuple(each[name] for name in ("refund", "route", "status")) for each in valid}
    own = [each for each in wrong if each["case.target"] == "party"]
    assert own and {tuple(each[name] for name in ("refund", "route", "status")) for each in own} <= ways


TOGETHER = """a: integer 1..9
b: one of x | y | z
c: one of p | q | r | s
d: one of k | l | m
twice: = a * 2
long: = twice > 10
e: one of u | v, present if long"""


def test_combinations_of_what_follows_and_of_what_is_unique_together(yurt: Any, tmp_path: Path) -> None:
    tail = '    unique: [a, b]\n    always:\n      - twice < 18 or d == "k"\n'
    (tmp_path / "s.yaml").write_text(schema_of(TOGETHER, 27, "seed: 3\n", tail))
    rows = read_csv(yurt("cases", "s.yaml", "--technique", "combinatorial", "--out", "-").stdout)
    keys = [(each["a"], each["b"]) for each in rows]
    assert len(set(keys)) == len(keys) <= 18
    for each in rows:
        twice = 2 * int(each["a"])
        assert int(each["twice"]) == twice and (each["e"] != "") == (twice > 10) and (twice < 18 or each["d"] == "k")

    def part(name: str, row: dict[str, str]) -> str:
        return "inside" if name == "a" and row["a"] not in ("1", "9") else row[name]

    found = {(one, part(one, row), other, part(other, row)) for row in rows for one, other in combinations("abcde", 2)}
    every = [
        {"a": str(a), "b": b, "c": c, "d": d, "e": e}
        for a, b, c, d in product(range(1, 10), "xyz", "pqrs", "klm") if a < 9 or d == "k"
        for e in (("u", "v") if a > 5 else ("",))
    ]  # fmt: skip
    wanted = {
        (one, part(one, row), other, part(other, row)) for row in every for one, other in combinations("abcde", 2)
    }
    # Three rows can contain a boundary of `a`, one for each `b`; `c` has four values, so one remains for each boundary.
    assert found <= wanted and len(wanted - found) <= 3


# ---- errors ----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("form", ["csv", "json", "xml"])
def test_answers_lead_back_from_dirt_to_the_clean_file(yurt: Any, tmp_path: Path, form: str) -> None:
    yurt("generate", HUTS, "hiker", "--count", 4000, "--out", f"clean.{form}")
    options = ("--count", 4000, "--errors", "1%", "--errors", "mail=8%")
    for workers in (1, 3):
        yurt("generate", HUTS, "hiker", *options, "--out", f"{workers}.{form}", "--workers", workers)
    assert (tmp_path / f"1.{form}").read_bytes() == (tmp_path / f"3.{form}").read_bytes()
    answers = read_csv((tmp_path / "1-errors.csv").read_bytes())
    if form != "csv":
        return
    clean, dirty = (read_csv((tmp_path / f"{name}.csv").read_bytes()) for name in ("clean", "1"))
    for each in reversed(answers):
        row = dirty[int(each["row"]) - 1]
        if each["field"]:
            assert row[each["field"]] == each["dirty"] != each["clean"]
            assert (
                clean[int(each["clean row"]) - 1][each["field"]] == each["clean"] or each["error"] == "near-duplicate"
            )
    for each in reversed(answers):
        if each["field"]:
            dirty[int(each["row"]) - 1][each["field"]] = each["clean"]
    twice = {int(each["row"]) - 1 for each in answers if each["error"] in ("duplicate", "near-duplicate")}
    restored = [row for at, row in enumerate(dirty) if at not in twice]
    assert restored == clean
    share = sum(each["field"] == "mail" and each["error"] != "near-duplicate" for each in answers) / len(dirty)
    assert 0.07 < share < 0.11 and 0.005 < len(twice) / 4000 < 0.015
    assert {each["error"] for each in answers} >= {
        "typing slip",
        "case",
        "spaces",
        "truncated",
        "mojibake",
        "date order",
        "swapped",
        "duplicate",
        "near-duplicate",
        "outlier",
    }


LISTS = """id: sequence
speaks: list 0..3 of one of de | it | sl | fr, distinct
steps: list 1..4 of integer 5..900
days: list 1..2 of date 2026-01-01..2026-12-31"""


@pytest.mark.parametrize("form", ["csv", "json", "xml"])
def test_lists_take_dirt(yurt: Any, tmp_path: Path, form: str) -> None:
    (tmp_path / "s.yaml").write_text(schema_of(LISTS, 600, "seed: 2\n"))
    yurt("generate", "s.yaml", "--out", f"clean.{form}")
    yurt(
        "generate",
        "s.yaml",
        "--errors",
        "steps=20%",
        "--errors",
        "speaks=10%",
        "--errors",
        "days=20%",
        "--out",
        f"d.{form}",
    )
    names = ("speaks", "steps", "days")

    def read(name: str) -> list[dict[str, list[str]]]:
        data = (tmp_path / f"{name}.{form}").read_bytes()
        if form == "xml":
            records = etree.fromstring(data)
            return [{name: [each.text or "" for each in row.find(name)] for name in names} for row in records]
        rows = json.loads(data) if form == "json" else read_csv(data)
        parsed = [{name: row[name] if form == "json" else json.loads(row[name]) for name in names} for row in rows]
        return [{name: [str(each) for each in row[name]] for name in names} for row in parsed]

    clean, dirty = read("clean"), read("d")
    answers = read_csv((tmp_path / "d-errors.csv").read_bytes())
    assert len(clean) == len(dirty)
    wrong = {(int(each["row"]) - 1, each["field"]) for each in answers}
    assert wrong == {(at, name) for at in range(600) for name in names if clean[at][name] != dirty[at][name]}
    for each in answers:
        told = {name: [str(one) for one in json.loads(each[name])] for name in ("clean", "dirty")}
        at = int(each["row"]) - 1
        assert told == {"clean": clean[at][each["field"]], "dirty": dirty[at][each["field"]]}
        length = len(told["dirty"]) - len(told["clean"])
        assert length == {"element left out": -1, "element twice": 1}.get(each["error"], 0)
        if each["error"] == "elements swapped":
            assert sorted(told["clean"]) == sorted(told["dirty"])
    sorts = {"element left out", "element twice", "elements swapped", "typing slip", "outlier", "spaces"}
    assert sorts <= {each["error"] for each in answers} and 150 < len(answers) < 450


def test_wrong_rates_of_dirt(yurt: Any) -> None:
    for options, message in (
        (["--errors", "2"], "write it like 2% or mail=10%"),
        (["--errors", "mial=2%", "--out", "x.csv"], "did you mean `mail`?"),
        (["--errors", "2%"], "it needs --out"),
    ):
        assert message in yurt("generate", HUTS, "hiker", *options, code=2).stderr.decode()


# ---- labels, losses, limits ------------------------------------------------------------------------------------------

LABELLED = """
case: text 3..8
name: full-name
mail: email
size: integer 1..9, optional
"""


def test_labels_are_a_record_of_their_own_and_give_way_to_a_field(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema_of(LABELLED, 20, "seed: 2\ntoday: 2026-06-01\n"))
    told = yurt("cases", "s.yaml", "--out", "c.json", code=2).stderr.decode()
    assert "`row` has a field `case`" in told and "--label-record NAME" in told and not (tmp_path / "c.json").exists()
    for form in ("csv", "json", "jsonl", "xml", "yml"):
        yurt("cases", "s.yaml", "--label-record", "about", "--out", f"c.{form}")
        told = yurt("verify", "s.yaml", f"row=c.{form}", "--label-record", "about").stdout.decode()
        assert re.search(r"\d\d+ cases: every label is correct", told), told
        # Without the `malformed` name they are unknown names, and invalid records are violations.
        assert "the schema has no field for `about" in yurt("verify", "s.yaml", f"row=c.{form}", code=1).stdout.decode()
    names = ("id", "technique", "target", "item", "expected", "violates", "reason")
    rows = json.loads((tmp_path / "c.json").read_text())
    assert all(tuple(each["about"]) == names and next(iter(each)) == "about" for each in rows)
    root = etree.parse(tmp_path / "c.xml").getroot()
    assert {tuple(child.tag for child in each[0]) for each in root} == {names} and root[0][0].tag == "about"
    header = (tmp_path / "c.csv").read_text().splitlines()[0]
    assert header == ",".join([*(f"about.{each}" for each in names), "case", "name", "mail", "size"])


def test_hostile_texts_without_a_rule_must_be_handled(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema_of(LABELLED, 20, "seed: 2\ntoday: 2026-06-01\n"))
    options = ("--technique", "hostile", "--labels", "beside", "--out")
    yurt("cases", "s.yaml", *options, "c.csv")
    labels = read_csv((tmp_path / "c-labels.csv").read_bytes())
    expected = {(each["target"], each["item"]): each["expected"] for each in labels}
    assert expected["name", "sql"] == expected["name", "emoji"] == expected["name", "script"] == "handle"
    assert expected["name", "null byte"] == expected["name", "very long"] == expected["name", "empty"] == "reject"
    assert {value for (target, _), value in expected.items() if target != "name"} == {"reject", "accept"}
    for name in ("accept", "handle", "reject"):
        yurt("cases", "s.yaml", *options, f"{name}.csv", "--only", name)
        # The nominal record remains where a duplicate repeats it.
        assert {each["expected"] for each in read_csv((tmp_path / f"{name}-labels.csv").read_bytes())} == {name}
    yurt("cases", "s.yaml", "--technique", "hostile", "--labels", "none", "--split-files", "--out", "a.csv")
    assert {each.name for each in tmp_path.glob("a-*.csv")} == {"a-accept.csv", "a-handle.csv", "a-reject.csv"}
    told = yurt("verify", "s.yaml", "row=a-handle.csv").stdout.decode()
    assert "all valid" in told and "row.name, whether it is the name of a person" in told


def test_the_default_suite_is_sensible_and_says_what_it_leaves_out(yurt: Any, tmp_path: Path) -> None:
    lines = LABELLED.replace("case:", "code:") + "drawn: integer 1..9, helper\nlate: integer drawn..20\n"
    (tmp_path / "s.yaml").write_text(schema_of(lines, 20, "seed: 2\ntoday: 2026-06-01\n"))
    (told,) = json.loads(yurt("cases", "s.yaml", "--json").stdout)
    assert told["techniques"]["hostile"] * 3 <= told["cases"] and told["passed over"]["cases"] > 0
    assert "at most a third" in told["passed over"]["reason"]
    assert told["accept"] + told["handle"] + told["reject"] == told["cases"] == sum(told["techniques"].values())
    assert {each["reason"] for each in told["left out"]} == {"`drawn` is a helper and was drawn"}
    assert {each["id"] for each in told["not in the format"]} >= {"name/partition/absent"}
    # Every path reports the same.
    for options in (("--out", "-"), ("--out", "c.csv"), ()):
        done = yurt("cases", "s.yaml", *options)
        assert "`drawn` is a helper and was drawn" in (done.stdout + done.stderr).decode(), options
        assert "at most a third" in (done.stdout + done.stderr).decode(), options
    for limit in (1, 10, 40):
        rows = read_csv(yurt("cases", "s.yaml", "--limit", limit, "--out", "-").stdout)
        assert len(rows) == limit
    # The most valuable cases come first: as many cases as there are rules break every rule.
    rules = {
        (each["case.target"], each["case.violates"]) for each in read_csv(yurt("cases", "s.yaml", "--out", "-").stdout)
    }
    few = read_csv(yurt("cases", "s.yaml", "--limit", len(rules) + 20, "--out", "-").stdout)
    assert {(each["case.target"], each["case.violates"]) for each in few} >= {each for each in rules if each[1]}


def test_one_record_type_without_cases_does_not_stop_the_others(yurt: Any, tmp_path: Path) -> None:
    good = schema_of("n: integer 1..9", 5, "seed: 1\ntoday: 2026-06-01\n")
    bad = schema_of("n: integer 1..9", 5, None, "    always:\n      - n > 20\n", name="never")
    (tmp_path / "s.yaml").write_text(good + bad)
    done = yurt("cases", "s.yaml", "--out", "c/")
    assert b"no cases of never: " in done.stderr and (tmp_path / "c/row-cases.csv").exists()
    assert b"not even a record that follows the schema can be made" in yurt("cases", "s.yaml", "never", code=1).stderr


def test_missing_and_empty_differ_in_every_format(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(
        schema_of("name: full-name\nsize: integer 1..9", 20, "seed: 2\ntoday: 2026-06-01\n")
    )
    yurt("cases", "s.yaml", "--out", "c.csv")
    wanted = {"size/partition/missing": None, "size/partition/empty": "", "name/partition/missing": None}
    rows = duckdb.sql(f"FROM read_csv('{tmp_path}/c.csv', all_varchar=true, allow_quoted_nulls=false)").df()
    seen = {each["case.id"]: each for each in rows.to_dict("records")}
    for name, value in wanted.items():
        found = seen[name][name.partition("/")[0]]
        assert (found if isinstance(found, str) else None) == value, name
    text = {each: pa.string() for each in ("name", "size")}
    convert = pyarrow.csv.ConvertOptions(column_types=text, strings_can_be_null=True, quoted_strings_can_be_null=False)
    for each in pyarrow.csv.read_csv(tmp_path / "c.csv", convert_options=convert).to_pylist():
        if each["case.id"] in wanted:
            assert each[each["case.id"].partition("/")[0]] == wanted[each["case.id"]]


NESTED = """name: given-name
home:
  nested:
    city: text 3..9 of lower
    zip: integer 1000..9999, missing 20%
work:
  nested:
    firm: text 3..9 of lower
    floor: integer 1..20
  missing: 40%
pair:
  nested:
    a: integer 1..4
    b: integer 1..4"""


def test_nested_records_are_missing_empty_or_none(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema_of(NESTED, 9, "seed: 1\n"))
    rows = json.loads(yurt("cases", "s.yaml", "--technique", "partition", "--out", "-", "--format", "json").stdout)
    found = {each["case"]["id"].replace("/partition", ""): each for each in rows}
    nowhere = object()
    for name, field, value, expected in (
        ("home/missing", "home", None, "reject"),
        ("home/absent", "home", nowhere, "reject"),
        ("home/wrong-type", "home", "none", "reject"),
        ("home.city/in-an-empty-record", "home", {}, "reject"),
        ("pair.a/pair.a-in-an-empty-record-pair.b-in-an-empty-record", "pair", {}, "reject"),
        ("work/missing", "work", None, "accept"),
        ("work/absent", "work", nowhere, "accept"),
    ):
        assert (found[name].get(field, nowhere), found[name]["case"]["expected"]) == (value, expected), name
    assert not [name for name in found if name.startswith("work/") and found[name]["case"]["expected"] == "reject"]
    told = yurt("cases", "s.yaml", "--technique", "partition", "--out", "-").stderr.decode()
    assert "CSV has no records: their fields are columns" in told and "left out" not in told


DISTINCT = """yurt: 1
seed: 3
records:
  hut: {count: 12, key: code, fields: {code: 'like "AB-10"', beds: 'integer 8..40'}}
  hiker: {count: 20, key: id, fields: {id: 'sequence'}}
  visit: {count: 0..4 per hiker, fields: {hiker: 'ref hiker', hut: 'ref hut, distinct', beds: '= hut.beds'}}
"""


def test_two_children_of_one_parent_with_the_same_reference(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(DISTINCT)
    done = yurt("cases", "s.yaml", "visit", "--out", "-")
    rows = read_csv(done.stdout)
    assert b"left out" not in done.stderr
    one, other = (
        next(each for each in rows if each["case.id"] == f"hiker-hut/partition/{item}")
        for item in ("once", "duplicate")
    )
    assert one["hiker"] == other["hiker"] and one["hut"] == other["hut"] and one["beds"] == other["beds"]
    assert (one["case.expected"], other["case.expected"], other["case.violates"]) == ("accept", "reject", "unique")
    # Also where each case is repeated.
    again = read_csv(yurt("cases", "s.yaml", "visit", "--repeat", 3, "--target", "hut", "--out", "-").stdout)
    wrong = [each for each in again if each["case.target"] == "hiker, hut" and each["case.expected"] == "reject"]
    assert len(wrong) == 3
    for each in wrong:
        same = [(row["hiker"], row["hut"]) for row in again if row["hiker"] == each["hiker"]]
        assert same == [(each["hiker"], each["hut"])] * 2
    # No two other records share these values, and the children of one parent are complete.
    pairs = [(each["hiker"], each["hut"]) for each in rows if each["case.expected"] == "accept"]
    assert len(set(pairs)) == len(pairs)
    assert sum(each["case.item"].startswith("child ") for each in rows) == 4


BEDS = """yurt: 1
seed: 3
records:
  hut: {count: 2, key: code, fields: {code: 'like "AB-10"', beds: 'integer 4..30', opens: 'date 2026-05-01..2026-06-30'}}
  stay: {count: COUNT, key: id, fields: {id: 'sequence', hut: 'ref hut', party: 'integer 1..9, present if hut.beds < 20'}}
"""


@pytest.mark.parametrize("count", ["10", "2..3 per hut"])
def test_edges_of_what_the_parent_alone_decides(yurt: Any, tmp_path: Path, count: str) -> None:
    """A parent exists on each side of the boundary, and every other case has the parent that the condition requires."""
    (tmp_path / "s.yaml").write_text(BEDS.replace("COUNT", count))
    (told,) = json.loads(yurt("cases", "s.yaml", "stay", "--out", "c.csv", "--json").stdout)
    assert not told["left out"] and told["refers to"]["hut"] > 2
    yurt("generate", "s.yaml", "hut", "--count", told["refers to"]["hut"], "--out", "hut.csv")
    beds = {each["code"]: int(each["beds"]) for each in read_csv((tmp_path / "hut.csv").read_bytes())}
    rows = read_csv((tmp_path / "c.csv").read_bytes())
    edges = {
        each["case.item"]: (beds[each["hut"]], bool(each["party"])) for each in rows if "hut.beds" in each["case.id"]
    }
    assert edges["hut.beds < 20: equal"] == (20, False) and edges["hut.beds < 20: one step below"] == (19, True)
    # Values that must be absent are reported; for the others, the parent's beds decide whether there is a value.
    for each in rows:
        if each["case.violates"] == "condition":
            assert beds[each["hut"]] >= 20 and each["party"]
        elif each["case.expected"] == "accept":
            assert (beds[each["hut"]] < 20) == bool(each["party"]), each
    # Rows that cannot exist are reported.
    (tmp_path / "none.yaml").write_text(BEDS.replace("COUNT", count).replace("4..30", "4..9000000"))
    (told,) = json.loads(yurt("cases", "none.yaml", "stay", "--out", "n.csv", "--json").stdout)
    (reason,) = {each["reason"] for each in told["left out"]}
    assert re.fullmatch("none of [45],[01][29][06] rows of `hut` meets its requirements", reason)


@pytest.mark.parametrize("form", ["csv", "json", "xml"])
def test_a_parent_with_one_child_too_few_is_a_wrong_file(yurt: Any, tmp_path: Path, form: str) -> None:
    (tmp_path / "s.yaml").write_text(BEDS.replace("COUNT", "2..3 per hut"))
    yurt("cases", "s.yaml", "--malformed-files", "--format", form, "--out", "wrong/")
    expected = {each["file"]: each for each in read_csv((tmp_path / "wrong/expected-results.csv").read_bytes())}
    assert expected[f"stay-child-too-few.{form}"]["expected"] == "reject"
    assert f"hut-child-too-few.{form}" not in expected
    for name, code in (("sound", 0), ("child-too-few", 1)):
        files = [f"hut=wrong/hut-sound.{form}", f"stay=wrong/stay-{name}.{form}"]
        told = json.loads(yurt("verify", "s.yaml", *files, "--json", code=code).stdout)
        found = [(each["record"], each["rule"], each["examples"][0]["row"]) for each in told["violations"]]
        assert found == ([("hut", "count", 2)] if code else [])
