"""Drafts of samples: what must be found, what must stay out, and how well the drawn rows do."""

from __future__ import annotations

import csv
import io
import json
import random
import re
import sqlite3
from collections import Counter
from collections.abc import Callable
from contextlib import closing
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
import yaml
from scipy import stats
from stdnum import luhn

from .composer import composed
from .conftest import FULL, Result, schema_of

Run = Callable[..., Result]
DAY = r"\d{4}-\d\d-\d\d"


def fields_of(path: Path, record: str) -> dict[str, Any]:
    """Return the fields of a record type, those under conditions among them."""
    found: dict[str, Any] = {}
    for name, line in yaml.safe_load(path.read_text("utf-8"))["records"][record]["fields"].items():
        if name.startswith("if "):
            found |= {inner: f"{own}, present if {name[3:]}" for inner, own in line.items()}
        else:
            found[name] = line
    return found


# What must come back of each field of the demo, whatever the format of its files; a range may be a little wider.
DEMO = {
    "hiker": {
        "pass": r"/\[A-Z\]\{2\}-\\d\{5\}/, unique",
        "family": "family-name", "given": "given-name",
        "born": r"date 193[4-9]-01-01..(2009-12-31|2010-\d\d-\d\d), usually triangular\(19(8[6-9]|90)-01-01\)",
        "phone": "tel, missing 12%", "mail": "email, unique",
        "speaks": r"list 1\.\.3 of \(one of en \d\d%.*\), distinct",
    },
    "hut": {
        "code": r"/\[A-Z\]\{2\}-\\d\{3\}/, unique",
        "altitude": r"integer \d{3,4}\.\.\d{4}", "beds": r"integer \d\.\.\d{3}",
        "price": r"decimal \d\d\.\d0?\.\.\d\d\.\d0? step 0\.50?",
        "opens": rf"date {DAY}\.\.{DAY}, on fri \| sat", "supper": r"time 17:30\.\.19:30 step 15min",
    },
    "stay": {
        "number": "sequence from 10001", "hiker": "ref hiker", "hut": r"ref hut, usually zipf\(1(\.\d)?\)",
        "visit": r"= ordinal\(\)",
        "arrival": r"date 2026-06-15\.\.2026-09-30, usually on fri \| sat",
        "departure": r"date arrival\+1d\.\.arrival\+14d, usually low",
        "party": r"integer 1\.\.12, usually geometric\(0\.4[3-7]\)",
        "status": r"one of booked 5\d% \| arrived (29|30|31)% \| left (9|10|11)% \| cancelled \d%",
        "seen_at": r"datetime arrival\+12h\.\.arrival\+22h zone .*, usually hours\(.*15\.\.18 \d\d%.*\), "
                   r'present if status in \["arrived", "left"\]',
        "bunk": r'integer 1\.\.hut\.beds, present if status in \["arrived", "left"\]',
        "route": r"from routes\.route", "walk": r"from routes\.walk",
        "due": r"= round\(party \* days\(departure - arrival\) \* hut\.price \* \(if hiker\.member then 0\.8 else 1\), [12]\)",
        "so_far": r"= running\(due\)", "slip": "sentence",
    },
}  # fmt: skip


