"""`yurt disguise`: judged by scripts that know nothing of the code, and by libraries that check numbers."""

from __future__ import annotations

import csv
import io
import json
import random
import re
import subprocess
import time
from collections import Counter, defaultdict
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import Any

import pyarrow.parquet as pq
import pytest
import stdnum.ean
import stdnum.iban
import stdnum.imei
import stdnum.isbn
import stdnum.issn
import stdnum.lei
import stdnum.luhn

from .conftest import ENVIRONMENT, HUTS, PROGRAM

SECRET = {"YURT_SECRET": "a secret for the tests alone"}
GIVEN = ["Luisa", "Elisabeth", "Žiga", "Jakob", "Anna", "Eva", "Wolfgang", "Ömer", "Li"]
FAMILY = ["Gasser", "Winkler", "Pečar", "Auer", "Hofer", "Moser", "O'Neill", "de Luca", "Škof"]
APART = re.compile("[^0-9a-z\u00df-\u024f]+")
CITY = ["Graz", "Wien", "Linz", "Innsbruck"]


def table(text: str) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(text, newline="")))


def rows_of(path: Path) -> list[dict[str, str]]:
    return table(path.read_bytes().decode())


def written(path: Path, rows: list[dict[str, str]]) -> None:
    with path.open("w", newline="", encoding="utf-8") as file:
        out = csv.DictWriter(file, list(rows[0]))
        out.writeheader()
        out.writerows(rows)


def guests(seed: int, count: int) -> list[dict[str, str]]:
    choice = random.Random(seed)
    found = []
    for at in range(count):
        given, family = choice.choice(GIVEN), choice.choice(FAMILY)
        number = f"HK-{choice.randrange(10**6):06d}"
        phone = f"+43 664 {choice.randrange(10**7):07d}"
        note = choice.choice(["", f"{given} {family} comes late", f"ask {family.upper()}, {given}", f"call {phone.replace(' ', '')}!",
                              "nothing to say about this one", f"({number}) has a dog"])  # fmt: skip
        found.append({
            "row": str(at), "number": choice.choice([number, number, ""]), "given": given, "family": family,
            "born": f"{choice.randint(1940, 2008)}-0{choice.randint(1, 9)}-1{choice.randint(0, 9)}",
            "left": f"2026-0{choice.randint(1, 9)}-2{choice.randint(0, 8)}", "city": choice.choice([*CITY, ""]),
            "phone": phone, "note": note, "paid": f"{choice.randint(10, 900)}.{choice.randint(10, 99)}",
        })  # fmt: skip
    return found


LINES = """yurt: 1
locale: de-AT
records:
  guest:
    fields:
      number: encrypt
      given: substitute given-name
      family: substitute family-name
      born: shift 30d per number
      left: shift 30d per number
      city: substitute city
      phone: encrypt
      note: scrub
      paid: noise 20%
  stay:
    fields:
      guest: encrypt, domain number
      name: substitute family-name, domain family
"""


@pytest.fixture
def lines(tmp_path: Path) -> Path:
    (tmp_path / "lines.yaml").write_text(LINES)
    return tmp_path / "lines.yaml"


