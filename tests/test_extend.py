"""`yurt extend`: what has no line passes through, new columns agree with what is there; judged by other readers."""

from __future__ import annotations

import csv
import gzip
import io
import json
import random
import sqlite3
from collections import Counter
from pathlib import Path
from typing import Any

import openpyxl
import pandas as pd
import pyarrow.parquet as pq
import pytest
import yaml
from lxml import etree

from .conftest import HUTS

# Cells that a reader might change: zeros, places, spaces, quotes, formulas, line ends, other scripts.
ODD = ["007", "1.50", "-0", "1e5", "", " a ", 'say "x"', "a,b", "two\nlines", "=1+1", "NULL", "true", "Žiga", "名", "\u200b",
       "2026-06-01", "1.234,50", "'", "\t", "+43 664", "0.10", "99999999999999999999"]  # fmt: skip
HUT = "code,altitude,city\nA-1,900,Graz\nA-2,1250,Wien\nA-3,2100,Nowhere\nA-4,700,\n"


def table(text: str, delimiter: str = ",") -> list[list[str]]:
    return list(csv.reader(io.StringIO(text, newline=""), delimiter=delimiter))


def written(path: Path, rows: list[list[str]], **more: Any) -> Path:
    with path.open("w", newline="", encoding="utf-8") as file:
        csv.writer(file, **more).writerows(rows)
    return path


def random_rows(seed: int, columns: int, rows: int) -> list[list[str]]:
    choice = random.Random(seed)
    titles = choice.sample(
        ["a", "First name", "x.y", "if", "row", "2nd", "ß", "a b", "a_b", "A", "date", "null", "Ünit"], columns
    )
    return [titles, *([choice.choice(ODD) for _ in titles] for _ in range(rows))]


@pytest.mark.parametrize("seed", range(6))
def test_columns_without_a_line_pass_through(seed: int, yurt: Any, tmp_path: Path) -> None:
    rows = random_rows(seed, 7, 40)
    written(tmp_path / "t.csv", rows)
    for out, read in (
        ("o.csv", lambda text: table(text)),
        ("o.tsv", lambda text: table(text, "\t")),
        ("o.json", lambda text: [rows[0], *[[each[name] for name in rows[0]] for each in json.loads(text)]]),
        ("o.yaml", lambda text: [rows[0], *[[each[name] for name in rows[0]] for each in yaml.safe_load(text)]]),
    ):
        yurt("extend", "t.csv", "--field=new_one: = 1", "--out", out, "--workers", seed % 3 + 1)
        found = read((tmp_path / out).read_text("utf-8") if out != "o.csv" else (tmp_path / out).read_bytes().decode())
        plain = [[str(cell) if cell is not None else "" for cell in row] for row in found]
        assert [row[: len(rows[0])] for row in plain] == rows, out
    # A CSV file without lines for its columns is the same to the byte, behind which the new column stands.
    lines = (tmp_path / "o.csv").read_bytes().decode().split(",1\r\n")
    assert len(lines) == len(rows)


@pytest.mark.parametrize("kind", ["csv", "tsv", "json", "jsonl", "xml", "yaml", "parquet", "arrow", "xlsx", "csv.gz"])
def test_every_format_comes_back_as_it_was(kind: str, yurt: Any, tmp_path: Path) -> None:
    yurt("generate", HUTS, "hiker", "--rows", "1..300", "--out", f"hiker.{kind}")
    # Another sequence of blocks, of threads, and a column that does not show.
    yurt("extend", f"hiker.{kind}", "--field=note: = upper(given), helper", "--out", f"same.{kind}", "--workers", 3)
    one, two = ((tmp_path / f"{name}.{kind}") for name in ("hiker", "same"))
    if kind == "xlsx":
        cells = [
            [[each.value for each in row] for row in openpyxl.load_workbook(path).active.rows] for path in (one, two)
        ]
        assert cells[0] == cells[1]
    elif kind == "parquet":
        assert pq.read_table(one).equals(pq.read_table(two))
    elif kind == "arrow":
        assert pd.read_feather(one).equals(pd.read_feather(two))
    elif kind == "csv.gz":
        assert gzip.decompress(one.read_bytes()) == gzip.decompress(two.read_bytes())
    elif kind == "xml":
        assert etree.tostring(etree.parse(one), method="c14n") == etree.tostring(etree.parse(two), method="c14n")
    else:
        assert one.read_bytes() == two.read_bytes()