@pytest.mark.parametrize("form", ["csv", "json", "xml", "parquet", "xlsx"])
def test_the_demo_is_found_again(form: str, demo: Path, yurt: Run) -> None:
    if form not in ("csv", "json", "xml"):
        yurt("generate", "yurt-demo/huts.yaml", "--format", form, "--out", f"yurt-demo/{form}/")
    done = yurt("draft", f"yurt-demo/{form}", "--out", "draft.yaml")
    assert b"100% accepted by the draft" in done.stderr
    text = (demo / "draft.yaml").read_text("utf-8")
    assert "locale: {de-AT: 45%, it-IT: 25%, sl-SI: 20%, fr-FR: 10%}" in text
    for record, wanted in DEMO.items():
        found = fields_of(demo / "draft.yaml", record)
        for name, line in wanted.items():
            assert re.fullmatch(line, found[name]), (record, name, found[name])
    stay = yaml.safe_load(text)["records"]["stay"]
    assert stay["count"] == "0..5 per hiker"
    assert stay["always"] == ["arrival >= hut.opens"]
    when = stay["fields"]["board"]["when"]
    assert list(when) == ["hut.beds < 20", "party > 6", "else"]
    assert when["hut.beds < 20"] == "one of none"
    assert Counter(re.findall(r"[a-z]+", when["else"])) == Counter(["one", "of", "half", "none", "full"])
    refund = stay["fields"]["refund"]["by status"]
    assert refund["booked | arrived | left"] in ("one of 0.00", "one of 0") and refund["cancelled"].startswith(
        "decimal 0.0"
    )
    home = fields_of(demo / "draft.yaml", "hiker")["home"]
    assert home == {"nested": {"city": "city", "zip": "postal-code"}}
    assert fields_of(demo / "draft.yaml", "hiker")["member"].startswith("boolean 3")
    # It is a schema like any other, and all files follow it, in the words of the validator.
    yurt("check", "draft.yaml")
    told = json.loads(yurt("verify", "draft.yaml", f"yurt-demo/{form}", "--json", code=None).stdout)
    assert not told["violations"] and {each["rows"] for each in told["files"]} == {24, 3000, 7434}


@pytest.mark.parametrize("seed", range(200 if FULL else 30))
def test_random_schemas_are_found_again(seed: int, tmp_path: Path, yurt: Run) -> None:
    form = ("csv", "json", "jsonl")[seed % 3]
    (tmp_path / "made.yaml").write_text(schema_of(composed(seed)[0], 600), "utf-8")
    yurt("generate", "made.yaml", "row", "--seed", 1, "--today", "2026-06-01", "--out", f"row.{form}")
    told = yurt("draft", f"row.{form}", "--out", "draft.yaml", "--report").stderr.decode()
    distances = [float(each) for each in re.findall(r"([\d.]+) (?:KS|TV)", told)]
    assert max(distances, default=0) < 0.15, told
    found = json.loads(yurt("verify", "draft.yaml", f"row.{form}", "--json", code=None).stdout)
    broken = sum(each["count"] for each in found["violations"])
    assert broken <= 6, found["violations"]


DICE = np.random.default_rng(20)
START = date(2026, 1, 1)


def days(count: int) -> list[date]:
    return [START + timedelta(int(each)) for each in DICE.integers(0, 365, count)]


def words(count: int, *parts: str) -> list[str]:
    return [str(each) for each in DICE.choice(parts, count)]


def _iban(account: str) -> str:
    return f"AT{98 - int(account + '102900') % 97:02}{account}"