@pytest.mark.parametrize("seed", range(3))
def test_the_same_value_has_the_same_substitute_in_all_rows_files_formats_and_runs(
    seed: int, yurt: Any, tmp_path: Path, lines: Path
) -> None:
    rows = guests(seed, 800)
    written(tmp_path / "guest.csv", rows)
    stays = [
        {"guest": each["number"], "name": each["family"], "nights": "3"}
        for each in random.Random(seed).choices(rows, k=500)
    ]
    written(tmp_path / "stay.csv", stays)
    yurt("disguise", "guest.csv", "stay.csv", "--schema", lines, "--out", "a", "--workers", 1, env=SECRET)
    yurt("disguise", "guest.csv", "stay.csv", "--schema", lines, "--out", "b", "--workers", 4, env=SECRET)
    assert [(tmp_path / name / file).read_bytes() for name in "ab" for file in ("guest.csv", "stay.csv")][:2] == [
        (tmp_path / "b" / file).read_bytes() for file in ("guest.csv", "stay.csv")
    ]
    yurt("disguise", "guest.csv", "--schema", lines, "--out", "c.parquet", env=SECRET)
    new = rows_of(tmp_path / "a/guest.csv")
    assert [{name: value or "" for name, value in each.items()} for each in pq.read_table(tmp_path / "c.parquet").select(
        ["number", "given", "family", "city", "phone", "note"]).to_pylist()] == [
        {name: each[name] for name in ("number", "given", "family", "city", "phone", "note")} for each in new]  # fmt: skip
    # In another order, and a part of it.
    written(tmp_path / "part" if False else tmp_path / "guest2.csv", rows[::-3])
    yurt("disguise", "guest=guest2.csv", "--schema", lines, "--out", "d.csv", env=SECRET)
    assert rows_of(tmp_path / "d.csv") == new[::-3]
    for name in ("number", "given", "family", "city", "phone", "paid"):
        found = {(each[name], after[name]) for each, after in zip(rows, new, strict=True)}
        assert len(found) == len({before for before, _ in found}), name
        assert all(bool(before) == bool(after) for before, after in found), "missing stays missing"
        assert not any(before == after for before, after in found if before and name != "paid"), name
    # References between the files hold, and other columns are as they were.
    of = {each["number"]: after["number"] for each, after in zip(rows, new, strict=True)}
    names = {each["family"]: after["family"] for each, after in zip(rows, new, strict=True)}
    for each, after in zip(stays, rows_of(tmp_path / "a/stay.csv"), strict=True):
        assert (after["guest"], after["name"], after["nights"]) == (of[each["guest"]], names[each["name"]], "3")
    assert [each["row"] for each in new] == [each["row"] for each in rows]
    other = table(
        yurt("disguise", "guest.csv", "--schema", lines, env={"YURT_SECRET": "another secret of ours"}).stdout.decode()
    )
    for name in ("number", "given", "phone", "paid"):
        assert sum(one[name] == two[name] != "" for one, two in zip(new, other, strict=True)) < 80, name


def test_no_original_is_left(yurt: Any, tmp_path: Path, lines: Path) -> None:
    """By a script that splits both files into words."""
    rows = guests(9, 600)
    written(tmp_path / "guest.csv", rows)
    done = yurt("disguise", "guest.csv", "--schema", lines, "--out", "o.csv", "--report", "p.json", env=SECRET)
    assert "no original is left" in done.stderr.decode()
    for before, after in zip(rows, rows_of(tmp_path / "o.csv"), strict=True):
        cells = [" " + " ".join(APART.split(value.lower())) + " " for value in after.values()]
        digits = [re.sub(r"\D", "", value) for value in after.values()]
        for name in ("number", "given", "family", "phone"):
            words = " ".join(APART.split(before[name].lower())).strip()
            if len(words) >= 4:
                assert not any(f" {words} " in cell for cell in cells), (before, after)
        assert not any(re.sub(r"\D", "", before["phone"])[-8:] in each for each in digits)
        assert bool(before["note"]) == bool(after["note"])
        if before["note"] == "nothing to say about this one":
            assert after["note"] == before["note"]
        if "comes late" in before["note"]:
            assert after["note"] == f"{after['given']} {after['family']} comes late"
    proof = json.loads((tmp_path / "p.json").read_text())
    assert proof["passed"] and proof["files"][0]["rows"] == 600
    assert proof["files"][0]["originals"]["given"] == [len({each["given"] for each in rows}), 600]


def test_intervals_stay_forms_stay_and_numbers_keep_their_places(yurt: Any, tmp_path: Path, lines: Path) -> None:
    rows = guests(4, 500)
    written(tmp_path / "guest.csv", rows)
    new = table(yurt("disguise", "guest.csv", "--schema", lines, env=SECRET).stdout.decode())
    moved = defaultdict(set)
    for before, after in zip(rows, new, strict=True):
        days = [(date.fromisoformat(after[name]) - date.fromisoformat(before[name])).days for name in ("born", "left")]
        assert days[0] == days[1] != 0 and -30 <= days[0] <= 30
        moved[before["number"]].add(days[0])
        assert re.sub(r"\d", "0", before["phone"]) == re.sub(r"\d", "0", after["phone"])
        assert re.fullmatch(r"[A-Z]{2}-\d{6}" if before["number"] else "", after["number"])
        assert abs(float(after["paid"]) / float(before["paid"]) - 1) <= 0.21 and after["paid"][-3] == "."
        assert (after["city"] in AUSTRIAN) == bool(before["city"])
    assert all(len(each) == 1 for each in moved.values()) and len(set().union(*moved.values())) > 40


AUSTRIAN = {line["city"] for line in csv.DictReader(
    (HUTS.parent.parent / "core/kinds/locales/de-AT/cities.csv").open(encoding="utf-8"))}  # fmt: skip
