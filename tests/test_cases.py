"""Cases: every label is held against judges of other hands, arrays against a count of their own."""

from __future__ import annotations

import csv
import io
import json
import re
from itertools import combinations, product
from pathlib import Path
from random import Random
from typing import Any

import jsonschema
import numpy as np
import pytest

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


@pytest.mark.parametrize("form", ["csv", "xml"])
def test_every_label_of_the_demo_is_right(yurt: Any, tmp_path: Path, form: str) -> None:
    options = [part for name in EVERY for part in ("--technique", name)]
    done = yurt("cases", HUTS, *options, "--boundary", 3, "--out", "cases/", "--format", form)
    assert b"the judge says" not in done.stderr
    yurt("generate", HUTS, "--out", "huts/")
    own = [f"{name}=cases/{name}-cases.{form}" for name in ("hut", "hiker", "stay")]
    for files in (own[:2], ["huts/hut.csv", "huts/hiker.csv", own[2]]):
        told = yurt("verify", HUTS, *files).stdout.decode()
        found = re.search(r"([\d,]+) cases: each is what its label says", told)
        assert found and int(found[1].replace(",", "")) > 300


def trees(suite: Suite) -> list[dict[str, Any]]:
    """Return the records of cases as Python's JSON reader has them; without `Infinity` and its like, which it takes."""
    return [json.loads(line) for line in suite.rows.file().decode().strip("[]\n").split(",\n")]


@pytest.mark.parametrize("start", range(0, SCHEMAS, 25))
def test_the_composer_of_random_schemas_agrees_with_every_label(start: int) -> None:
    """The composer's judges know nothing of the engine or the judge: what is to be accepted passes all of them, and what
    breaks the shape of a field fails that field's own."""
    total = 0
    for seed in range(start, start + (25 if FULL else 6)):
        lines, judges = composed(seed)
        schema, _ = read(Source("s", schema_of(lines, 60, head="seed: 4\ntoday: 2026-06-01\n")))
        suite = suite_of(schema, schema.records["row"], RunOptions(), Options(form="json", techniques=EVERY))
        # What cannot be made is a condition over row numbers, or one that its own range excludes.
        assert all(why.startswith("no record") for _, why in suite.left_out), (seed, suite.left_out)
        total += len(suite.cases)
        for case, tree in zip(suite.cases, trees(suite), strict=True):
            record = dict.fromkeys(judges) | tree
            top = case.target.partition(".")[0]
            for name, judge in judges.items():
                try:
                    good = bool(judge(record))
                except (TypeError, KeyError, ValueError, AttributeError):
                    good = False
                # A condition over the row number cannot be judged from a record.
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


def test_json_schema_is_a_second_judge(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema_of(EXPRESSIBLE, 40, "seed: 2\ntoday: 2026-06-01\n"))
    options = [part for name in EVERY for part in ("--technique", name)]
    cases = json.loads(yurt("cases", "s.yaml", *options, "--out", "-", "--format", "json").stdout)
    checker = jsonschema.Draft202012Validator(SCHEMA)
    for case in cases:
        assert checker.is_valid(case) == (case["expected"] == "accept"), case
    outcomes = [each["expected"] for each in cases]
    assert outcomes.count("reject") > 100 and outcomes.count("accept") > 30
    targets = {error.path[0] for case in cases for error in checker.iter_errors(case) if error.path}
    assert targets == {"code", "beds", "grade", "open", "tags", "note", "home"}


# ---- what is derived -------------------------------------------------------------------------------------------------