N = 2000
# A column of values as a file has them, and the line that a person would write.
SHAPES: dict[str, tuple[list[str], str]] = {
    "numbers": ([str(each) for each in DICE.integers(1, 101, N)], r"integer 1\.\.100"),
    "steps": ([str(each) for each in DICE.integers(0, 20, N) * 25], r"integer 0\.\.475 step 25"),
    "prices": ([f"{each / 20:.2f}" for each in DICE.integers(200, 1900, N)], r"decimal 10\.00\.\.9[45]\.\d0 step 0\.05"),
    "normal": ([str(int(each)) for each in DICE.normal(500, 60, N)], r"integer \d+\.\.\d+, usually normal\((49\d|50\d), (5[5-9]|6\d)\)"),
    "lognormal": ([f"{each:.2f}" for each in DICE.lognormal(4, 0.7, N)], r"decimal .*, usually (lognormal\(5\d, 0\.[67]\d*\)|gamma\(.*\))"),
    "falling": ([str(int(each)) for each in DICE.exponential(90, N)], r"integer 0\.\.\d+, usually (exponential|geometric)\(.*\)"),
    "summits": ([str(int(each)) for each in np.where(DICE.random(N) < 0.7, DICE.normal(80, 15, N), DICE.normal(250, 25, N))],
                r"integer .*, usually normal\(\d+, \d+\) \d+% \| normal\(\d+, \d+\) \d+%"),
    "mostly_none": ([str(each) for each in np.where(DICE.random(N) < 0.6, 0, DICE.integers(100, 900, N))],
                    r"integer 0\.\.\d+, usually histogram\(0\.\.0 (5|6)\d%, .*\)"),
    "codes": ([f"{each:05}" for each in DICE.integers(0, 99999, N)], r"/\\d\{5\}/"),
    "fixed": ([f"HK-{each}" for each in DICE.integers(10000, 99999, N)], r"/HK-\[1-9\]\\d\{4\}/"),
    "either": ([f"{a}{b}" for a, b in zip(words(N, "A", "B"), DICE.integers(100, 1000, N), strict=True)], r"/\[AB\]\[1-9\]\\d\{2\}/"),
    "hexadecimal": (["".join(DICE.choice(list("0123456789abcdef"), 12)) for _ in range(N)], r"/\[0-9a-f\]\{12\}/, unique"),
    "weights": (words(N, *["red"] * 6, *["green"] * 3, "blue"), r"one of red (5|6)\d% \| green (2|3)\d% \| blue \d+%"),
    "even": (words(N, "north", "south"), r"one of north \| south"),
    "scores": (words(N, "10", "20", "50", "100"), r"one of 10 \| 20 \| 50 \| 100"),
    "truth": (words(N, "ja", "nein"), r'boolean, as "ja \| nein"'),
    "german_days": ([f"{each:%d.%m.%Y}" for each in days(N)], r'date 2026-01-01\.\.2026-12-31, as "%d\.%m\.%Y"'),
    "american_days": ([f"{each:%m/%d/%Y}" for each in days(N)], r'date 2026-01-01\.\.2026-12-31, as "%m/%d/%Y"'),
    "workdays": ([f"{each}" for each in days(3 * N) if each.weekday() < 5][:N], r"date 2026-01-01\.\.2026-12-31, on mon\.\.fri"),
    "moments": ([f"{day}T{hour:02}:{minute:02}:00" for day, hour, minute in
                 zip(days(N), DICE.choice([8, 9, 17], N, p=[0.4, 0.4, 0.2]), DICE.integers(0, 60, N), strict=True)],
                r"datetime 2026-01-01T00:00\.\.2026-12-31T23:59 step 1min, usually hours\(8\.\.9 (7|8)\d%, 17 (1|2)\d%\)"),
    "minutes": ([f"{7 + each // 4:02}:{each % 4 * 15:02}" for each in DICE.integers(0, 40, N)], r'time 07:00\.\.16:45 step 15min, as "%H:%M"'),
    "offsets": ([f"{day}T08:00:{second:02}+02:00" for day, second in zip(days(N), DICE.integers(0, 60, N), strict=True)],
                r"datetime 2026-\S+\.\.2026-\S+ zone \+02:00(, .*)?"),
    "euros": ([f"€ {each:,.2f}".replace(",", "x").replace(".", ",").replace("x", ".") for each in DICE.uniform(900, 9000, N)],
              r'decimal \d+\.\d\d\.\.\d+\.\d\d, as "€ 1\.000,00"'),
    "thousands": ([f"{each:,}" for each in DICE.integers(1000, 90000, N)], r'integer \d+\.\.\d+, as "1,000"'),
    "sparse": ([str(each) if DICE.random() < 0.7 else "" for each in DICE.integers(1, 9, N)], r"integer 1\.\.8, missing (2[7-9]|3[0-3])%"),
    "nothing": ([""] * N, r"text 1\.\.20, missing 100%"),
    "mails": ([f"guest{each}@example.org" for each in range(N)], r"email, unique"),
    "ibans": ([_iban(f"19043{each:011}") for each in DICE.integers(1, 10**10, N)], r"iban"),
    "cards": ([(stem := f"40128{each:010}") + luhn.calc_check_digit(stem) for each in DICE.integers(1, 10**9, N)], r"cc-number"),
    "notes": ([" ".join(DICE.choice(["the", "lamp", "in", "room", "does", "not", "work", "again"], 8)) for _ in range(N)], r"sentence"),
    "lists": ([json.dumps(list(map(str, DICE.choice(["a", "b", "c"], DICE.integers(1, 4), replace=False)))) for _ in range(N)],
              r"list 1\.\.3 of \(?one of a.*\)?, distinct"),
}  # fmt: skip


