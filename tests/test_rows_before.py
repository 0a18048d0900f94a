"""Rules that depend on earlier rows, in whole files: every expected value is computed here again, row by row."""

from __future__ import annotations

import csv
import io
import json
import random
from collections import Counter
from collections.abc import Callable
from datetime import date, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest

from yurt.core.base.arrays import strings
from yurt.core.language.reader import read
from yurt.core.source.diagnostics import Source
from yurt.core.verify.keys import Keys, NumberedKeys
from yurt.core.verify.verification import Data, Verification

from .conftest import ENVIRONMENT, Launcher, schema_of

TODAY = date(2026, 6, 1)
PAYMENTS = """
yurt: 1
seed: 3
today: 2026-06-01
records:
  hiker:
    count: 600
    key: id
    fields:
      id: sequence
      since: date 2020-01-01..2024-12-31
  payment:
    count: 1..6 per hiker
    fields:
      hiker:   ref hiker
      number:  = ordinal()
      day:     every 2w from hiker.since
      month:   every 1mo from 2026-01-31
      paid:    every 7h from 2026-06-15T00:00, jitter 10min
      amount:  decimal 5.00..90.00, missing 10%
      balance: = running(amount)
      before:  = previous(amount, 0), helper
      change:  = amount - before
      mark:    one of a | b | c
      was:     = previous(mark)
      rate:    integer 1..10 + ordinal()
      extra:   integer 1..9, present if ordinal() > 2
      row_nr:  = row
    always:
      - ordinal() < 7
"""
SCHEMA = read(Source("s", PAYMENTS))[0]
Row = dict[str, Any]


def wrong(rows: list[Row]) -> set[tuple[int, str]]:
    """Return the rules that rows break, by the language reference."""
    found: set[tuple[int, str]] = set()
    families: dict[str, list[Row]] = {}
    for at, row in enumerate(rows):
        family = families.setdefault(row["hiker"], [])
        family.append(row)
        place = len(family)
        amounts = [Decimal(each["amount"]) for each in family if each["amount"]]
        before = family[-2] if place > 1 else None
        past = (Decimal(before["amount"]) if before["amount"] else None) if before else Decimal(0)
        change = Decimal(row["amount"]) - past if row["amount"] and past is not None else None
        month = place - 1
        lengths = (31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31)
        wanted = {
            "number": str(place),
            "month": str(date(2026, month + 1, lengths[month])) if month < 12 else "",
            "balance": f"{sum(amounts, Decimal('0.00'))}",
            "change": "" if change is None else f"{change}",
            "was": before["mark"] if before else "",
            "row_nr": str(at + 1),
        }
        found |= {(at, name) for name, value in wanted.items() if row[name] != value}
        due = datetime(2026, 6, 15) + timedelta(hours=7) * (place - 1)
        found |= {(at, "paid")} if abs(datetime.fromisoformat(row["paid"]) - due) > timedelta(minutes=10) else set()
        found |= {(at, "rate")} if not 1 <= int(row["rate"]) <= 10 + place else set()
        found |= {(at, "extra")} if bool(row["extra"]) != (place > 2) else set()
        found |= {(at, "ordinal() < 7")} if place >= 7 else set()
    return found


def text_of(rows: list[Row]) -> bytes:
    out = io.StringIO(newline="")
    writer = csv.DictWriter(out, list(rows[0]), lineterminator="\r\n")
    writer.writeheader()
    writer.writerows(rows)
    return out.getvalue().encode()


def said(hikers: bytes, rows: list[Row], **more: Any) -> tuple[set[tuple[int, str]], dict[str, str]]:
    data = {
        "hiker": Data("hiker", lambda: io.BytesIO(hikers), "csv"),
        "payment": Data("payment", lambda: io.BytesIO(text_of(rows)), "csv"),
    }
    run = Verification(SCHEMA, data, TODAY, **more)
    found = {(int(row), each.field) for each in run.run() for row in each.rows if each.rule != "count"}
    return found, run.reports["payment"].unjudged


@pytest.fixture(autouse=True)
def many_blocks(monkeypatch: pytest.MonkeyPatch) -> None:
    """A file of a megabyte is read in about fifty blocks."""
    monkeypatch.setattr("yurt.core.formats.csv.reading.PIECE", 1 << 14)


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory, launcher: Launcher) -> tuple[bytes, list[Row]]:
    folder = tmp_path_factory.mktemp("made")
    (folder / "s.yaml").write_text(PAYMENTS)
    done = launcher.run(["generate", "s.yaml", "--out", "./"], folder, ENVIRONMENT)
    assert done.returncode == 0, done.stderr
    with (folder / "payment.csv").open(newline="") as stream:
        return (folder / "hiker.csv").read_bytes(), list(csv.DictReader(stream))