DERIVED: list[tuple[str, str, set[tuple[str, object, str]]]] = [
    # field, technique, some of what must be there: partition, value, rule
    (
        "n: integer 3..9",
        "boundary",
        {
            ("low", 3, ""),
            ("low outside", 2, "range"),
            ("low inside", 4, ""),
            ("high", 9, ""),
            ("high outside", 10, "range"),
            ("high inside", 8, ""),
        },
    ),
    (
        "n: decimal 0.50..2.00 step 0.25",
        "boundary",
        {("low outside", 0.25, "range"), ("high outside", 2.25, "range"), ("low inside", 0.75, "")},
    ),
    (
        "n: text 3..6 of digit",
        "boundary",
        {
            ("shortest", "555", ""),
            ("shortest inside", "5555", ""),
            ("too short", "55", "length"),
            ("too long", "5555555", "length"),
        },
    ),
    ("n: integer -3..9", "hostile", {("minus zero", 0, ""), ("plus sign", "+7", "type")}),
    (
        "n: date 2024-01-31..2024-03-01",
        "boundary",
        {("low", "2024-01-31", ""), ("2024-02-29", "2024-02-29", ""), ("high outside", "2024-03-02", "range")},
    ),
    (
        "n: date 1899-01-01..9999-12-31",
        "boundary",
        {("1900-02-28", "1900-02-28", ""), ("2000-02-29", "2000-02-29", ""), ("2038-01-19", "2038-01-19", "")},
    ),
    (
        "n: date 2026-06-01..2026-06-30, on mon",
        "boundary",
        {("low", "2026-06-01", ""), ("high", "2026-06-29", ""), ("high outside", "2026-07-06", "range")},
    ),
    (
        "n: datetime 2026-03-01T00:00..2026-11-01T00:00 step 30min zone Europe/Vienna",
        "boundary",
        {
            ("clock 2026-03-29 before", "2026-03-29T01:30:00+01:00", ""),
            ("clock 2026-03-29 after", "2026-03-29T03:00:00+02:00", ""),
            ("clock 2026-10-25 twice", "2026-10-25T02:00:00+02:00", ""),
        },
    ),
    (
        "n: list 2..3 of integer 1..9",
        "boundary",
        {("too short", 1, "length"), ("shortest", 2, ""), ("longest", 3, ""), ("too long", 4, "length")},
    ),
    (
        "n: /[A-Z]{2}-\\d{1,3}/",
        "syntax",
        {
            ("shortest", "NN-5", ""),
            ("longest", "NN-555", ""),
            ("with A", "AN-555", ""),
            ("with Z", "ZN-555", ""),
            ("wrong separator", "NN_555", "pattern"),
            ("doubled", "NN-5555", "length"),
        },
    ),
    ("n: ipv4", "syntax", {("octet 256", "192.0.2.256", "pattern"), ("five octets", "192.0.2.5.1", "pattern")}),
    (
        "n: one of half | full",
        "partition",
        {
            ("half", "half", ""),
            ("wrong case", "HALF", "list"),
            ("blank behind", "half ", "list"),
            ("not listed", "unlisted", "list"),
        },
    ),
    (
        "n: integer 1..9",
        "hostile",
        {("leading zeros", "007", "type"), ("huge", float("inf"), "range"), ("decimal comma", "1,5", "type")},
    ),
    (
        "n: text 1..40 of print",
        "hostile",
        {
            ("single quote", "O'Hara", ""),
            ("line break", "first\nsecond", "pattern"),
            ("very long", "x" * 10_000, "length"),
            ("empty", "", "length"),
        },
    ),
    (
        "n: date 2026-01-01..2026-12-31",
        "partition",
        {("day 30 of February", "2026-02-30", "type"), ("29 February of no leap year", "2025-02-29", "type")},
    ),
    (
        "a: integer 1..9\nn:\n  when:\n    a > 5: one of x\n    a > 2: one of y\n    else: one of z",
        "decision",
        {("a > 5, a > 2", "x", ""), ("not a > 5, a > 2", "y", ""), ("not a > 5, not a > 2", "z", "")},
    ),
    (
        "n:\n  is: text 2..4 of upper\n  reject: {QQ: kept, q: too short}\n  accept: {AB: usual}",
        "partition",
        {("rejected QQ", "QQ", "rejected"), ("rejected q", "q", "length"), ("accepted AB", "AB", "")},
    ),
]


@pytest.mark.parametrize(("lines", "technique", "some"), DERIVED, ids=[f"{line[:40]} {by}" for line, by, _ in DERIVED])
def test_what_is_derived(lines: str, technique: str, some: set[tuple[str, object, str]]) -> None:
    schema, _ = read(Source("s", schema_of(lines, 60, head="seed: 4\ntoday: 2026-06-01\n")))
    suite = suite_of(
        schema, schema.records["row"], RunOptions(), Options(form="json", techniques=(technique,), boundary=3)
    )
    seen = set()
    for case, tree in zip(suite.cases, trees(suite), strict=True):
        value = tree.get("n")
        seen.add((case.partition, len(value) if isinstance(value, list) else value, case.violates))
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
        assert b"each is what its label says" in yurt("verify", "s.yaml", f"row.{form}").stdout
    assert (
        "Home.post code    5555  ← the target"
        in yurt("cases", "s.yaml", "--explain", "home.zip/syntax/shortest").stdout.decode()
    )


