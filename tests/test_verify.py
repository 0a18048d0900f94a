"""The validator of existing files: its findings are compared with known errors."""

from __future__ import annotations

import csv
import io
import json
import re
import subprocess
from datetime import date
from functools import partial
from pathlib import Path
from typing import Any

import pytest

from yurt.core.language.reader import read_file
from yurt.core.verify.summary import summed_up
from yurt.core.verify.verification import Data, Verification

from .conftest import HUTS, PROGRAM, read_csv, schema_of

FORMATS = ("csv", "json", "xml")

RECORD = """
code: /[A-Z]{2}-\\d{3}/, unique
beds: integer 8..140
price: decimal 18.00..95.00 step 0.50
opens: date 2026-05-20..2026-06-25, on fri | sat
supper: time 17:30..19:30 step 15min
seen: datetime 2026-03-28T00:00..2026-03-30T00:00 zone Europe/Vienna
board: one of none | half | full
level: one of 1 | 2 | 5
open: boolean
stays: duration 1h..9h step 30min
iban: iban
mail: email, missing 20%
speaks: list 1..2 of (one of de | it | sl), distinct
home:
  nested:
    zip: text 4..5 of digit
twice: = beds * 2
note: text 3..20, present if open
name: from places.name
high: from places.high
"""
TAIL = "    always:\n      - price * 7 > beds\n"
HEAD = "seed: 3\ntoday: 2026-06-01\nvalue-lists:\n  places:\n    - {name: Ridge, high: 2100}\n    - {name: Lake, high: 900}\n"
GOOD: dict[str, Any] = {
    "code": "AB-123",
    "beds": 20,
    "price": 50.5,
    "opens": "2026-05-22",
    "supper": "18:15:00",
    "seen": "2026-03-28T10:00:00+01:00",
    "board": "half",
    "level": 2,
    "open": True,
    "stays": "PT2H30M",
    "iban": "AT611904300234573201",
    "mail": "a@b.example",
    "speaks": ["de"],
    "home": {"zip": "6020"},
    "twice": 40,
    "note": "warm",
    "name": "Lake",
    "high": 900,
}
GONE = object()
# A change to the valid record, and the one violation it causes (field and rule); None if it stays valid.
SPOILED: list[tuple[dict[str, Any], tuple[str, str] | None]] = [
    ({}, None),
    ({"code": None}, ("code", "presence")),
    ({"code": GONE}, ("code", "presence")),
    ({"code": 7}, ("code", "type")),
    ({"code": "AB-12"}, ("code", "length")),
    ({"code": "AB-1234"}, ("code", "length")),
    ({"code": "ab-123"}, ("code", "pattern")),
    ({"beds": 8}, ("twice", "value")),
    ({"beds": 8, "twice": 16}, None),
    ({"beds": 7}, ("beds", "range")),
    ({"beds": 141}, ("beds", "range")),
    ({"beds": "20"}, ("beds", "type")),
    ({"beds": 20.5}, ("beds", "type")),
    ({"beds": 20.0}, None),
    ({"beds": 10**400}, ("beds", "range")),
    ({"beds": True}, ("beds", "type")),
    ({"price": 18}, None),
    ({"price": 17.5}, ("price", "range")),
    ({"price": 50.25}, ("price", "step")),
    ({"price": 50.505}, ("price", "step")),
    ({"price": 95.001}, ("price", "range")),
    ({"price": "50.50"}, ("price", "type")),
    ({"opens": "2026-05-24"}, ("opens", "weekday")),
    ({"opens": "2026-05-15"}, ("opens", "range")),
    ({"opens": "2026-02-30"}, ("opens", "type")),
    ({"opens": "22.05.2026"}, ("opens", "type")),
    ({"opens": ""}, ("opens", "type")),
    ({"supper": "18:10:00"}, ("supper", "step")),
    ({"supper": "24:00:00"}, ("supper", "type")),
    ({"supper": "17:15:00"}, ("supper", "range")),
    # The same instant with another offset is the same value.
    ({"seen": "2026-03-29T02:30:00+01:00"}, None),
    ({"seen": "2026-03-29T03:00:00+02:00"}, None),
    ({"seen": "2026-03-28T10:00:00+02:00"}, None),
    ({"seen": "2026-03-27T23:00:00Z"}, None),
    ({"seen": "2026-03-27T22:59:59Z"}, ("seen", "range")),
    ({"seen": "2026-03-30T00:00:00+01:00"}, ("seen", "range")),
    ({"seen": "2026-03-28T10:00:00"}, ("seen", "type")),
    ({"board": "Half"}, ("board", "list")),
    ({"board": "half "}, ("board", "list")),
    ({"level": 3}, ("level", "list")),
    ({"level": "2"}, ("level", "type")),
    ({"open": "true"}, ("open", "type")),
    ({"stays": "PT2H15M"}, ("stays", "step")),
    ({"stays": "2h"}, ("stays", "type")),
    ({"stays": "PT150M"}, None),
    ({"iban": "AT611904300234573202"}, ("iban", "check digit")),
    ({"iban": "AT6119043002345732"}, ("iban", "pattern")),
    ({"iban": "at611904300234573201"}, ("iban", "pattern")),
    ({"mail": None}, None),
    ({"mail": GONE}, None),
    ({"mail": "a@" + "b" * 64 + ".example"}, ("mail", "pattern")),
    ({"mail": "a.example"}, ("mail", "pattern")),
    ({"speaks": []}, ("speaks", "length")),
    ({"speaks": ["de", "it", "sl"]}, ("speaks", "length")),
    ({"speaks": ["de", "de"]}, ("speaks", "distinct")),
    ({"speaks": ["fr"]}, ("speaks", "list")),
    ({"speaks": "de"}, ("speaks", "type")),
    ({"speaks": ["de", 7]}, ("speaks", "type")),
    ({"home": None}, ("home", "presence")),
    ({"home": {"zip": "60"}}, ("home.zip", "length")),
    ({"home": {}}, ("home.zip", "presence")),
    ({"home": "x"}, ("home", "type")),
    ({"twice": 41}, ("twice", "value")),
    ({"twice": None}, ("twice", "value")),
    ({"open": False}, ("note", "condition")),
    ({"open": False, "note": None}, None),
    ({"note": None}, ("note", "presence")),
    ({"note": "no"}, ("note", "length")),
    ({"name": "Ridge"}, ("name, high", "agreement")),
    ({"name": "Pass"}, ("name", "list")),
    ({"price": 18.0, "beds": 140, "twice": 280}, ("price * 7 > beds", "always")),
    ({"price": 18.0, "beds": 190, "twice": 380}, ("beds", "range")),
]