@pytest.mark.parametrize("workers", [1, 2])
def test_whole_files_are_right_row_by_row(made: tuple[bytes, list[Row]], workers: int) -> None:
    hikers, rows = made
    assert len(rows) > 1900
    assert wrong(rows) == set()
    assert said(hikers, rows, workers=workers) == (set(), {})


CHANGES: dict[str, Callable[[list[Row], int], None]] = {
    "a row is gone": lambda rows, at: rows.pop(at),  # type: ignore[dict-item,return-value]
    "a row stands twice": lambda rows, at: rows.insert(at, dict(rows[at])),
    "two rows are swapped": lambda rows, at: rows.insert(at, rows.pop(at + 1)),
    "a number": lambda rows, at: rows[at].update(number="9"),
    "a sum": lambda rows, at: rows[at].update(balance="1.00"),
    "an amount, and so the sums after it": lambda rows, at: rows[at].update(amount="5.01"),
    "an amount is missing": lambda rows, at: rows[at].update(amount=""),
    "a value before": lambda rows, at: rows[at].update(mark="a" if rows[at]["mark"] != "a" else "b"),
    "a step": lambda rows, at: rows[at].update(month="2026-12-31"),
    "a moment just inside its jitter": lambda rows, at: rows[at].update(paid=moved(rows[at], 10)),
    "a moment just outside": lambda rows, at: rows[at].update(paid=moved(rows[at], 11)),
    "a value that the place forbids": lambda rows, at: rows[at].update(extra="" if rows[at]["extra"] else "5"),
    "a value beyond what the place allows": lambda rows, at: rows[at].update(rate="16"),
}


def moved(row: Row, minutes: int) -> str:
    due = datetime(2026, 6, 15) + timedelta(hours=7) * (int(row["number"]) - 1)
    return (
        due - timedelta(minutes=minutes) if int(row["number"]) > 1 else due + timedelta(minutes=minutes)
    ).isoformat()


@pytest.mark.parametrize("name", CHANGES)
def test_a_change_is_found_wherever_it_tells(made: tuple[bytes, list[Row]], name: str) -> None:
    hikers, rows = made
    dice = random.Random(name)
    changed = [dict(each) for each in rows]
    for _ in range(12):
        CHANGES[name](changed, dice.randrange(len(changed) - 1))
    wanted = wrong(changed)
    # The days of the fortnight depend on the hiker and are not computed here.
    found = {each for each in said(hikers, changed)[0] if each[1] != "day"}
    assert found == wanted
    assert (not wanted) == (name == "a moment just inside its jitter")


def test_a_wrong_value_does_not_spoil_the_totals_after_it(made: tuple[bytes, list[Row]]) -> None:
    hikers, rows = made
    at = next(at for at in range(len(rows) - 3) if len({each["hiker"] for each in rows[at : at + 4]}) == 1)
    changed = [dict(each) for each in rows]
    changed[at]["amount"] = "99.00"
    assert said(hikers, changed)[0] == {(at, "amount")}


@pytest.mark.parametrize("place", [0, 1, 3])
@pytest.mark.parametrize("parent", ["999999", "", "x"])
def test_a_row_without_a_parent_spoils_no_other_row(made: tuple[bytes, list[Row]], place: int, parent: str) -> None:
    """The first, an inner, or the last child of a parent with four or more: only this row is invalid."""
    hikers, rows = made
    counts = Counter(each["hiker"] for each in rows)
    at = (
        next(at for at, each in enumerate(rows[100:], 100) if each["number"] == "1" and counts[each["hiker"]] == 4)
        + place
    )
    changed = [dict(each) for each in rows]
    changed[at]["hiker"] = parent
    assert said(hikers, changed)[0] == {(at, "hiker")}
    # The report names rows of other parents.
    changed[at + 40]["balance"] = "1.00"
    assert said(hikers, changed)[0] == {(at, "hiker"), (at + 40, "balance")}