def test_ids_survive_unrelated_changes() -> None:
    def ids(lines: str) -> dict[str, str]:
        schema, _ = read(Source("s", schema_of(lines, 60, head="seed: 4\n")))
        suite = suite_of(schema, schema.records["row"], RunOptions(), Options())
        return {each.id: each.reason for each in suite.cases if each.target == "n"}

    before = ids("n: integer 1..9\nm: one of a | b")
    assert before == ids("other: email\nz: boolean\nn: integer 1..9\nm: one of a | b | c") and len(before) > 20


# ---- the command -----------------------------------------------------------------------------------------------------


def test_options_of_cases(yurt: Any, tmp_path: Path) -> None:
    def rows(*options: object) -> list[dict[str, str]]:
        return read_csv(yurt("cases", HUTS, "hut", *options, "--out", "-").stdout)

    whole = rows()
    assert len({each["case"] for each in whole}) == len(whole) > 150
    assert {each["technique"] for each in whole} == {"partition", "boundary", "syntax", "hostile"}
    assert whole == rows("--seed", 4711)
    valid = rows("--only", "valid", "--target", "beds", "--target", "code")
    assert {each["target"] for each in valid} == {"hut", "beds", "code"} and {each["expected"] for each in valid} == {
        "accept"
    }
    invalid = rows("--only", "invalid")
    # The record that a duplicate repeats stays in front.
    assert [each["expected"] for each in invalid].count("accept") == 1 and invalid[0]["case"] == "hut/partition/nominal"
    repeated = rows("--technique", "boundary", "--repeat", 3)
    assert len(repeated) == 3 * len([each for each in whole if each["technique"] == "boundary"]) + 3
    assert len({each["altitude"] for each in repeated if each["case"].startswith("beds/boundary/low")}) > 3
    several = rows("--faults", 2, "--technique", "partition", "--only", "invalid")
    assert sum("; " in each["partition"] for each in several) > 10
    counts = yurt("cases", HUTS, "hut", "--dry-run").stdout.decode()
    assert re.search(r"hut: \d+ cases at most\n +\d+  partition\n +\d+  boundary", counts)
    yurt("cases", HUTS, "hut", "--labels", "beside", "--apart", "--out", "c.csv")
    assert sorted(each.name for each in tmp_path.iterdir() if each.name.startswith("c-")) == [
        "c-invalid-labels.csv",
        "c-invalid.csv",
        "c-valid-labels.csv",
        "c-valid.csv",
    ]
    data, labels = (read_csv((tmp_path / name).read_bytes()) for name in ("c-invalid.csv", "c-invalid-labels.csv"))
    assert len(data) == len(labels) and "case" not in data[0] and labels[4]["row"] == "5"
    shown = yurt("cases", HUTS, "hut", "--explain", "beds/boundary/high-outside").stdout.decode()
    assert "reject: beds violates range" in shown and re.search(r"beds +141 +← the target", shown)
    summary = yurt("cases", HUTS, "hut").stdout.decode()
    assert re.search(r"beds +8 +\d+ +140 +-124", summary) and re.search(r"code +3 +\d+ +\d+ +\d+", summary)


def test_strengths_seeds_and_what_is_missing(yurt: Any, tmp_path: Path) -> None:
    lines = "a: one of 1 | 2 | 3\nb: one of x | y\nc: boolean\nd: one of p | q | r"
    (tmp_path / "s.yaml").write_text(schema_of(lines, 5, "seed: 1\n", '    always:\n      - a > 1 or b == "x"\n'))

    def rows(*options: object) -> list[dict[str, str]]:
        found = read_csv(yurt("cases", "s.yaml", "--technique", "combinatorial", *options, "--out", "-").stdout)
        return [{name: each[name] for name in "abcd"} for each in found[1:]]

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
    stronger = [tuple(each.values()) for each in rows("--stronger", "a,b,d=3")]
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
    # The other way round: what do the rows cover, and what completes them?
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


def test_coverage_of_the_demo(yurt: Any) -> None:
    yurt("generate", HUTS, "--out", "huts/")
    found = json.loads(yurt("coverage", HUTS, "huts/", "--record", "stay", "--json").stdout)[0]
    hit = {each["case"] for each in found["items"] if each["covered"]}
    assert {
        "status/partition/cancelled",
        "party/boundary/low",
        "board/decision/not-hut.beds-below-20-not-party-above-6",
    } <= hit
    assert not any(each["covered"] for each in found["items"] if each["expected"] == "reject")
    assert 0.5 < found["pairs"]["covered"] / found["pairs"]["possible"] < 0.95
    told = yurt("coverage", HUTS, "huts/").stdout.decode()
    assert re.search(r"status +4/10 +40%", told) and "items are not covered" in told