@pytest.fixture
def schema(tmp_path: Path) -> Path:
    path = tmp_path / "s.yaml"
    path.write_text(schema_of(RECORD, 50, HEAD, TAIL))
    return path


def found(yurt: Any, *arguments: object, **more: Any) -> dict[str, Any]:
    told: dict[str, Any] = json.loads(yurt("verify", *arguments, "--json", "--limit", 9999, code=None, **more).stdout)
    return told


def by_row(told: dict[str, Any]) -> dict[int, list[tuple[str, str]]]:
    rows: dict[int, list[tuple[str, str]]] = {}
    for group in told["violations"]:
        for each in group["examples"]:
            rows.setdefault(each["row"], []).append((group["field"], group["rule"]))
    return rows


def test_each_spoiled_record_breaks_the_rule_that_was_broken(yurt: Any, schema: Path, tmp_path: Path) -> None:
    records = []
    for number, (change, _) in enumerate(SPOILED):
        whole = GOOD | {"code": f"AB-{number:03}"} | change
        records.append({name: value for name, value in whole.items() if value is not GONE})
    (tmp_path / "row.json").write_text(json.dumps(records, indent=1))
    told = found(yurt, schema, "row.json")
    wanted = {row: [rule] for row, (_, rule) in enumerate(SPOILED, 1) if rule is not None}
    assert by_row(told) == wanted
    assert (
        told["clean"] is False
        and told["files"][0]["rows"] == len(SPOILED)
        and {each.partition(",")[0] for each in told["not checked"]} == {"row.iban", "row: whether iban"}
    )
    # Line numbers lead to the record: each starts with its own brace.
    lines = (tmp_path / "row.json").read_text().splitlines()
    assert all(lines[one["line"] - 1].strip() == "{" for group in told["violations"] for one in group["examples"])