def test_parts_and_cases_say_nothing_of_rows_before(made: tuple[bytes, list[Row]]) -> None:
    hikers, rows = made
    found, unjudged = said(hikers, rows[3:50], whole=False)
    assert found == set()
    reasons = {name: why for name, why in unjudged.items() if "earlier rows" in why}
    names = {"number", "balance", "change", "was", "rate", "row_nr"}
    assert {name.removeprefix("payment.") for name in reasons} == {
        *names,
        "extra, whether it is missing",
        "always ordinal() < 7",
    }
    labels = {"case.id": "x", "case.technique": "t", "case.target": "rate", "case.item": "i", "case.expected": "accept"}
    found, unjudged = said(hikers, [labels | each for each in rows[3:50]])
    assert found == set()
    assert {f"payment.{each}" for each in names} <= set(unjudged)


def test_cases_are_checked_except_for_earlier_rows(yurt: Any, tmp_path: Path) -> None:
    """Other rules of a field that partly depends on its row number are checked, also in a file of cases."""
    lines = "a: integer 1..9, missing 50% if mod(row, 2) == 0\nb: = row * 2\nc: integer 1..5"
    (tmp_path / "s.yaml").write_text(schema_of(lines, 30, "seed: 3\n"))
    yurt("cases", "s.yaml", "--out", "cases.csv")
    told = yurt("verify", "s.yaml", "row=cases.csv").stdout.decode()
    assert "every label is correct" in told
    assert "row.a, whether it is missing: `row` depends" in told
    assert "row.b: `row` depends on earlier rows, and a case stands alone" in told
    rows = list(csv.DictReader(io.StringIO((tmp_path / "cases.csv").read_text(), newline="")))
    place = next(at for at, each in enumerate(rows) if each["case.expected"] == "accept" and each["a"])
    rows[place]["a"] = "77"
    out = io.StringIO(newline="")
    writer = csv.DictWriter(out, list(rows[0]))
    writer.writeheader()
    writer.writerows(rows)
    (tmp_path / "cases.csv").write_text(out.getvalue(), newline="")
    told = yurt("verify", "s.yaml", "row=cases.csv", code=1).stdout.decode()
    assert rows[place]["case.id"] in told and "a breaks range" in told, told


CHAIN = """yurt: 1
seed: 2
today: 2026-06-01
records:
  hiker:
    count: 40
    key: name
    fields:
      name: text 70..90 of lower
  visit:
    count: 1..4 per hiker
    fields:
      hiker: ref hiker
      third: = second + 1
      second: = first + 1, helper
      first: = ordinal(), helper
      drawn: integer 1..9, helper
      last:  = previous(drawn)
"""


def test_long_keys_no_parents_and_what_follows_from_what_is_a_helper(yurt: Any, tmp_path: Path) -> None:
    """Keys too long for a hash, rows without a parent, and a field that depends on a helper through other fields."""
    (tmp_path / "s.yaml").write_text(CHAIN)
    yurt("generate", "s.yaml", "--out", "./")
    hikers = (tmp_path / "hiker.csv").read_bytes()
    with (tmp_path / "visit.csv").open(newline="") as stream:
        rows = list(csv.DictReader(stream))
    schema = read(Source("s", CHAIN))[0]

    def judged(changed: list[Row]) -> set[tuple[int, str, str]]:
        data = {
            "hiker": Data("hiker", lambda: io.BytesIO(hikers), "csv"),
            "visit": Data("visit", lambda: io.BytesIO(text_of(changed)), "csv"),
        }
        found = Verification(schema, data, TODAY).run()
        return {(int(row), each.field, each.rule) for each in found for row in each.rows if each.rule != "count"}

    assert judged(rows) == set()
    at = next(at for at, each in enumerate(rows) if each["third"] == "4")
    assert judged([*rows[:at], rows[at] | {"third": "3"}, *rows[at + 1 :]]) == {(at, "third", "value")}
    # The first parent again, after all others.
    more = {"hiker": rows[0]["hiker"], "third": str(2 + 1 + sum(each["hiker"] == rows[0]["hiker"] for each in rows))}
    assert judged([*rows, more]) == set()
    assert judged([*rows, more | {"third": "3"}]) == {(len(rows), "third", "value")}
    nobody = [each | {"hiker": "nobody"} for each in rows[:20]]
    assert judged(nobody) == {(at, "hiker", "reference") for at in range(20)}
    assert judged([each | {"hiker": ""} for each in rows[:20]]) == {(at, "hiker", "presence") for at in range(20)}