def test_each_shape_gets_the_line_of_a_person(tmp_path: Path, yurt: Run) -> None:
    with (tmp_path / "things.csv").open("w", encoding="utf-8", newline="") as out:
        csv.writer(out).writerows([[*SHAPES], *zip(*(values for values, _ in SHAPES.values()), strict=True)])
    told = yurt("draft", "things.csv", "--out", "draft.yaml").stderr.decode()
    found = fields_of(tmp_path / "draft.yaml", "things")
    wrong = {name: found[name] for name, (_, line) in SHAPES.items() if not re.fullmatch(line, str(found[name]))}
    assert not wrong
    assert f"{N:,} rows (all read), 100% accepted" in told


def test_columns_that_go_together(tmp_path: Path, yurt: Run) -> None:
    places = {"Graz": "Styria", "Leoben": "Styria", "Linz": "Upper", "Wels": "Upper", "Lienz": "Tyrol"}
    dice = random.Random(4)
    rows = []
    for number in range(1500):
        valley = dice.choice(list(places))
        quantity, price = dice.randint(1, 9), round(dice.uniform(5, 90), 2)
        begin = START + timedelta(dice.randint(0, 300))
        tier = dice.choice(["gold", "none", "none"])
        rows.append({
            "order": f"B{number:05}", "valley": valley, "land": places[valley], "quantity": quantity, "price": f"{price:.2f}",
            "total": f"{round(quantity * price + 1e-9, 2):.2f}", "begin": begin, "end": begin + timedelta(dice.randint(0, 6)),
            "tier": tier, "points": dice.randint(1, 500) if tier == "gold" else "",
            "height": (height := dice.randint(150, 200)), "weight": round(height * 0.9 - 80 + dice.gauss(0, 6)),
            "kind": dice.choice(["day", "week"]),
        })  # fmt: skip
        rows[-1]["fee"] = dice.randint(1, 5) if rows[-1]["kind"] == "day" else dice.randint(20, 40)
    with (tmp_path / "orders.csv").open("w", newline="") as out:
        writer = csv.DictWriter(out, [*rows[0]])
        writer.writeheader()
        writer.writerows(rows)
    yurt("draft", "orders.csv", "--out", "draft.yaml")
    whole = yaml.safe_load((tmp_path / "draft.yaml").read_text("utf-8"))
    found = whole["records"]["orders"]["fields"]
    assert found["order"] == r"/B\d{5}/, unique"
    assert (found["valley"], found["land"]) == ("from valleys.valley", "from valleys.land")
    listed = whole["value-lists"]["valleys"]
    assert {row["valley"]: row["land"] for row in (listed["rows"] if isinstance(listed, dict) else listed)} == places
    assert found["total"] == "= round(quantity * price, 2)"
    assert found["end"] == "date begin..begin+6d"
    assert re.fullmatch(r'integer 1\.\.500, present if tier == "gold"', found["points"])
    assert re.search(r"tracks height by 0\.(8|9)\d*", found["weight"])
    assert found["fee"] == {"by kind": {"week": "integer 20..40", "day": "integer 1..5"}} or (
        found["fee"]["by kind"]["day"] == "integer 1..5"
    )
    # The drawn rows have the same relations, seen by SciPy.
    drawn = list(
        csv.DictReader(io.StringIO(yurt("generate", "draft.yaml", "--seed", 9, "--format", "csv").stdout.decode()))
    )
    ranks = stats.spearmanr([int(each["height"]) for each in drawn], [int(each["weight"]) for each in drawn]).statistic
    asked = stats.spearmanr([each["height"] for each in rows], [each["weight"] for each in rows]).statistic
    assert abs(ranks - asked) < 0.05
    assert {(each["valley"], each["land"]) for each in drawn} == set(places.items())