@pytest.mark.parametrize("form", FORMATS)
def test_what_is_generated_is_as_the_schema_says(yurt: Any, schema: Path, form: str) -> None:
    yurt("generate", schema, "row", "--count", 3000, "--out", f"row.{form}")
    assert found(yurt, schema, f"row.{form}")["clean"]
    yurt("generate", HUTS, "--out", "huts/", "--format", form)
    told = found(yurt, HUTS, "huts/")
    assert told["clean"] and [each["rows"] for each in told["files"]] == [3000, 24, 7434]
    assert {each.partition(",")[0] for each in told["not checked"]} == {
        "stay.slip", "hiker.home.zip", "hiker.home.city", "hiker.given", "hiker.family", "hiker: whether family",
    }  # fmt: skip


CELLS = [
    # Row, column, cell, field, and rule.
    (3, "party", "13", "party", "range"),
    (4, "party", "two", "party", "type"),
    (5, "party", "007", "party", "type"),
    (6, "party", "", "party", "presence"),
    (7, "arrival", "2026-02-30", "arrival", "type"),
    (8, "hut", "ZZ-999", "hut", "reference"),
    (9, "number", "10001", "number", "unique"),
    (10, "status", "Booked", "status", "list"),
    (11, "due", "0.01", "due", "value"),
    (12, "departure", "2027-01-01", "departure", "range"),
    (13, "walk", "4", "walk", "list"),
    (14, "bunk", "500", "bunk", None),
]


def test_a_file_is_checked_cell_by_cell_with_the_files_it_refers_to(yurt: Any, tmp_path: Path) -> None:
    yurt("generate", HUTS, "--out", "huts/")
    stays = read_csv((tmp_path / "huts/stay.csv").read_bytes())
    for row, column, cell, _, _ in CELLS:
        stays[row - 1][column] = cell
    # A line break inside a cell moves the lines below it.
    stays[0]["slip"] = "two\nlines"
    out = io.StringIO(newline="")
    writer = csv.DictWriter(out, list(stays[0]))
    writer.writeheader()
    writer.writerows(stays)
    (tmp_path / "huts/stay.csv").write_text(out.getvalue(), newline="")
    told = found(yurt, HUTS, "huts/")
    seen = {
        (one["row"], each["field"], each["rule"]): one["line"]
        for each in told["violations"]
        for one in each["examples"]
    }
    for row, _, _, field, rule in CELLS:
        rules = {each[2] for each in seen if each[0] == row and each[1] == field}
        assert rules == {rule} if rule else rules <= {"range", "condition"} and rules
        assert seen[row, field, next(iter(rules))] == row + 2
    assert {each[0] for each in seen} == {each[0] for each in CELLS}
    # Without the other files, the reference and everything read through it is not checked, and the report says so.
    alone = found(yurt, HUTS, "huts/stay.csv")
    assert alone["not checked"]["stay.hut"] == "there is no data of `hut`" and "stay.due" in alone["not checked"]
    text = yurt("verify", HUTS, "huts/", code=1).stdout.decode()
    assert 'line 12: "Booked"; expected one of booked | arrived | left | cancelled' in text
    assert "stay.slip: `draw(…)` is random" in text