def test_keys_of_any_length_are_found_again() -> None:
    """Short texts by their hashes, long texts in full, and both in one file."""
    short, long = ["a", "b", "c"], ["x" * 500 + str(at) for at in range(3)]
    for known, asked in (
        (short, short),
        (long, long),
        (short + long, long),
        (long, short),
        (short, long),
        (short, short + long),
    ):
        wanted = [known.index(each) if each in known else -1 for each in asked]
        assert Keys(strings(known)).numbers(Keys(strings(asked))).tolist() == wanted
    growing = NumberedKeys()
    assert growing.codes(Keys(strings(["a", "b"]))).tolist() == [0, 1]
    assert growing.codes(Keys(strings(["a", "c", "b", "d"]))).tolist() == [0, 2, 1, 3]
    assert growing.codes(Keys(strings([*long, "a", "d"]))).tolist() == [4, 5, 6, 0, 3]


def test_the_row_before_the_first_may_be_of_another_type(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(
        "yurt: 1\nseed: 4\nrecords:\n  hut: {count: 5, fields: {id: 'sequence'}}\n  night:\n    count: 2..3 per hut\n    fields:\n"
        "      hut: ref hut\n      guests: integer 1..9\n      before: = previous(guests, 0.5)\n"
    )
    yurt("generate", "s.yaml", "--out", "x/")
    assert json.loads(yurt("verify", "s.yaml", "x/", "--json").stdout)["clean"]
    rows = list(csv.DictReader((tmp_path / "x/night.csv").open(newline="")))
    assert rows[0]["before"] == "0.5"
    text = (tmp_path / "x/night.csv").read_text().replace(",0.5\n", ",1\n", 1)
    (tmp_path / "x/night.csv").write_text(text)
    told = json.loads(yurt("verify", "s.yaml", "x/", "--json", code=1).stdout)
    assert [(each["field"], each["count"]) for each in told["violations"]] == [("before", 1)]


def test_an_error_leaves_only_its_own_family_unchecked(made: tuple[bytes, list[Row]]) -> None:
    """Also if later rows of the family are in another block of the file."""
    hikers, plain = made
    families: dict[str, list[int]] = {}
    for at, row in enumerate(plain):
        families.setdefault(row["hiker"], []).append(at)
    long = [each for each in families.values() if len(each) >= 4 and all(plain[at]["amount"] for at in each)]
    one, other = long[0], long[1]
    # An error in one family, and a wrong sum in another.
    rows = [dict(each) for each in plain]
    rows[one[1]]["amount"], rows[other[2]]["balance"] = "x", "0.01"
    assert said(hikers, rows)[0] == {(one[1], "amount"), (other[2], "balance")}
    # The last row of the family is the last row of the file; its sum depends on the error.
    for changed, value in (("amount", "x"), ("hiker", "")):
        rows = [dict(each) for each in plain]
        moved = rows.pop(one[-1])
        rows[one[1]][changed] = value
        rows.append(moved | {"row_nr": str(len(rows) + 1)})
        for at, row in enumerate(rows):
            row["row_nr"] = str(at + 1)
        found = said(hikers, rows)[0]
        assert (one[1], changed) in found
        assert {name for at, name in found if at == len(rows) - 1} == set(), found
        moved = dict(rows[-1])
        rows[-1] = moved | {"balance": "0.01"}
        assert {name for at, name in said(hikers, rows)[0] if at == len(rows) - 1} == set()


def test_a_fault_in_the_row_before_leaves_open_what_the_next_row_says_of_it(made: tuple[bytes, list[Row]]) -> None:
    hikers, plain = made
    families: dict[str, list[int]] = {}
    for at, row in enumerate(plain):
        families.setdefault(row["hiker"], []).append(at)
    one = next(each for each in families.values() if len(each) >= 4)
    first = one[-1] + 1
    # The first row of the next family says nothing about this family.
    rows = [dict(each) for each in plain]
    rows[one[-1]]["mark"], rows[first]["was"] = "z", "b"
    assert said(hikers, rows)[0] == {(one[-1], "mark"), (first, "was")}
    # The last two rows of the family are in another block, after the error.
    rows = [dict(each) for each in plain]
    moved = [rows.pop(at) for at in (one[-1], one[-2])][::-1]
    rows[one[-3]]["mark"] = "z"
    rows += [moved[0] | {"was": "b" if moved[0]["was"] != "b" else "a"}, moved[1]]
    for at, row in enumerate(rows):
        row["row_nr"] = str(at + 1)
    assert {each for each in said(hikers, rows)[0] if each[0] >= len(rows) - 2 or each[1] == "mark"} == {
        (one[-3], "mark")
    }
    rows[-1]["was"] = "b" if rows[-1]["was"] != "b" else "a"
    assert (len(rows) - 1, "was") in said(hikers, rows)[0]