SEXES = defaultdict[str, set[str]](set)
for names in (HUTS.parent.parent / "core/kinds/locales").glob("*/given-names.csv"):
    for line in csv.DictReader(names.open(encoding="utf-8")):
        SEXES[line["name"]].add(line["sex"])


def test_names_keep_their_sex_and_what_belongs_together_stays_together(yurt: Any, demo: Path) -> None:
    (demo / "l.yaml").write_text(
        "yurt: 1\nlocale: de-AT\nrecords:\n  hiker:\n    fields:\n      given: substitute given-name\n      family: substitute family-name\n"
        "      home_city: substitute city\n      home_zip: substitute postal-code\n      mail: substitute email, unique\n"
    )
    yurt("disguise", "yurt-demo/csv/hiker.csv", "--schema", "l.yaml", "--out", "o.csv", "--secret", "k.txt")
    zips = defaultdict(set)
    for line in csv.DictReader((HUTS.parent.parent / "core/kinds/locales/de-AT/cities.csv").open(encoding="utf-8")):
        zips[line["city"]] |= set(line["postal-code"].split("|"))
    rows, new, judged = rows_of(demo / "yurt-demo/csv/hiker.csv"), rows_of(demo / "o.csv"), 0
    for before, after in zip(rows, new, strict=True):
        assert after["home.zip"] in zips[after["home.city"]]
        # A name that both sexes have says nothing.
        if before["given"].isalpha() and len(SEXES.get(before["given"], ())) == 1:
            assert SEXES[before["given"]] <= SEXES[after["given"]], (before["given"], after["given"])
            judged += 1
        if after["given"].isascii() and after["family"].isascii() and (after["given"] + after["family"]).isalpha():
            assert after["mail"].startswith(f"{after['given']}.{after['family']}.".lower())
    assert judged > 800
    assert len({each["mail"] for each in new}) == 3000
    told = (demo / "k.txt").read_text().strip()
    assert told not in (demo / "o.csv").read_text()
    # The frequencies of names follow: a name in many rows has a substitute in many rows.
    before, after = (Counter(each["family"] for each in every) for every in (rows, new))
    assert after.most_common(1)[0][1] >= before.most_common(1)[0][1]


VALID = {
    "cc-number": stdnum.luhn.is_valid, "imei": stdnum.imei.is_valid, "iban": stdnum.iban.is_valid, "gtin-13": stdnum.ean.is_valid,
    "gtin-8": stdnum.ean.is_valid, "isbn-13": stdnum.isbn.is_valid, "isbn-10": stdnum.isbn.is_valid, "issn": stdnum.issn.is_valid,
    "lei": stdnum.lei.is_valid, "iban-in-groups": stdnum.iban.is_valid, "cc-number-in-groups": lambda x: stdnum.luhn.is_valid(x.replace(" ", "")),
}  # fmt: skip


def test_check_digits_are_right_afterwards(yurt: Any, tmp_path: Path) -> None:
    names = {kind: kind.replace("-", "_") for kind in VALID}
    yurt("generate", *[f"--field={name}: {kind}" for kind, name in names.items()], "--count", 700, "--locale", "de-AT", "--seed", 3,
         "--out", "n.csv")  # fmt: skip
    of = {"iban-in-groups": "iban", "cc-number-in-groups": "cc-number"}
    yurt("disguise", "n.csv", *[f"--field={name}: encrypt {of.get(kind, kind)}" for kind, name in names.items()], "--out", "o.csv",
         env=SECRET)  # fmt: skip
    before, after = rows_of(tmp_path / "n.csv"), rows_of(tmp_path / "o.csv")
    for kind, name in names.items():
        old, new = ([each[name] for each in rows] for rows in (before, after))
        assert all(map(VALID[kind], new)), (kind, [each for each in new if not VALID[kind](each)][:3])
        assert len(set(new)) == len(set(old)) and [len(each) for each in old] == [len(each) for each in new], kind
        assert sum(map(str.__eq__, old, new)) <= 3, kind
        assert [re.sub(r"[0-9A-Z]", "", each) for each in old] == [re.sub(r"[0-9A-Z]", "", each) for each in new]
    # A number that was wrong stays wrong, so that two numbers do not become one.
    wrong = [
        {"cc": each["cc_number"][:-1] + str((int(each["cc_number"][-1]) + at) % 10)}
        for each in before[:50]
        for at in range(10)
    ]
    written(tmp_path / "w.csv", wrong)
    new = table(yurt("disguise", "w.csv", "--field=cc: encrypt cc-number", env=SECRET).stdout.decode())
    assert [stdnum.luhn.is_valid(each["cc"]) for each in new] == [stdnum.luhn.is_valid(each["cc"]) for each in wrong]
    assert len({each["cc"] for each in new}) == len({each["cc"] for each in wrong})