def test_short_lines_for_what_belongs_together(tmp_path: Path, yurt: Run) -> None:
    dice = random.Random(8)
    rows = []
    for _ in range(1200):
        ascent = dice.gauss(900, 150)
        hours = ascent / 300 + dice.gauss(0, 0.3)
        season = dice.choice(["summer", "winter"])
        # Three winter walks are with boots: too few to say so, and still rows that the draft accepts.
        shoes = dice.choices(["boots", "shoes", "spikes"], [60, 39, 1] if season == "summer" else [0, 0, 1])[0]
        rows.append([round(ascent), round(hours, 1), round(hours * 9 + dice.gauss(0, 2)), season, shoes])
    for row in [each for each in rows if each[3] == "winter"][:3]:
        row[4] = "boots"
    with (tmp_path / "walks.csv").open("w", newline="") as out:
        csv.writer(out).writerows([["ascent", "hours", "thirst", "season", "gear"], *rows])
    told = yurt("draft", "walks.csv", "--out", "draft.yaml").stderr.decode()
    found = yaml.safe_load((tmp_path / "draft.yaml").read_text("utf-8"))["records"]["walks"]["fields"]
    assert "1,200 rows (all read), 100% accepted" in told
    # The correlation of thirst and ascent follows from the two others.
    assert re.search(r"tracks ascent by 0\.[789]", found["hours"])
    assert re.search(r"tracks hours by 0\.[789]\d*$", found["thirst"]) and "ascent" not in found["thirst"]
    table = found["gear"]["by season"]
    assert set(re.findall(r"boots|shoes|spikes", table["winter"])) == {"boots", "shoes", "spikes"}
    assert re.match(r"one of spikes 9[78]%", table["winter"])
    drawn = list(csv.reader(io.StringIO(yurt("generate", "draft.yaml", "--seed", 2).stdout.decode())))[1:]
    ranks = [stats.spearmanr([row[0] for row in some], [row[2] for row in some]).statistic for some in (
        [[float(each) for each in row[:3]] for row in (rows if which else drawn)] for which in (0, 1)
    )]  # fmt: skip
    assert abs(ranks[0] - ranks[1]) < 0.08


def test_files_that_refer_to_each_other(tmp_path: Path, yurt: Run) -> None:
    dice = random.Random(6)
    huts = [f"{chr(65 + at)}{chr(75 + at % 5)}-{100 + at}" for at in range(20)]
    (tmp_path / "huts.csv").write_text("code,beds\n" + "".join(f"{each},{dice.randint(10, 90)}\n" for each in huts))
    people = [f"G{at:04}" for at in range(400)]
    guides = ["", *[dice.choice(people[: at or 1]) for at in range(1, 400)]]
    (tmp_path / "guests.csv").write_text(
        "id,leader\n" + "".join(f"{a},{b}\n" for a, b in zip(people, guides, strict=True))
    )
    lines = [
        f"{person},{nr},{dice.choices(huts, [1 / (at + 1) for at in range(20)])[0]},{dice.choice(people)}\n"
        for person in people for nr in range(1, dice.randint(1, 5))
    ]  # fmt: skip
    (tmp_path / "nights.csv").write_text("guest_id,nr,hut,friend\n" + "".join(lines))
    yurt("draft", "huts.csv", "guests.csv", "nights.csv", "--out", "draft.yaml")
    whole = yaml.safe_load((tmp_path / "draft.yaml").read_text("utf-8"))["records"]
    assert re.fullmatch(r"0\.\.4 per guests(, .*)?", whole["nights"]["count"])
    assert whole["nights"]["fields"]["guest_id"] == "ref guests"
    assert re.fullmatch(r"ref huts, usually zipf\((0\.[89]|1|1\.[0-2])\)", whole["nights"]["fields"]["hut"])
    assert whole["nights"]["fields"]["nr"] == "= ordinal()"
    assert whole["nights"]["fields"]["friend"] == "ref guests"
    assert whole["guests"]["fields"]["leader"].startswith("ref guests")
    yurt("verify", "draft.yaml", "huts.csv", "guests.csv", "nights.csv", code=None)