WRONG = [
    (["--explain", "party/x"], 2, "there is no case `party/x`"),
    (["--target", "parti"], 2, "did you mean `party`?"),
    (["--strength", "x", "--technique", "combinatorial"], 2, "`x` is no strength; write 1 (each choice), 2 (pairwise)"),
    (["--stronger", "party", "--technique", "combinatorial"], 2, "write it like party,status,board=3"),
    (
        ["--stronger", "slip,party=3", "--technique", "combinatorial"],
        2,
        "`slip` is not combined; the fields that are: ",
    ),
    (["--documents"], 2, "broken files need a folder: --out FOLDER"),
    (["--out", "huts.yaml"], 2, "--force overwrites it"),
    (["--existing", "none.csv"], 2, "none.csv: there is no such file"),
    (["--technique", "borders"], 2, "'borders' is not one of"),
]


@pytest.mark.parametrize(("options", "code", "message"), WRONG, ids=lambda each: str(each)[:40])
def test_a_wrong_call_is_told(yurt: Any, tmp_path: Path, options: Any, code: int, message: str) -> None:
    (tmp_path / "huts.yaml").write_bytes(HUTS.read_bytes())
    assert message in yurt("cases", "huts.yaml", "stay", *options, code=code).stderr.decode()
    assert [each.name for each in tmp_path.iterdir()] == ["huts.yaml"]


# ---- arrays ----------------------------------------------------------------------------------------------------------

SIZES = [
    ("3^4", [3] * 4, 2, 9),
    ("3^13", [3] * 13, 2, 18),
    ("4^15 3^17 2^29", [4] * 15 + [3] * 17 + [2] * 29, 2, 36),
    ("4 3^39 2^35", [4] + [3] * 39 + [2] * 35, 2, 27),
    ("2^100", [2] * 100, 2, 14),
    ("10^20", [10] * 20, 2, 212),
    ("2^7 3^2 4 10^2", [2] * 7 + [3] * 2 + [4] + [10] * 2, 3, 420),
    ("mixed", [5, 2, 7, 3, 3, 2], 2, 35),
    ("two", [3, 5], 2, 15),
]


def left_out(rows: Any, levels: list[int], strength: int, rules: list[Rule]) -> int:
    """Count the combinations that no row has although a row that follows the rules could: by trying all rows of few factors."""
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
        """Try every way to go on, over the factors that rules speak of; written apart from the arrays."""
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


# ---- dirt ------------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("form", ["csv", "json", "xml"])
def test_answers_lead_back_from_dirt_to_the_clean_file(yurt: Any, tmp_path: Path, form: str) -> None:
    yurt("generate", HUTS, "hiker", "--count", 4000, "--out", f"clean.{form}")
    options = ("--count", 4000, "--dirt", "1%", "--dirt", "mail=8%")
    for workers in (1, 3):
        yurt("generate", HUTS, "hiker", *options, "--out", f"{workers}.{form}", "--workers", workers)
    assert (tmp_path / f"1.{form}").read_bytes() == (tmp_path / f"3.{form}").read_bytes()
    answers = read_csv((tmp_path / "1-dirt.csv").read_bytes())
    if form != "csv":
        return
    clean, dirty = (read_csv((tmp_path / f"{name}.csv").read_bytes()) for name in ("clean", "1"))
    for each in reversed(answers):
        row = dirty[int(each["row"]) - 1]
        if each["field"]:
            assert row[each["field"]] == each["dirty"] != each["clean"]
    for each in reversed(answers):
        if each["field"]:
            dirty[int(each["row"]) - 1][each["field"]] = each["clean"]
    twice = {int(each["row"]) - 1 for each in answers if each["sort"] in ("duplicate", "near-duplicate")}
    restored = [row for at, row in enumerate(dirty) if at not in twice]
    assert restored == clean
    share = sum(each["field"] == "mail" and each["sort"] != "near-duplicate" for each in answers) / len(dirty)
    assert 0.07 < share < 0.11 and 0.005 < len(twice) / 4000 < 0.015
    assert {each["sort"] for each in answers} >= {
        "typing slip",
        "case",
        "blanks",
        "truncated",
        "mojibake",
        "date order",
        "swapped",
        "duplicate",
        "near-duplicate",
        "outlier",
    }


def test_wrong_rates_of_dirt(yurt: Any) -> None:
    for options, message in (
        (["--dirt", "2"], "write it like 2% or mail=10%"),
        (["--dirt", "mial=2%", "--out", "x.csv"], "did you mean `mail`?"),
        (["--dirt", "2%"], "it needs --out"),
    ):
        assert message in yurt("generate", HUTS, "hiker", *options, code=2).stderr.decode()