TREATED = [
    ("keep last 4", ["9497 8288 9098 6420", "12", "anna", ""], ["**** **** **** 6420", "**", "****", ""]),
    ('keep first 1 last 1 with "#"', ["Hofer", "Ž.P.", "a"], ["H###r", "#.#.", "#"]),
    ("coarsen to 10", ["37", "-1", "40.5", "0"], ["30..39", "-10..-1", "40..49", "0..9"]),
    ("coarsen to month", ["2026-06-15", "2026-06-15T08:30:00"], ["2026-06", "2026-06"]),
    ("coarsen to quarter", ["2026-06-15", "2026-12-01"], ["2026-Q2", "2026-Q4"]),
    ("coarsen to week", ["2027-01-01", "2026-06-15"], ["2026-W53", "2026-W25"]),
    ("coarsen to decade", ["1987-06-15"], ["1980..1989"]),
    ("coarsen to first 2", ["8010", "5", "Žiga"], ["80", "5", "Ži"]),
    ("noise 10%", ["0", "0.00"], ["0", "0.00"]),
    ("'= \"unknown\"'", ["a", "b"], ["unknown", "unknown"]),
]  # fmt: skip


@pytest.mark.parametrize(("line", "before", "after"), TREATED, ids=[each[0] for each in TREATED])
def test_a_treatment(line: str, before: list[str], after: list[str], yurt: Any, tmp_path: Path) -> None:
    written(tmp_path / "t.csv", [{"n": str(at), "x": each} for at, each in enumerate(before)])
    done = yurt("disguise", "t.csv", f"--field=x: {line}", env=SECRET)
    assert [each["x"] for each in table(done.stdout.decode())] == after
    lost = sum(bool(old) and not new for old, new in zip(before, after, strict=True))
    assert (f"`x`: {lost} values are not of its form" in done.stderr.decode()) == bool(lost)


def test_a_shuffle_moves_values_within_their_groups(yurt: Any, tmp_path: Path) -> None:
    rows = [{"town": "abc"[at % 3], "paid": str(at), "n": str(at)} for at in range(900)]
    written(tmp_path / "t.csv", rows)
    yurt("disguise", "t.csv", "--field=paid: shuffle within town", "--out", "o.csv", env=SECRET)
    new = rows_of(tmp_path / "o.csv")
    for town in "abc":
        old_ones, new_ones = ([each["paid"] for each in every if each["town"] == town] for every in (rows, new))
        assert sorted(old_ones) == sorted(new_ones) and sum(map(str.__eq__, old_ones, new_ones)) < 12
    assert [each["n"] for each in new] == [each["n"] for each in rows]
    yurt("disguise", "t.csv", "--field=paid: shuffle", "--field=town: remove", "--out", "p.csv", env=SECRET)
    found = rows_of(tmp_path / "p.csv")
    assert list(found[0]) == ["paid", "n"] and sorted(each["paid"] for each in found) == sorted(
        each["paid"] for each in rows
    )


def test_evenly_is_a_permutation_of_a_list(yurt: Any, tmp_path: Path) -> None:
    names = sorted({line["name"] for line in csv.DictReader(
        (HUTS.parent.parent / "core/kinds/locales/de-AT/given-names.csv").open(encoding="utf-8"))})[:200]  # fmt: skip
    rows = [{"g": name, "c": "red"} for at, name in enumerate(names) for _ in range(at % 5 + 1)]
    written(tmp_path / "t.csv", rows)
    new = table(yurt("disguise", "t.csv", "--field=g: substitute given-name, evenly", "--field=c: substitute one of red | blue, evenly",
                     "--locale", "de-AT", env=SECRET).stdout.decode())  # fmt: skip
    pairs = {(old["g"], after["g"]) for old, after in zip(rows, new, strict=True)}
    assert len(pairs) == len({after for _, after in pairs}) == 200
    assert sorted(Counter(each["g"] for each in rows).values()) == sorted(Counter(each["g"] for each in new).values())
    assert len({each["c"] for each in new}) == 1