def test_rare_values_stay_out(tmp_path: Path, yurt: Run) -> None:
    dice = random.Random(8)
    names = [
        f"{''.join(dice.choices('bdfgklmnprst', k=3))}{''.join(dice.choices('aeiou', k=2))}".title() for _ in range(900)
    ]
    rows = [
        {"name": name, "valley": "Secretvale" if at < 6 else dice.choice(["Zell", "Stub", "Pitz"]), "age": 997 if at == 5 else
         dice.randint(18, 80), "code": f"QX{at}" if at < 5 else "AB12", "note": f"asks for {name} at door {at}",
         "pay": 1_234_567 if at == 3 else dice.randint(1500, 4000)}
        for at, name in enumerate(names)
    ]  # fmt: skip
    with (tmp_path / "people.csv").open("w", newline="") as out:
        writer = csv.DictWriter(out, [*rows[0]])
        writer.writeheader()
        writer.writerows(rows)
    told = yurt("draft", "people.csv", "--out", "draft.yaml").stderr.decode()
    text = (tmp_path / "draft.yaml").read_text("utf-8")
    counts: dict[str, Counter[str]] = {}
    for each in csv.DictReader((tmp_path / "people.csv").open()):
        for column, value in each.items():
            counts.setdefault(column, Counter())[value] += 1
    tokens = set(re.findall(r"[\w.:-]+", text))
    for column in ("name", "valley", "code", "note"):
        rare = {value for value, count in counts[column].items() if count < 10}
        assert not rare & tokens and not any(value in text for value in rare if len(value) > 4), column
    assert "997" not in text and "1234567" not in text
    assert "No value of fewer than 10 rows is in the schema." in told
    assert "1 outlier" in told and "name (all" in told and "rare value" in told
    assert "one of Pitz | Stub | Zell" in text
    # Whoever wants them in says so.
    yurt("draft", "people.csv", "--out", "all.yaml", "--seen-in", 1)
    assert "Secretvale" in (tmp_path / "all.yaml").read_text("utf-8")


def test_outliers_are_told_and_not_swallowed(tmp_path: Path, yurt: Run) -> None:
    values = [str(int(each)) for each in DICE.normal(50, 5, 3000)]
    values[10:14] = ["99999", "88888", "n/a", "?"]
    (tmp_path / "a.csv").write_text("x\n" + "\n".join(values) + "\n")
    told = yurt("draft", "a.csv", "--out", "draft.yaml", "--report").stderr.decode()
    text = (tmp_path / "draft.yaml").read_text("utf-8")
    assert "2 of 3,000 rows have something else than an integer" in text
    assert "2 of 2,998 rows are far above this range" in text or "2 of 3,000 rows are far above this range" in text
    assert "99.87% accepted" in told
    found = json.loads(yurt("verify", "draft.yaml", "a.csv", "--json", code=1).stdout)
    assert sum(each["count"] for each in found["violations"]) == 4


def test_the_report_measures(tmp_path: Path, yurt: Run) -> None:
    """The distances are those that SciPy has, between the file and rows that are generated from the draft."""
    values = [int(each) for each in DICE.gamma(2, 30, 4000)]
    kinds = words(4000, *["a"] * 5, *["b"] * 4, "c")
    (tmp_path / "a.csv").write_text(
        "x,kind\n" + "".join(f"{x},{kind}\n" for x, kind in zip(values, kinds, strict=True))
    )
    told = yurt("draft", "a.csv", "--out", "draft.yaml", "--report").stderr.decode()
    drawn = list(
        csv.DictReader(
            io.StringIO(yurt("generate", "draft.yaml", "--format", "csv", "--seed", 918273645).stdout.decode())
        )
    )
    asked = re.search(r"  x .* ([\d.]+) KS", told)
    assert asked is not None
    assert abs(float(asked[1]) - stats.ks_2samp(values, [int(each["x"]) for each in drawn]).statistic) < 0.0006
    shares = [Counter(kinds), Counter(each["kind"] for each in drawn)]
    variation = sum(abs(shares[0][each] - shares[1][each]) for each in "abc") / 4000 / 2
    asked = re.search(r"  kind .* ([\d.]+) TV", told)
    assert asked is not None
    assert abs(float(asked[1]) - variation) < 0.0006