def test_children_are_counted_and_trees_hold_together(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(
        "yurt: 1\nseed: 1\nrecords:\n  a:\n    count: 9\n    fields:\n      id: sequence\n      up: ref a\n"
        "  b:\n    count: 1..2 per a\n    fields: {'id': 'sequence', 'a': 'ref a', 'n': 'integer 1..3'}\n    unique: a, n\n"
    )
    yurt("generate", "s.yaml", "--out", "x/")
    assert found(yurt, "s.yaml", "x/")["clean"]
    (tmp_path / "x/b.csv").write_text(
        "id,a,n\n1,1,1\n2,1,2\n3,1,3\n4,2,1\n5,2,1\n6,3,1\n7,4,1\n8,5,1\n9,6,1\n10,7,1\n11,8,1\n"
    )
    (tmp_path / "x/a.csv").write_text("id,up\n1,\n" + "".join(f"{n},{n - 1 if n != 5 else 50}\n" for n in range(2, 10)))
    told = found(yurt, "s.yaml", "x/")
    seen = {
        (each["record"], each["field"], each["rule"]): [one["row"] for one in each["examples"]]
        for each in told["violations"]
    }
    assert seen == {
        ("a", "up", "reference"): [5],
        ("a", "b rows", "count"): [9],
        ("b", "a", "count"): [3],
        ("b", "a, n", "unique"): [5],
    }
    assert not [
        each
        for each in found(yurt, "s.yaml", "x/", "--partial")["violations"]
        if each["record"] == "a" and each["rule"] == "count"
    ]


def test_malformed_files_are_reported_as_expected(yurt: Any, tmp_path: Path) -> None:
    """Every malformed file is refused and every valid file is accepted; the validator reads like any other reader."""
    yurt("cases", HUTS, "hut", "--malformed-files", "--out", "broken/")
    expected = read_csv((tmp_path / "broken/expected-results.csv").read_bytes())
    assert len(expected) == len(list((tmp_path / "broken").iterdir())) - 1 > 40
    schema, _ = read_file(HUTS)
    for each in expected:
        path = tmp_path / "broken" / each["file"]
        data = {"hut": Data(path.name, partial(path.open, "rb"), path.suffix[1:])}
        told = summed_up(Verification(schema, data, date(2026, 6, 1), whole=False), 1, lambda rows: None)
        assert told.clean == (each["expected"] == "accept"), each
    assert {each["fault"] for each in expected} >= {
        "open-quote",
        "latin-1",
        "doubled-key",
        "deep",
        "entities",
        "crossed-elements",
    }


def test_standard_input_one_object_or_many(yurt: Any, schema: Path) -> None:
    one = json.dumps(GOOD)
    for text in (one, f"[{one}]", f"{one}\n" + json.dumps(GOOD | {"code": "AB-124"})):
        assert found(yurt, schema, "-", "--format", "json", input=text.encode())["clean"], text
    assert found(yurt, schema, "-", "--format", "json", input=b"[]")["no rows"] == ["row"]
    assert found(yurt, schema, "-", "--format", "json", "--partial", input=b"[]")["clean"]
    assert not found(yurt, schema, "-", "--format", "json", input=one[:-9].encode())["clean"]


WRONG = [
    (["s.yaml", "none.csv"], 2, "there is no file none.csv"),
    (["huts.yaml", "x.csv"], 2, "which record type does it hold? Write hut=x.csv"),
    (["huts.yaml", "hukt=x.csv"], 2, "there is no record type `hukt`; did you mean `hut`?"),
    (["huts.yaml", "hut=x.csv", "hut=y.csv"], 2, "there is a file of `hut` already"),
    (["huts.yaml", "empty/"], 2, "no file has the name of a record type: hut, hiker, stay"),
    (["s.yaml", "x.csv", "--format", "toml"], 2, "'toml' is not one of"),
    (["s.yaml"], 2, "Missing argument"),
]


@pytest.mark.parametrize(("arguments", "code", "message"), WRONG, ids=lambda each: str(each)[:40])
def test_a_usage_error_is_reported(
    yurt: Any, schema: Path, tmp_path: Path, arguments: Any, code: int, message: str
) -> None:
    (tmp_path / "huts.yaml").write_bytes(HUTS.read_bytes())
    (tmp_path / "empty").mkdir()
    (tmp_path / "x.csv").write_text("a\n1\n")
    assert message in yurt("verify", *arguments, code=code).stderr.decode()


def test_a_key_is_unique_everywhere(yurt: Any, tmp_path: Path) -> None:
    lines = "n: integer 1..40\nt: text 3"
    text = schema_of(lines, 40, "seed: 1\ntoday: 2026-06-01\n").replace(
        "    count: 40\n", "    count: 40\n    key: n\n"
    )
    (tmp_path / "s.yaml").write_text(text)
    yurt("generate", "s.yaml", "--out", "row.csv")
    rows = read_csv((tmp_path / "row.csv").read_bytes())
    assert len({each["n"] for each in rows}) == 40 and found(yurt, "s.yaml", "row.csv")["clean"]
    again = (tmp_path / "row.csv").read_text().splitlines()
    (tmp_path / "row.csv").write_text("\n".join([*again, again[1]]) + "\n")
    assert [(each["field"], each["rule"]) for each in found(yurt, "s.yaml", "row.csv")["violations"]] == [
        ("n", "unique")
    ]
    ids = {each["case.id"] for each in read_csv(yurt("cases", "s.yaml", "--out", "-").stdout)}
    assert "n/partition/duplicate" in ids
    (tmp_path / "s.yaml").write_text(text.replace("1..40", "1..39"))
    assert b"`n` is unique, but has only 39 different values for 40 rows" in yurt("check", "s.yaml", code=1).stderr


def test_messages_expect_what_as_writes_and_hint_at_names(yurt: Any, tmp_path: Path) -> None:
    lines = 'day: date 2026-01-01..2026-12-31, as "%d.%m.%Y"\ncode: integer 1..99, as text "01"\npaid: boolean, as "yes | no"'
    (tmp_path / "s.yaml").write_text(schema_of(lines, 5, "seed: 1\ntoday: 2026-06-01\n"))
    (tmp_path / "row.csv").write_text(
        "day,code,paid,Extra,Day\n2026-02-01,7,true,,\n01.02.2027,07,yes,,\n31.12.2026,99,no,,\n"
    )
    told = found(yurt, "s.yaml", "row.csv")
    seen = {
        (one["row"], each["field"], each["rule"]): one["expected"]
        for each in told["violations"]
        for one in each["examples"]
    }
    assert seen == {
        (1, "day", "type"): 'a date written as "%d.%m.%Y"', (1, "code", "type"): 'a number written as "01"',
        (1, "paid", "type"): "yes or no", (2, "day", "range"): "01.01.2026..31.12.2026",
    }  # fmt: skip
    assert "`Day` (did you mean `day`?)" in yurt("verify", "s.yaml", "row.csv", code=1).stdout.decode()
    (tmp_path / "row.json").write_text(
        '[{"day": "2026-02-01", "code": "07", "paid": true}, {"day": "2026-02-01", "code": "7", "paid": true}]'
    )
    told = found(yurt, "s.yaml", "row.json")
    assert [(one["row"], each["field"]) for each in told["violations"] for one in each["examples"]] == [(2, "code")]


@pytest.mark.parametrize(
    ("text", "places"),
    [
        ('[{"a":1},{"a":77},{"a":3},{"a":99}]', ["line 1, row 2", "line 1, row 4"]),
        ('[{"a":1},\n{"a":77},\n{"a":3},{"a":99}]', ["line 2", "line 3, row 4"]),
        ('[{"a":1},\n{"a":\n77},\n{"a":99}]', ["line 2", "line 4"]),
    ],
)
def test_several_rows_on_one_line_are_distinguished(text: str, places: list[str], yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema_of("a: integer 1..9", 4))
    (tmp_path / "row.json").write_text(text)
    told = yurt("verify", "s.yaml", "row.json", code=1).stdout.decode()
    assert re.findall(r"^ +(line .*): \d+; expected 1\.\.9$", told, re.MULTILINE) == places


@pytest.mark.parametrize("empty", ["", "nothing of that kind"])
def test_a_referenced_file_without_rows(empty: str, yurt: Any, tmp_path: Path) -> None:
    fields = "code: /[A-Z]{3}/, unique\nbeds: integer 5..9\nname: one of a | b\nday: date 2026-01-01..2026-02-01"
    stay = "hut: ref hut\nbunk: integer 1..hut.beds\ntold: = hut.name & 'x'\nfrom: date hut.day..hut.day+3d"
    schema = schema_of(fields, 5).replace("  row:", "  hut:") + "  stay:\n    count: 9\n    fields:\n"
    (tmp_path / "s.yaml").write_text(schema + "".join(f"      {line}\n" for line in stay.split("\n")))
    yurt("generate", "s.yaml", "--out", "d/")
    (tmp_path / "d" / "hut.csv").write_text(empty or "code,beds,name,day\n")
    told = yurt("verify", "s.yaml", "d/", code=1).stdout.decode()
    assert "9  stay.hut  reference" in told, told


@pytest.mark.parametrize("order", [("hut", "guide"), ("guide", "hut")])
def test_types_that_refer_to_each_other(order: tuple[str, str], yurt: Any, tmp_path: Path) -> None:
    """Of two files that refer to each other one is read first: what it says of the other is listed as not checked."""
    schema = schema_of("id: sequence\nkeeper: ref guide\nbeds: integer 4..40", 3).replace("  row:", "  hut:")
    guide = schema_of("id: sequence\nhut: ref hut\nroom: = hut.beds + 1", 3, None, name="guide")
    (tmp_path / "s.yaml").write_text(schema + guide)
    yurt("generate", "s.yaml", "--seed", "1", "--out", "d/", "--format", "jsonl")
    told = yurt("verify", "s.yaml", *(f"{each}=d/{each}.jsonl" for each in order)).stdout.decode()
    listed = re.findall(r"^not checked: (\S+): ", told, re.MULTILINE)
    assert listed == (["guide.hut", "guide.room"] if order[0] == "hut" else ["hut.keeper"]), told
    # What the second one says of the first is checked.
    name, field = ("hut", "keeper") if order[0] == "hut" else ("guide", "hut")
    path = tmp_path / "d" / f"{name}.jsonl"
    path.write_text(re.sub(rf'("{field}": )\d+', r"\g<1>99", path.read_text(), count=1))
    told = yurt("verify", "s.yaml", *(f"{each}=d/{each}.jsonl" for each in order), code=1).stdout.decode()
    assert f"1  {name}.{field}  reference" in told, told


def test_a_pipe_is_read_once_and_looked_at_twice(yurt: Any, tmp_path: Path) -> None:
    """The validator reads labels before the rows, and reports lines afterwards."""
    (tmp_path / "s.yaml").write_text(schema_of("a: = row * 2\nb: integer 1..9", 4, "seed: 1\n"))
    yurt("generate", "s.yaml", "--out", "row.csv")
    text = (tmp_path / "row.csv").read_text()
    for data, code, wanted in ((text, 0, "4 row rows, all valid"), (text + "10,99\r\n", 1, "line 6: ")):
        (tmp_path / "row.csv").write_text(data, newline="")
        command = f"{PROGRAM} verify s.yaml row=<(cat row.csv)"
        done = subprocess.run(["bash", "-c", command], cwd=tmp_path, capture_output=True, check=False)
        assert done.returncode == code and wanted in done.stdout.decode(), done.stdout