def test_by_condition_and_by_table(yurt: Any, tmp_path: Path) -> None:
    written(tmp_path / "t.csv", [{"kind": "person", "name": "Anna Hofer"}, {"kind": "hut", "name": "Upper Hut"}])
    (tmp_path / "l.yaml").write_text("yurt: 1\nrecords:\n  t:\n    fields:\n      name:\n        by kind:\n          person: encrypt\n"
                                     "          else: '= name'\n")  # fmt: skip
    new = table(yurt("disguise", "t.csv", "--schema", "l.yaml", env=SECRET).stdout.decode())
    assert new[0]["name"] != "Anna Hofer" and re.fullmatch(r"[A-Z][a-z]{3} [A-Z][a-z]{4}", new[0]["name"])
    assert new[1]["name"] == "Upper Hut"


@pytest.mark.parametrize("line", ["substitute given-name", "substitute integer 1..9", "encrypt", "encrypt iban", "keep last 2", "noise 5%",
                                  "coarsen to 10", "coarsen to month", "shift 5d", "scrub", "substitute given-name, evenly"])  # fmt: skip
def test_an_empty_text_stays_empty_and_a_missing_value_missing(line: str, yurt: Any, tmp_path: Path) -> None:
    value = "2026-06-01" if line in ("shift 5d", "coarsen to month") else "12"
    (tmp_path / "t.json").write_text(json.dumps([{"x": ""}, {"x": None}, {}, {"x": value}]))
    yurt("disguise", "t.json", f"--field=x: {line}", "--out", "o.json", "--no-proof", env=SECRET)
    found = json.loads((tmp_path / "o.json").read_text())
    assert found[0]["x"] == (None if "integer" in line else "") and found[1]["x"] is None and not found[2].get("x")


@pytest.mark.parametrize(("line", "value", "told"), [
    ("noise 5%", "12.5%", "row 2: `12.5%` is not a number such as 12.50"), ("coarsen to 10", "x", "`x` is not a number"),
    ("coarsen to month", "2026-02-30", "`2026-02-30` is not a date such as"), ("shift 5d", "1.6.2026", "`1.6.2026` is not a date"),
])  # fmt: skip
def test_what_cannot_be_read_is_refused_and_not_left_out(
    line: str, value: str, told: str, yurt: Any, tmp_path: Path
) -> None:
    good = "2026-06-01" if "date" in told else "12"
    (tmp_path / "t.csv").write_text(f"a,b\n{good},1\n{value},2\n")
    assert told in yurt("disguise", "t.csv", f"--field=a: {line}", "--out", "o.csv", code=1, env=SECRET).stderr.decode()
    assert not (tmp_path / "o.csv").exists()


LEAKS = [
    ({"name": "Luisa", "mail": "luisa.gasser@example.com", "note": ""}, "`mail` of the same row"),
    ({"name": "Luisa", "mail": "", "note": "Luisa is late"}, "`note` of the same row"),
    ({"name": "Luisa", "mail": "", "note": "LUISA, late"}, "`note` of the same row"),
    ({"name": "0664 1234567", "mail": "", "note": "call 06641234567"}, "`note` of the same row"),
]  # fmt: skip


@pytest.mark.parametrize(("row", "where"), LEAKS, ids=range(len(LEAKS)))
def test_a_leak_is_found(row: dict[str, str], where: str, yurt: Any, tmp_path: Path) -> None:
    written(tmp_path / "t.csv", [row, {"name": "Jakob", "mail": "x@example.com", "note": "no name in here"}])
    done = yurt(
        "disguise", "t.csv", "--field=name: encrypt", "--out", "o.csv", "--report", "p.html", env=SECRET, code=1
    )
    assert "originals are left" in done.stderr.decode() and where in done.stderr.decode()
    page = (tmp_path / "p.html").read_text()
    assert "Originals are left." in page and row["name"] not in page
    done = yurt("disguise", "t.csv", "--field=name: encrypt", "--field=mail: remove", "--field=note: scrub", "--out", "o.csv",
                "--force", env=SECRET)  # fmt: skip
    assert "no original is left" in done.stderr.decode()