def test_records_inside_records_keep_their_numbers_their_nulls_and_their_absent_names(
    yurt: Any, tmp_path: Path
) -> None:
    text = ('[\n{"a": 1.50, "b": {"c": "x", "d": {"e": null}}, "l": [1, {"q": 2}], "t": true},\n'
            '{"a": "007", "b": null, "z": 1e5},\n{"b": {"d": {"e": "v", "f": -0.0}}, "l": []}\n]\n')  # fmt: skip
    (tmp_path / "t.json").write_text(text)
    yurt("extend", "t.json", "--field=k: = 1, helper", "--out", "o.json")
    assert (tmp_path / "o.json").read_text() == text
    yurt("extend", "t.json", "--field=b_c: = upper(b_c)", "--field=n: = length(b_c)", "--out", "o.json", "--force")
    found = json.loads((tmp_path / "o.json").read_text())
    assert [each["b"] and each["b"].get("c") for each in found] == ["X", None, None] and found[0]["n"] == 1


def test_texts_become_numbers_for_formats_that_have_them_only_if_they_come_back(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("a,b,c,d,e\n1,1.50,007,1.5,2026-01-02\n20,2.25,010,1.25,2026-01-03\n,,,,\n")
    yurt("extend", "t.csv", "--field=x: = a + b", "--out", "o.parquet")
    kinds = {each.name: str(each.type) for each in pq.read_schema(tmp_path / "o.parquet")}
    assert kinds["a"] == "int64" and kinds["b"].startswith("decimal") and kinds["e"] == "date32[day]"
    assert kinds["c"] == kinds["d"] == "string"
    yurt("extend", "t.csv", "--field=x: = a + b", "--out", "o.json")
    assert (
        '{"a": 1, "b": 1.50, "c": "007", "d": "1.5", "e": "2026-01-02", "x": 2.50}' in (tmp_path / "o.json").read_text()
    )


LINES = [
    ("low: = altitude < 1000", [["true"], ["false"], ["false"], ["true"]]),
    ("altitude: = altitude / 100 * 100", [["900"], ["1250"], ["2100"], ["700"]]),
    ("label: 'text \"{code}: {city}\", present if city is not null'", [["A-1: Graz"], ["A-2: Wien"], ["A-3: Nowhere"], [""]]),
    ("more: = row", [["1"], ["2"], ["3"], ["4"]]),
    ("code: '= lower(code)'", [["a-1"], ["a-2"], ["a-3"], ["a-4"]]),
    ("same: 'column \"code\"'", [["A-1"], ["A-2"], ["A-3"], ["A-4"]]),
]  # fmt: skip


@pytest.mark.parametrize(("line", "expected"), LINES, ids=[line.partition(":")[0] for line, _ in LINES])
def test_a_line_reads_the_columns(line: str, expected: list[list[str]], yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "hut.csv").write_text(HUT)
    found = table(yurt("extend", "hut.csv", f"--field={line}").stdout.decode())
    name = line.partition(":")[0]
    assert [[row[found[0].index(name)]] for row in found[1:]] == expected
    assert found[0][:3] == ["code", "altitude", "city"]


def test_tables_conditions_and_rules_are_about_the_columns(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "hut.csv").write_text(HUT)
    (tmp_path / "s.yaml").write_text(
        "yurt: 1\nseed: 3\nrecords:\n  hut:\n    fields:\n      beds:\n        when:\n          altitude < 1000: integer 50..60\n"
        "          else: integer 5..9\n      board:\n        by city:\n          Graz: one of half\n          else: one of none\n"
        "      if altitude > 1000:\n        guide: boolean 50%\n    always:\n      - beds != 52\n"
    )
    found = table(yurt("extend", "hut.csv", "--schema", "s.yaml", "--workers", 2).stdout.decode())
    rows = [dict(zip(found[0], row, strict=True)) for row in found[1:]]
    assert all(
        (50 <= int(each["beds"]) <= 60) == (int(each["altitude"]) < 1000) and each["beds"] != "52" for each in rows
    )
    assert [each["board"] for each in rows] == ["half", "none", "none", "none"]
    assert [bool(each["guide"]) for each in rows] == [False, True, True, False]


def test_new_columns_agree_with_the_person_and_the_place_of_a_row(yurt: Any, demo: Path) -> None:
    yurt("extend", "yurt-demo/csv/hiker.csv", '--field=city: column "home.city", helper', "--field=region: region",
         "--field=country: country-code", "--field=zip: postal-code", "--field=tel: tel", "--field=mail: email",
         "--field=user: username", "--out", "o.csv", "--seed", 1)  # fmt: skip
    folder = HUTS.parent.parent / "core" / "kinds" / "locales"
    regions: dict[str, set[tuple[str, str]]] = {}
    for path in folder.glob("*/cities.csv"):
        for line in csv.DictReader(path.open(encoding="utf-8")):
            regions.setdefault(line["city"], set()).add((line["region"], path.parent.name[-2:]))
    prefixes = {"AT": "+43", "IT": "+39", "SI": "+386", "FR": "+33"}
    rows = list(csv.DictReader((demo / "o.csv").open(encoding="utf-8", newline="")))
    originals = list(csv.DictReader((demo / "yurt-demo/csv/hiker.csv").open(encoding="utf-8", newline="")))
    for each, before in zip(rows, originals, strict=True):
        assert (each["region"], each["country"]) in regions[each["home.city"]]
        assert each["tel"].startswith(prefixes.get(each["country"], "+"))
        assert {**each, **dict.fromkeys(("region", "country", "zip", "tel", "user", "mail"), "")} | {"mail": ""} == {
            **before, "region": "", "country": "", "zip": "", "tel": "", "user": "", "mail": ""}  # fmt: skip
    ascii_ones = [
        each for each in rows if each["family"].isascii() and each["given"].isascii() and each["family"].isalpha()
    ]
    assert len(ascii_ones) > 1000
    assert all(
        each["mail"].startswith(f"{each['given']}.{each['family']}".lower())
        for each in ascii_ones
        if each["given"].isalpha()
    )
    assert all(each["family"].lower()[:4] in each["user"] for each in ascii_ones)


def test_what_the_catalogue_does_not_know_is_drawn_missing_or_refused(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "hut.csv").write_text(HUT)
    lines = ["--field=region: region", "--locale", "de-AT", "--seed", 1]
    done = yurt("extend", "hut.csv", *lines)
    assert (
        "`city`: a known city in 2 of 4 rows; unknown in 1, such as `Nowhere`: `region` drawn from all"
        in done.stderr.decode()
    )
    drawn = [row[3] for row in table(done.stdout.decode())[1:]]
    assert drawn[:2] == ["Steiermark", "Wien"] and all(drawn)
    missing = [row[3] for row in table(yurt("extend", "hut.csv", *lines, "--unmatched", "missing").stdout.decode())[1:]]
    assert missing[:3] == ["Steiermark", "Wien", ""] and missing[3]
    told = yurt("extend", "hut.csv", *lines, "--unmatched", "refused", "--out", "o.csv", code=1).stderr.decode()
    assert "row 3: `Nowhere` in `city` is not a known city" in told and not (tmp_path / "o.csv").exists()


def test_rows_go_on_below_with_their_keys(yurt: Any, tmp_path: Path) -> None:
    rows = [
        ["no", "code", "id", "city"],
        *([str(at * 5), f"HK-{at:04d}", str(9000 + at * at), "Graz"] for at in range(1, 60)),
    ]
    written(tmp_path / "t.csv", rows)
    done = yurt("extend", "t.csv", "--field=beds: integer 5..9", "--count", 500, "--seed", 4, "--workers", 2)
    found = table(done.stdout.decode())
    assert [row[:4] for row in found[:60]] == rows and len(found) == 560
    assert [int(row[0]) for row in found[1:]] == [at * 5 for at in range(1, 560)]
    assert [row[1] for row in found[60:63]] == ["HK-0060", "HK-0061", "HK-0062"]
    assert [int(row[2]) for row in found[60:63]] == [9000 + 59 * 59 + at for at in (1, 2, 3)]
    assert {row[3] for row in found[1:]} == {"Graz"} and {row[4] for row in found[60:]} == {"5", "6", "7", "8", "9"}
    assert "below: `no`, `code`, `id` counted on" in done.stderr.decode()
    written(tmp_path / "u.csv", [["k"], ["b"], ["a"], ["c"]])
    assert "`k`: no value is there twice" in yurt("extend", "u.csv", "--field=x: = 1", "--count", 9).stderr.decode()


@pytest.mark.parametrize("workers", [1, 3])
def test_rows_that_were_there_before_are_left_out(workers: int, yurt: Any, tmp_path: Path) -> None:
    choice = random.Random(7)
    rows = [[choice.choice("ab "), choice.choice(["x", "X", " x"]), str(choice.randint(1, 3))] for _ in range(3000)]
    written(tmp_path / "t.csv", [["a", "b", "c"], *rows])
    clean = [[a, b.strip().upper(), c] for a, b, c in rows]
    for told, key in (("all", lambda row: tuple(row)), ("b", lambda row: row[1]), ("b, c", lambda row: tuple(row[1:]))):
        first = {key(row): row for row in reversed(clean)}
        done = yurt("extend", "t.csv", "--field=b: = upper(trim(b))", "--distinct", told, "--workers", workers)
        assert table(done.stdout.decode())[1:] == list(first.values())[::-1] or sorted(
            table(done.stdout.decode())[1:]
        ) == sorted(first.values())
        assert f"{3000 - len(first):,} rows were there before" in done.stderr.decode()


def test_rows_are_compared_as_tuples(yurt: Any, tmp_path: Path) -> None:
    rows = [["x\x1fy", "z"], ["x", "y\x1fz"], ["1:a", "b"], ["1", ":ab"], ["", "-"], ["-", ""], ["x", "y\x1fz"]]
    written(tmp_path / "t.csv", [["a", "b"], *rows])
    done = yurt("extend", "t.csv", "--field=c: = 1", "--distinct", "a, b")
    assert [row[:2] for row in table(done.stdout.decode())[1:]] == rows[:-1]


def test_tables_of_databases_and_sheets_of_workbooks(yurt: Any, demo: Path) -> None:
    yurt("generate", HUTS, "--out", "sqlite:///h.db")
    yurt(
        "extend",
        "hut=sqlite:///h.db",
        "--field=steep: = altitude > 2000",
        "--out",
        "sqlite:///n.db",
        "--with",
        "table=better",
    )
    with sqlite3.connect(demo / "n.db") as one, sqlite3.connect(demo / "h.db") as two:
        new, old = (sorted(base.execute(f"SELECT * FROM {name}")) for base, name in ((one, "better"), (two, "hut")))
    assert [row[:-1] for row in new] == old and all(row[-1] == (row[1] > 2000) for row in new)
    told = yurt("extend", "hut=sqlite:///h.db", "--field=x: = 1", "--out", "sqlite:///h.db", code=2).stderr.decode()
    assert "table `hut` is the one that is read" in told
    yurt("generate", HUTS, "--out", "all.xlsx")
    yurt("extend", "hut=all.xlsx", "--field=altitude: = altitude + 1", "--out", "new.xlsx")
    before, after = openpyxl.load_workbook(demo / "all.xlsx"), openpyxl.load_workbook(demo / "new.xlsx")
    assert before.sheetnames == after.sheetnames
    for name in before.sheetnames:
        old_rows, new_rows = ([[each.value for each in row] for row in book[name].rows] for book in (before, after))
        if name == "hut":
            old_rows = [[*row[:1], row[1] + 1 if isinstance(row[1], int) else row[1], *row[2:]] for row in old_rows]
        assert new_rows == old_rows


def test_a_file_is_read_from_standard_input_and_in_the_dress_of_others(yurt: Any, tmp_path: Path) -> None:
    done = yurt("extend", "-", "--field=b: = a * 2", input=b"a\n1\n2\n")
    assert table(done.stdout.decode()) == [["a", "b"], ["1", "2"], ["2", "4"]]
    (tmp_path / "t.txt").write_bytes("Straße;Höhe\nä;1\n".encode("latin-1"))
    done = yurt("extend", "t.txt", "--read-format", "csv", "--read-with", "delimiter=semicolon", "--read-with", "encoding=iso-8859-1",
                "--field=Höhe: = Höhe + 1", "--format", "csv")  # fmt: skip
    assert done.stdout == "Straße;Höhe\r\nä;2\r\n".encode("latin-1")


def test_lines_of_fixed_width(yurt: Any, tmp_path: Path) -> None:
    layout = "layout=code 8, altitude 6 right 0, city 9"
    (tmp_path / "hut.csv").write_text(HUT)
    yurt("extend", "hut.csv", "--field=x: = 1, helper", "--with", layout, "--out", "hut.txt")
    assert (tmp_path / "hut.txt").read_text().splitlines()[1] == "A-2     001250Wien     "
    yurt("extend", "hut.txt", "--read-with", layout, "--field=altitude: = altitude + 1", "--out", "o.txt")
    assert (tmp_path / "o.txt").read_text().splitlines()[1] == "A-2     001251Wien     "


HOSTILE = [
    (b"a,b\n1,2\n3\n", "line 3: 1 cells where the header has 2"),
    (b"a,b\n1,2\n3,4,5\n", "line 3: 3 cells where the header has 2"),
    (b"a,a\n1,2\n", "the column `a` is repeated"),
    (b"a,\n1,2\n", "column 2 has no name"),
    (b"a\n\xff\n", "bytes that are not UTF-8"),
    (b"\xff\xfea\x00\n\x00", "the header cannot be read"),
    (b"a\r1\r2\r", "carriage return"),
    (b"", "no header line"),
    (b"a,b\n\"x,1\n" + b"y" * 100, "t.csv"),
    (b"a\x00b,c\n1,2\n", "has no name that can be read"),
    (b"a;b\n1;2\n", "separated by semicolons"),
    (b"\n\n", "no header line"),
]  # fmt: skip


@pytest.mark.parametrize(("data", "message"), HOSTILE, ids=range(len(HOSTILE)))
def test_a_broken_file_is_refused_with_its_line(data: bytes, message: str, yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_bytes(data)
    told = yurt("extend", "t.csv", "--field=new: = 1", "--out", "o.csv", code=1).stderr.decode()
    assert message in told and "t.csv" in told
    assert sorted(each.name for each in tmp_path.iterdir()) == ["t.csv"]


def test_gigantic_cells_and_many_columns_pass(yurt: Any, tmp_path: Path) -> None:
    rows = [["a", "b"], ["x" * 3_000_000, "1"], ['"' * 100_000, "2"], ["\n" * 1000, "3"]]
    written(tmp_path / "t.csv", rows)
    csv.field_size_limit(10_000_000)
    found = table(yurt("extend", "t.csv", "--field=c: = length(a)").stdout.decode())
    assert [row[:2] for row in found] == rows and [row[2] for row in found[1:]] == ["3000000", "100000", "1000"]
    wide = [[f"c{at}" for at in range(3000)], [str(at) for at in range(3000)]]
    written(tmp_path / "w.csv", wide)
    found = table(yurt("extend", "w.csv", "--field=s: = c1 + c2999").stdout.decode())
    assert found[1] == [*wide[1], "3000"]


def test_the_seed_and_not_the_workers_decide(yurt: Any, demo: Path) -> None:
    runs = [yurt("extend", "yurt-demo/csv/stay.csv", "--field=x: integer 1..999999", "--field=m: email, unique", "--seed", seed,
                 "--workers", workers).stdout for seed, workers in ((1, 1), (1, 4), (2, 1))]  # fmt: skip
    assert runs[0] == runs[1] != runs[2]
    mails = Counter(row[-1] for row in table(runs[0].decode())[1:])
    assert max(mails.values()) == 1