def test_a_large_file_is_read_once_and_thinned(tmp_path: Path, yurt: Run) -> None:
    count = 300_000
    table = pa.table({
        "id": np.arange(1, count + 1), "height": np.clip(DICE.normal(1700, 90, count), 1300, 2100).astype(np.int64),
        "mark": DICE.choice(["x", "y"], count), "twice": np.where(np.arange(count) == 299_999, 5, np.arange(count) + 7),
    })  # fmt: skip
    pq.write_table(table, tmp_path / "big.parquet", row_group_size=30_000)
    told = yurt("draft", "big.parquet", "--out", "draft.yaml", "--rows", 20_000).stderr.decode()
    assert re.search(r"  \s+[1-4]\d,\d{3} rows \(of 300,000\), 100% accepted", told)
    found = fields_of(tmp_path / "draft.yaml", "big")
    assert found["id"] == "sequence"
    assert re.fullmatch(r"integer 1\d{3}\.\.2\d{3}, usually normal\((169\d|170\d), (8\d|90|9\d)\)", found["height"])
    assert "unique" not in found["twice"]
    assert yaml.safe_load((tmp_path / "draft.yaml").read_text())["records"]["big"]["count"] == count


FAULTS: list[tuple[str, bytes, int, str]] = [
    ("empty.csv", b"", 1, "there is no header line"),
    ("head.csv", b"a,b\n", 1, "there are no rows, so nothing can be found"),
    ("bits.csv", bytes(range(256)) * 40, 1, "bits.csv"),
    ("bits.xlsx", bytes(range(256)) * 40, 1, "bits.xlsx"),
    ("cut.json", b'[{"a": 1}, {"a":', 1, "cut.json"),
    ("wide.csv", b",".join(b"c%d" % at for at in range(3000)) + b"\n" + b",".join(b"1" for _ in range(3000)) + b"\n", 1, "3,000 columns"),
    ("deep.json", b"[" + b'{"a":' * 300 + b"1" + b"}" * 300 + b"]", 1, "deep.json"),
    ("short.csv", b"a,b\n1,2\n3\n4,5\n", 1, "short.csv, line 3"),
    ("x.parquet", b"PAR1nothing", 1, "x.parquet"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "data", "code", "told"), FAULTS, ids=[each[0] for each in FAULTS])
def test_broken_samples_are_refused(name: str, data: bytes, code: int, told: str, tmp_path: Path, yurt: Run) -> None:
    (tmp_path / name).write_bytes(data)
    done = yurt("draft", name, "--out", "draft.yaml", code=code)
    assert told in done.stderr.decode() and len(done.stderr) < 2000
    assert not (tmp_path / "draft.yaml").exists()


def test_what_is_not_read_is_told(tmp_path: Path, yurt: Run) -> None:
    (tmp_path / "all/older").mkdir(parents=True)
    (tmp_path / "all/hut.csv").write_text("beds\n4\n8\n16\n")
    (tmp_path / "all/notes.bin").write_bytes(b"x")
    told = yurt("draft", "all").stderr.decode()
    assert "Not read\n  all/notes.bin: no format is known for it\n  all/older: a folder\n" in told
    with closing(sqlite3.connect(tmp_path / "huts.db")) as database:
        database.execute("create table hut (beds integer not null)")
    told = yurt("draft", "sqlite:///huts.db").stderr.decode()
    assert "table hut: it has no rows" in told and "accepted" not in told and "No value" not in told
    # Nothing is written where nothing can be compared.
    yurt("draft", "sqlite:///huts.db", "--report", "--out", "draft.yaml", code=2)
    assert not (tmp_path / "draft.yaml").exists()


def test_wrong_calls_are_refused(demo: Path, yurt: Run) -> None:
    (demo / "there.yaml").write_text("mine")
    for arguments, code, told in (
        (["nothing.csv"], 3, "nothing.csv"),
        (["stays"], 2, "there is no file and no ready record `stays`"),
        (["yurt-demo/csv/hut.csv", "--out", "there.yaml"], 2, "--force overwrites it"),
        (["yurt-demo/csv/hut.csv", "--locale", "xx-XX"], 2, "there is no locale `xx-XX`"),
        (["yurt-demo/csv/hut.csv", "--with", "delimiter"], 2, "write it like delimiter=semicolon"),
        (["person", "--report"], 2, "`person` is a ready record"),
        (["sqlite:///none.db"], 2, "there is no file none.db"),
        (["ftp://example.org/a.html"], 2, "only http and https are read"),
        (["json:Nothing"], 2, "the module has no `Nothing`"),
    ):
        done = yurt("draft", *arguments, code=code)
        assert told in done.stderr.decode(), (arguments, done.stderr)
    assert (demo / "there.yaml").read_text() == "mine"