def test_a_leak_in_the_text_of_another_row_and_lost_uniqueness_are_found(yurt: Any, tmp_path: Path) -> None:
    rows = [{"name": f"Guest Number{at}", "note": "all is well with this guest"} for at in range(40)]
    rows[7]["note"] = "shares the room with guest number12, they say"
    written(tmp_path / "t.csv", rows)
    done = yurt("disguise", "t.csv", "--field=name: substitute full-name", "--out", "o.csv", env=SECRET, code=1)
    assert "originals of `name` in the text `note` of other rows: 1 row, the first is 8" in done.stderr.decode()
    written(tmp_path / "u.csv", [{"x": str(at), "b": str(at % 4), "c": "1"} for at in range(40)])
    done = yurt(
        "disguise", "u.csv", "--field=x: coarsen to 100", "--out", "o.csv", "--force", "--group-by", "b, c", env=SECRET
    )
    assert "`x`: no value was there twice, and some are now" in done.stderr.decode()
    assert "b, c: the smallest group has 10 rows; 0 rows alone" in done.stderr.decode()


def test_short_texts_are_searched_for_what_is_there_by_no_chance(yurt: Any, tmp_path: Path) -> None:
    people = ["Ada Brunner", "Bela Kofler", "Cilli Moser", "Dora Auer"]
    phones = ["06641234501", "06641234502", "06641234503", "06641234504"]
    for notes, found in (
        (["met Bela Kofler", "", "", "quiet"], "`name` in the text `note` of other rows: 1 row, the first is 1"),
        (["quiet", "", "call 06641234501", ""], "`phone` in the text `note` of other rows: 1 row, the first is 3"),
        # A street with the name of somebody, and a cell that is a name as a whole.
        (["Moser Steig", "Auer Weg", "", ""], ""),
    ):
        rows = [{"name": name, "family": name.split()[1], "phone": phone, "note": note}
                for name, phone, note in zip(people, phones, notes, strict=True)]  # fmt: skip
        written(tmp_path / "t.csv", rows)
        lines = [
            "--field=name: substitute full-name",
            "--field=phone: encrypt",
            "--field=family: substitute family-name",
        ]
        done = yurt("disguise", "t.csv", *lines, "--out", "o.csv", "--force", env=SECRET, code=1 if found else 0)
        assert found in done.stderr.decode()
        assert (tmp_path / "o.csv").exists() == (not found)
        some = any(" " in each for each in notes)
        assert ("only several words and long numbers were looked for in: note" in done.stderr.decode()) == some


def iban(number: int) -> str:
    account = f"{10**15 + number:016d}"
    return f"AT{98 - int(account + '102900') % 97:02d}{account}"


@pytest.mark.parametrize(("stay", "leaks", "told"), [
    ("", [("number", "hiker"), ("name", "the text")], "calculated, not treated: town"),
    ("hiker: encrypt, domain number", [("name", "the text")], "without a line, as before: stay, town, note"),
    ("hiker: encrypt, domain number\n      note: = \"x\"", [], "without a line, as before: stay, town"),
    ("hiker: = lower(hiker)\n      note: = upper(note)", [("number", "hiker"), ("name", "the text")], "no column is treated"),
])  # fmt: skip
def test_originals_of_one_file_are_found_in_another(
    stay: str, leaks: list[tuple[str, str]], told: str, yurt: Any, tmp_path: Path
) -> None:
    hikers = [{"number": f"H-{at:05d}", "name": name, "town": "Vellach"} for at, name in
              enumerate(["Ada Brunner", "Bela Kofler", "Cilli Moser"], 10_001)]  # fmt: skip
    stays = [{"stay": str(at), "hiker": each["number"], "town": "Nord", "note": f"on this day {each['name']} came late"}
             for at, each in enumerate(hikers * 3)]  # fmt: skip
    written(tmp_path / "hiker.csv", hikers)
    written(tmp_path / "stay.csv", stays)
    fields = f"    fields:\n      {stay}\n" if stay else "    fields: {}\n"
    (tmp_path / "l.yaml").write_text(
        "yurt: 1\nrecords:\n  hiker:\n    fields:\n      number: encrypt\n      name: substitute full-name\n"
        f"      town: = upper(town)\n  stay:\n{fields}"
    )
    call = ("disguise", "hiker.csv", "stay.csv", "--schema", "l.yaml", "--out", "new", "--report", "p.json")
    done = yurt(*call, code=1 if leaks else 0, env=SECRET)
    proof = json.loads((tmp_path / "p.json").read_text())
    found = [each for each in proof["files"][0]["findings"] if not each["explanation"]]
    assert [each["column"] for each in found] == [column for column, _ in leaks]
    assert all(where in each["where"] for each, (_, where) in zip(found, leaks, strict=True))
    assert all(each["rows"] == 9 and each["first"] == 1 for each in found)
    assert told in done.stderr.decode()


def test_originals_of_a_column_with_a_constant_are_looked_for(yurt: Any, tmp_path: Path) -> None:
    written(
        tmp_path / "t.csv", [{"name": "Ada Brunner", "copy": "by Ada Brunner"}, {"name": "Bela Kofler", "copy": "-"}]
    )
    done = yurt("disguise", "t.csv", '--field=name: = "somebody"', "--out", "o.csv", env=SECRET, code=1)
    assert "leak: originals of `name` in `copy` of the same row: 1 row, the first is 1" in done.stderr.decode()


def test_suggestions_recognise_kinds_and_treat_nothing(yurt: Any, demo: Path) -> None:
    written(demo / "people.csv", [
        {"Vorname": ["Anna", "Eva", "Luisa", "Maria", "Jakob"][at % 5], "x1": iban(at), "x2": f"a{at}@example.com",
         "geb": f"19{at + 40}-05-06", "kdnr": f"K-{at:05d}", "n": str(at % 3), "text": f"a long remark about guest {at} of the hut"}
        for at in range(30)])  # fmt: skip
    done = yurt("disguise", "people.csv", "--suggest").stdout.decode()
    for line in ("Vorname: substitute given-name ", "x1: encrypt iban ", "x2: substitute email, unique ", "geb: shift 30d per ",
                 "kdnr: encrypt ", "text: scrub ", "# as it is: n (integer, 3 different values)"):  # fmt: skip
        assert line in done, line
    assert sorted(each.name for each in demo.iterdir()) == ["people.csv", "yurt-demo"]
    files = [f"yurt-demo/csv/{name}.csv" for name in ("hiker", "hut", "stay")]
    lines = yurt("disguise", *files, "--suggest").stdout.decode()
    assert (
        "hiker: encrypt, domain pass " in lines and "hut: encrypt, domain code " in lines and "locale: de-AT" in lines
    )
    (demo / "l.yaml").write_text(lines)
    yurt("disguise", *files, "--schema", "l.yaml", "--out", "safe", "--secret", "k.txt", "--no-proof")
    found = {name: rows_of(demo / f"safe/{name}.csv") for name in ("hiker", "hut", "stay")}
    assert {each["hiker"] for each in found["stay"]} <= {each["pass"] for each in found["hiker"]}
    assert {each["hut"] for each in found["stay"]} <= {each["code"] for each in found["hut"]}


def _card(choose: random.Random) -> str:
    body = "4" + "".join(choose.choices("0123456789", k=14))
    return body + stdnum.luhn.calc_check_digit(body)


PERSONAL: dict[str, Callable[[random.Random], str]] = {
    "a card": _card,
    "a mobile": lambda choose: f"+43664{choose.randrange(10**7):07}",
    "an account": lambda choose: (
        f"AT{stdnum.iban.calc_check_digits('AT00' + (body := f'{choose.randrange(10**16):016}'))}{body}"
    ),
    "a licence": lambda choose: (
        "".join(choose.choices("ABCDEFGHKLMNPRSTUVWXYZ", k=5)) + f"{choose.randrange(10**9):09}"
    ),
    "a policy": lambda choose: f"P{choose.randrange(10**9):09}",
    "a patient": lambda choose: (
        "".join(choose.choices("ABCDEFGHKLMNPRSTUVWXYZ", k=3)) + f"{choose.randrange(10**7):07}"
    ),
}
APARTS = {"spaces": (" ", 4), "hyphens": ("-", 4), "points": (".", 3), "nothing": ("", 99)}


def test_suggested_lines_leave_no_number_of_a_person(yurt: Any, tmp_path: Path) -> None:
    """In any way of writing, and under any header: what was suggested is run, and a script looks for the originals."""
    choose = random.Random(4)
    columns: dict[str, list[str]] = {}
    for at, (form, make) in enumerate(PERSONAL.items()):
        for number, (mark, size) in enumerate(APARTS.values()):
            header = ("card_number", "number", "note", "value", "mobile", "Spalte")[(at + number) % 6]
            texts = [make(choose) for _ in range(20)]
            groups = [[each[begin : begin + size] for begin in range(0, len(each), size)] for each in texts]
            columns[f"{header} {form[2:]} {number}"] = [mark.join(each) for each in groups]
    with (tmp_path / "d.csv").open("w", newline="") as out:
        writer = csv.writer(out)
        writer.writerow(columns)
        writer.writerows(zip(*columns.values(), strict=True))
    (tmp_path / "s.yaml").write_bytes(yurt("disguise", "d.csv", "--suggest").stdout)
    yurt("disguise", "d.csv", "--schema", "s.yaml", "--out", "o.csv", "--no-proof", env=SECRET)
    new = rows_of(tmp_path / "o.csv")
    left = {
        title for title, own in columns.items() if sum(row[title] == old for row, old in zip(new, own, strict=True)) > 1
    }
    assert left == set()


@pytest.mark.parametrize(("line", "values", "told"), [
    ("a: scrub", ["called 0664 123 45 67 again", "likes the lake"], "its own row, as it was, with a long number"),
    ("a: scrub", ["likes the lake", "the ridge on 2026-06-01"], ""),
    ("a: noise 20%", ["0", "0", "1000"], ""),
])  # fmt: skip
def test_more_that_stays_than_the_treatment_explains_is_a_leak(
    line: str, values: list[str], told: str, yurt: Any, tmp_path: Path
) -> None:
    (tmp_path / "d.csv").write_text("a,b\n" + "".join(f"{each},x\n" for each in values))
    done = yurt("disguise", "d.csv", "--field", line, "--out", "o.csv", code=int(bool(told)), env=SECRET)
    assert (f"leak: originals of `a` in {told}" in done.stderr.decode()) == bool(told), done.stderr
    assert ("scrubbed: a, " in done.stderr.decode()) == ("scrub" in line)


def test_the_first_rows_before_and_after(yurt: Any, demo: Path) -> None:
    (demo / "l.yaml").write_text("yurt: 1\nrecords:\n  hut:\n    fields:\n      code: encrypt\n  stay:\n    fields:\n"
                                 "      hut: encrypt, domain code\n")  # fmt: skip
    told = yurt("disguise", "yurt-demo/csv/hut.csv", "--field=code: encrypt", "--field=price: remove", "--field=n: = 1", "--diff",
                env=SECRET).stdout.decode()  # fmt: skip
    assert re.search(r"row 1  code: CV-275 → [A-Z]{2}-\d{3}\n", told) and "row 1  n: new: 1" in told
    both = yurt(
        "disguise",
        "yurt-demo/csv/hut.csv",
        "yurt-demo/csv/stay.csv",
        "--schema",
        "l.yaml",
        "--diff",
        "--secret",
        "new.txt",
    )
    assert both.stdout.decode().count("the first 6 rows") == 2 and not (demo / "new.txt").exists()
    yurt(
        "disguise",
        "yurt-demo/csv/hut.csv",
        "--field=code: encrypt wrong",
        "--secret",
        "new.txt",
        "--out",
        "o.csv",
        code=1,
    )
    assert not (demo / "new.txt").exists()
    assert "left out: price" in told and "as before: altitude, beds, opens, supper" in told


def test_a_treatment_needs_a_file(yurt: Any, tmp_path: Path) -> None:
    told = yurt("generate", "--field=a: encrypt", code=1).stderr.decode()
    assert "`encrypt` treats a column of an existing file" in told
    (tmp_path / "s.yaml").write_text(LINES)
    assert "`guest` has no count" in yurt("check", "s.yaml", code=1).stderr.decode()


def test_originals_lie_beside_the_new_file_and_a_killed_run_leaves_them_to_the_next(yurt: Any, tmp_path: Path) -> None:
    """Standard input is kept in a file, since it is read twice."""
    (tmp_path / "temporary").mkdir()
    arguments = ["disguise", "-", "--field", "name: substitute given-name", "--out", "new.csv"]
    environment = {**ENVIRONMENT, "TMPDIR": str(tmp_path / "temporary")}
    killed = subprocess.Popen([PROGRAM, *arguments], cwd=tmp_path, env=environment, stdin=subprocess.PIPE)
    assert killed.stdin is not None
    killed.stdin.write(b"id,name\n" + b"1,Kunigunde\n" * 100_000)
    killed.stdin.flush()
    end = time.monotonic() + 30
    while not (kept := list(tmp_path.glob(".yurt-values-*/input"))) and time.monotonic() < end:
        time.sleep(0.05)
    killed.kill()
    killed.wait()
    killed.stdin.close()
    assert len(kept) == 1
    assert kept[0].parent.stat().st_mode & 0o777 == 0o700
    assert not list((tmp_path / "temporary").iterdir())
    done = yurt(*arguments, input=b"id,name\n1,Kunigunde\n")
    assert not list(tmp_path.glob(".yurt-values-*"))
    assert kept[0].parent.name in done.stderr.decode()
    assert b"Kunigunde" not in (tmp_path / "new.csv").read_bytes()
