"""Constructs of more than one line: several record types, lists from files, reuse, variants, and correlations."""

from __future__ import annotations

import json
import re
from collections import Counter, defaultdict
from collections.abc import Callable
from itertools import product
from pathlib import Path
from typing import Any

import pandas as pd
import pytest
from scipy import stats

import yurt as library
from yurt.core.language.reader import read
from yurt.core.source.diagnostics import Source

from .conftest import schema_of

Rows = dict[str, list[dict[str, Any]]]
FILES = {
    "routes.csv": 'name,km,share,grade\nRidge,12.5,3,2\n"Lake, upper",7.0,1,1\nPass,22.25,0,3\n',
    "words.txt": "alpha\nbeta\n\ngamma\n",
    "ages.csv": "age,open\n" + "".join(f"{20 + (at % 10) ** 2},2026-06-{at % 30 + 1:02}\n" for at in range(200)),
    "common.yaml": "kinds:\n  code: /[A-Z]{2}/\n  money(low, high): decimal low..high step 0.50\nfield-groups:\n  person:\n    given: given-name\n    use place:\n"
    "  place:\n    city: city\nvalue-lists:\n  boards: [none, half, full]\n",
}
PARENTS = """
  land:
    count: 3
    fields: {"k": "sequence from 100", "n": "text \\"L{k}\\""}
  hut:
    count: 30
    fields:
      code: /[A-Z]{3}/, unique
      beds: integer 0..40, usually low
      land: ref land
      above: ref hut
      up: = above.beds
"""
CHILDREN = (
    PARENTS
    + """
  guest:
    count: 200
    fields:
      id: sequence
  stay:
    count: 0..5 per guest, usually low
    fields:
      guest: ref guest
      hut: ref hut, distinct
      busy: ref hut, weighted by beds
      pay: decimal 1.00..20.00, missing 10%
      total: = running(pay)
      last: = previous(pay)
      first: = previous(pay, 0)
      nr: = ordinal()
      at: every 1h from 2026-06-01T08:00
      land: = hut.land.n & hut.land.k
    always:
      - hut.beds >= 0
"""
)


MIXED = """
  p:
    count: 400
    fields:
      id: sequence
      kind: one of a | b
      guests:
        list: 0..4
        nested:
          n: integer 1..9
          if n > 4:
            big: one of yes | sure
          t:
            when:
              n > 5: list 1..2 of integer 1..n
              else: list 0..1 of integer 100..200
          who: full-name of lead
        present if: kind == "a"
      tags:
        by kind:
          a: list 2 of one of x | y, distinct
          b: list 1 of one of z
      home:
        nested:
          if kind == "b":
            zip: postal-code
          more:
            nested: {v: '= id * 2', w: 'date 2026-01-01..2026-02-01, on sat, optional'}
            present if: id > 10
      dur: duration 1h..5h, present if id > 3
      tm: time 08:00..10:00, missing 30%
      x: = dur + 30min
      y: = if kind == "a" then tm else 12:00
      z: = days(2026-06-01 - home.more.w)
    always:
      - kind == "b" or size(guests) > 1
"""


def checked_stays(made: Rows) -> None:
    huts, lands = {hut["code"]: hut for hut in made["hut"]}, {land["k"]: land for land in made["land"]}
    by_guest = defaultdict(list)
    for stay in made["stay"]:
        by_guest[stay["guest"]].append(stay)
        assert stay["land"] == "L{0}{0}".format(huts[stay["hut"]]["land"]) and huts[stay["hut"]]["land"] in lands
    for stays in by_guest.values():
        assert len({stay["hut"] for stay in stays}) == len(stays)
        total, before = 0.0, None
        for number, stay in enumerate(stays, start=1):
            total += stay["pay"] or 0
            assert (stay["nr"], stay["last"], stay["at"][11:13]) == (number, before, f"{7 + number:02}")
            assert stay["first"] == (0 if number == 1 else before) and abs(stay["total"] - total) < 1e-6
            before = stay["pay"]
    sizes = Counter(len(by_guest.get(guest["id"], ())) for guest in made["guest"])
    assert sizes[0] > sizes[2] > sizes[4]
    busy = Counter(stay["busy"] for stay in made["stay"])
    assert (
        stats.spearmanr([hut["beds"] for hut in made["hut"]], [busy[hut["code"]] for hut in made["hut"]]).statistic
        > 0.8
    )
    assert not any(busy[hut["code"]] for hut in made["hut"] if not hut["beds"])


def checked_tree(made: Rows) -> None:
    places = {hut["code"]: at for at, hut in enumerate(made["hut"])}
    assert made["hut"][0]["above"] is None
    for at, hut in enumerate(made["hut"][1:], start=1):
        assert places[hut["above"]] < at
        assert hut["up"] == made["hut"][places[hut["above"]]]["beds"]


def checked_combinations(made: Rows) -> None:
    found = [(row["size"], row["free"], row["n"], row["land"]) for row in made["shirt"]]
    assert found == list(product("SML", (False, True), (1, 3), (100, 101, 102)))
    assert len({(row["a"], row["b"], row["c"]) for row in made["both"]}) == 108
    assert [row["a"] for row in made["all"]] == ["x", "y", "z"]


def checked_lists(made: Rows) -> None:
    routes = {("Ridge", 12.5, 2): 0.75, ("Lake, upper", 7.0, 1): 0.25}
    found = Counter((row["name"], row["km"], row["grade"]) for row in made["row"])
    assert set(found) == set(routes) and all(abs(found[each] / 2000 - share) < 0.05 for each, share in routes.items())
    assert {row["other"] for row in made["row"]} == {"Ridge", "Lake, upper", "Pass"}
    assert [row["word"] for row in made["row"]][:4] == ["alpha", "beta", "gamma", "alpha"]
    ages = Counter(row["age"] for row in made["row"])
    assert set(ages) == {20 + at**2 for at in range(10) if 21 <= 20 + at**2 <= 60} and max(ages.values()) < 1.4 * min(
        ages.values()
    )
    assert {row["board"] for row in made["row"]} == {"half", "full"}
    assert {(row["pair"], row["size"]) for row in made["row"]} == {("a", 1), ("b", 2)}


def checked_reuse(made: Rows) -> None:
    for row in made["row"]:
        assert set(row) == {"code", "price", "given", "city", "board", "own"}
        assert 1 <= row["price"] <= 3 and row["price"] * 2 % 1 == 0 and len(row["code"]) == 2 and row["own"] in (7, 8)


def checked_mixed(made: Rows) -> None:
    for row in made["p"]:
        first = row["kind"] == "a"
        assert (row["guests"] is not None) == first and (row["home"]["zip"] is None) == first
        for guest in row["guests"] or ():
            assert len(row["guests"]) > 1 and (guest["big"] is not None) == (guest["n"] > 4)
            low, high = (1, guest["n"]) if guest["n"] > 5 else (100, 200)
            assert all(low <= each <= high for each in guest["t"])
        assert (row["home"]["more"] is not None) == (row["id"] > 10)
        assert set(row["tags"]) == ({"x", "y"} if first else {"z"})
        assert row["y"] == (row["tm"] if first else "12:00:00")


# A schema, and a check of its records.
SCHEMAS: dict[str, tuple[str, Callable[[Rows], None]]] = {
    "children": (CHILDREN, checked_stays),
    "tree": (PARENTS, checked_tree),
    "mixed": (MIXED, checked_mixed),
    "combinations": (
        PARENTS
        + "  shirt:\n    count: every combination of size, free, n, land\n    fields: {size: 'one of S | M | L', free: 'boolean', n: 'integer 1..3 step 2', land: 'ref land', more: 'uuid'}\n"
        "  both:\n    count: 108\n    unique: a, b, c\n    fields: {a: 'integer 1..9', b: 'one of x | y | z | w', c: 'date 2026-01-01..2026-01-03'}\n"
        "  all:\n    count: every combination of a\n    fields: {a: '/[xyz]/'}\n",
        checked_combinations,
    ),
    "lists": (
        '  row:\n    count: 2000\n    fields:\n      name: from routes.name\n      km: from routes.km\n      grade: from routes.grade\n      other: from "routes.csv".name\n'
        '      word: from "words.txt", in turn\n      age: integer 21..60, usually as in "ages.csv".age\n      board: from boards, without "n"\n      pair: from pairs.n\n      size: from pairs.s\n'
        '      day: date 2026-06-05..2026-06-20, usually as in "ages.csv".open\n'
        "value-lists:\n  routes: {file: routes.csv, weight: share}\n  boards: [none, half, full]\n  pairs:\n    - {n: a, s: 1}\n    - {n: b, s: 2}\n",
        checked_lists,
    ),
    "reuse": (
        "  row:\n    count: 50\n    fields:\n      use person:\n      code: code, unique\n      price: money(1.00, 3.00)\n      board: from boards\n      own: seven\n"
        "include: common.yaml\nkinds:\n  seven: integer 7..8, usually low\n",
        checked_reuse,
    ),
}


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    for name, text in FILES.items():
        (tmp_path / name).write_text(text)
    return tmp_path


@pytest.mark.parametrize("name", SCHEMAS)
def test_a_schema_makes_what_it_says(name: str, folder: Path, yurt: Any) -> None:
    text, check = SCHEMAS[name]
    (folder / "s.yaml").write_text(f"yurt: 1\nseed: 5\ntoday: 2026-06-01\nrecords:\n{text}")
    yurt("generate", "s.yaml", "--out", "out/", "--format", "json")
    made = {path.stem: json.loads(path.read_text()) for path in (folder / "out").iterdir()}
    check(made)
    for record, rows in made.items():
        part = yurt("generate", "s.yaml", record, "--rows", "14..17", "--format", "json", code=None).stdout
        assert len(rows) < 14 or json.loads(part) == rows[13:17]


# Two or three fields, with the requested rank correlations by pairs of names.
CORRELATED = {
    "uniform, normal": (
        "a: integer 1..100000\nb: decimal 0.00..500.00, usually normal(250, 60), tracks a by 0.6",
        {("a", "b"): 0.6},
    ),
    "skewed, negative": (
        "a: integer 0..1000, usually exponential(90)\nb: decimal 1.00..900.00, usually pareto(1.2), tracks a by -0.75",
        {("a", "b"): -0.75},
    ),
    "dates, low": (
        "a: date 2020-01-01..2026-12-31, usually low\nb: integer 1..500, usually beta(2, 5), tracks a by 0.3",
        {("a", "b"): 0.3},
    ),
    "histogram, times": (
        "a: integer 0..999, usually histogram(0..99 70%, 500..599 30%)\nb: time 08:00..20:00, usually high, tracks a by 0.9",
        {("a", "b"): 0.9},
    ),
    "mixture, outliers": (
        "a: integer 1..5000, usually normal(1000, 200) 60% | normal(4000, 300)\nb: decimal 0.00..9999.99, usually exponential(90), outliers 10%, tracks a by 0.7",
        {("a", "b"): 0.7},
    ),
    "profiles": (
        "a: datetime 2026-01-01..2026-12-31, usually hours(7..9 60%) and weekdays(sat 40%)\nb: date 2026-01-01..2026-12-31, usually months(jul 50%), tracks a by -0.5",
        {("a", "b"): -0.5},
    ),
    "chosen days": (
        "a: date 2020-01-01..2026-12-31, on sat | sun\nb: integer 1..999, usually zipf(1), tracks a by 0.4",
        {("a", "b"): 0.4},
    ),
    "among three": (
        "a: integer 1..9999\nb: integer 1..9999, usually lognormal(400, 1), tracks a by 0.5\nc: decimal 0.00..99.99, tracks a by 0.4, tracks b by -0.3",
        {("a", "b"): 0.5, ("a", "c"): 0.4, ("b", "c"): -0.3},
    ),
}


@pytest.mark.parametrize("name", CORRELATED)
def test_ranks_are_correlated_as_asked(name: str) -> None:
    lines, asked = CORRELATED[name]
    schema, _ = read(Source("s", schema_of(lines, 40_000)))
    made = library.table(schema, "row", seed=2).to_pandas()
    for (one, other), rank in asked.items():
        assert abs(stats.spearmanr(made[one], made[other]).statistic - rank) < 0.02
    # The distribution of each field alone is unchanged.
    alone, _ = read(Source("s", schema_of(re.sub(r", tracks \w by [-.\d]+", "", lines), 40_000)))
    free = library.table(alone, "row", seed=3).to_pandas()
    for name in made.columns:
        numbers = [
            pd.factorize(pd.concat([made[name], free[name]]), sort=True)[0][part]
            for part in (slice(40_000), slice(40_000, None))
        ]
        assert stats.ks_2samp(*numbers).pvalue > 1e-6


def test_many_fields_that_track_each_other_stay_cheap() -> None:
    lines = "f0: integer 1..999\nf1: integer 1..999\n" + "".join(
        f"f{at}: integer 1..999, tracks f{at - 1} by 0.3, tracks f{at - 2} by 0.3\n" for at in range(2, 60)
    )
    schema, _ = read(Source("s", schema_of(lines, 20_000)))
    made = library.table(schema, "row", seed=4).to_pandas()
    assert all(abs(stats.spearmanr(made[f"f{at}"], made[f"f{at - 2}"]).statistic - 0.3) < 0.05 for at in (2, 30, 59))


def test_a_record_type_that_is_not_needed_is_not_in_the_way(folder: Path, yurt: Any) -> None:
    text = (
        schema_of("p: ref p\nn: integer 1..9", 4)
        + "  p: {count: 3, fields: {k: 'sequence'}}\n  full: {count: 1..30, fields: {k: 'integer 1..5, unique'}}\n"
    )
    (folder / "s.yaml").write_text("seed: 3\n" + text)
    assert len(yurt("generate", "s.yaml", "row").stdout.split()) == 5
    assert b"full.k is unique, but has only 5" in yurt("generate", "s.yaml", "--out", "o/", code=1).stderr


def test_variants_replace_fields_and_counts(folder: Path, yurt: Any) -> None:
    text = (
        schema_of("n: integer 1..3\nm: uuid", 5)
        + "variants:\n  peak:\n    row.n: integer 7..9\n    row.count: 8\n  odd: {'row.n': 'one of 11'}\n"
    )
    (folder / "s.yaml").write_text(text)

    def numbers(*more: str) -> list[int]:
        return [
            row["n"] for row in json.loads(yurt("generate", "s.yaml", "--format", "json", "--seed", 1, *more).stdout)
        ]

    assert len(numbers()) == 5 and set(numbers()) <= {1, 2, 3}
    assert len(numbers("--variant", "peak")) == 8 and set(numbers("--variant", "peak")) <= {7, 8, 9}
    assert numbers("--variant", "peak", "--variant", "odd") == [11] * 8
    assert numbers("--variant", "peak", "--set", "row.n=one of 5") == [5] * 8
    assert b"did you mean `peak`?" in yurt("generate", "s.yaml", "--variant", "peek", code=2).stderr


# Files by name, the place of the mistake, and a part of its message.
FAULTY = [
    ({"s.yaml": "include: nothing.yaml\n" + schema_of("a: uuid")}, "s.yaml:1:10: there is no file"),
    ({"s.yaml": "include: c.yaml\n" + schema_of("a: uuid"), "c.yaml": "kinds:\n  x: integr 1..5\n"},
        "c.yaml:2:6: `integr` is not a type"),
    ({"s.yaml": "include: c.yaml\n" + schema_of("a: uuid"), "c.yaml": "records: 1\n"},
        "c.yaml:1:1: unknown key `records` in an included file"),
    ({"s.yaml": schema_of("a: uuid") + "kinds:\n  x(n): integer 1..m\n"}, None),
    ({"s.yaml": schema_of("a: x(1, 2)") + "kinds:\n  x(n): integer 1..n\n"},
        "s.yaml:6:10: `x` takes 1 arguments, not 2"),
    ({"s.yaml": schema_of("a: x") + "kinds:\n  x: y\n  y: uuid\n"}, "s.yaml:6:10: unknown kind `y`"),
    ({"s.yaml": schema_of("a: city(1)")}, "s.yaml:6:15: `script` is not one of its words"),
    ({"s.yaml": schema_of("a: eui-48(1)")}, "s.yaml:6:17: `eui-48` takes at most 0 arguments"),
    ({"s.yaml": schema_of("use persn:") + "field-groups:\n  person: {a: uuid}\n"},
        "s.yaml:6:7: there is no field group `persn`"),
    ({"s.yaml": schema_of("use p:") + "field-groups:\n  p:\n    use p:\n"},
        "s.yaml:9:5: the field group `p` uses itself"),
    ({"s.yaml": schema_of("a: from routs.name") + "value-lists:\n  routes: [x]\n"},
        "s.yaml:6:10: there is no list `routs`"),
    ({"s.yaml": schema_of('a: from "r.csv".nam'), "r.csv": "name\nx\n"},
        "s.yaml:6:10: the list `r.csv` has no column `nam`"),
    ({"s.yaml": schema_of('a: from "r.csv".name')}, "s.yaml:6:10: there is no file r.csv"),
    ({"s.yaml": schema_of('a: from "r.csv".name'), "r.csv": "name,b\nx\n"},
        "s.yaml:6:10: r.csv, record 2: 1 cells, and the header has 2"),
    ({"s.yaml": schema_of('a: from "r.csv".name'), "r.csv": "name\n"}, "s.yaml:6:10: r.csv has 0 rows"),
    ({"s.yaml": "include: /dev/zero\n" + schema_of("a: uuid")}, "s.yaml:1:10: /dev/zero is not a file that can be read"),
    ({"s.yaml": schema_of('a: from "/dev/zero".x')}, "/dev/zero is not a file that can be read as a whole"),
    (
        {
            "s.yaml": "yurt: 1\nfield-groups:\n  s0: {a: uuid}\n"
            + "".join(
                f"  s{at}:\n    if 1 > 2: {{use s{at - 1}: }}\n    if 2 > 1: {{use s{at - 1}: }}\n"
                for at in range(1, 14)
            )
            + schema_of("use s13:").replace("yurt: 1\n", "")
        },
        "field groups are used more than 2,000 times",
    ),
    (
        {
            "s.yaml": "yurt: 1\nkinds:\n  k0: city\n"
            + "".join(f'  k{at}: text "{{draw(k{at - 1})}}{{draw(k{at - 1})}}"\n' for at in range(1, 14))
            + schema_of("a: k13").replace("yurt: 1\n", "")
        },
        "kinds of the schema's own are used more than 5,000 times",
    ),
    (
        {
            "s.yaml": schema_of('a: from r.x, in turn\nb: from r.y, without "q"')
            + "value-lists:\n  r: [{x: 1, y: q}, {x: 1, y: p}]\n"
        },
        "s.yaml:7:7: the rows of `r` are counted at `a`",
    ),
    (
        {
            "s.yaml": schema_of('a: from r.x, in turn, without "2"\nb: from r.y')
            + "value-lists:\n  r: [{x: 1, y: q}, {x: 1, y: p}, {x: 2, y: z}]\n"
        },
        None,
    ),
    (
        {
            "s.yaml": schema_of("a: from r.x, in turn\nb: from r.y, usually low")
            + "value-lists:\n  r: [{x: 1, y: q}, {x: 1, y: p}]\n"
        },
        "`a` already determines how the rows of `r` are taken",
    ),
    ({"s.yaml": schema_of("a: uuid") + "value-lists:\n  r: {file: r.csv, weight: n}\n", "r.csv": "n\nx\n"},
        "the column `n` has no weights"),
    (
        {"s.yaml": schema_of("a: from r") + "value-lists:\n  r: e.csv\n", "e.csv": ""},
        "e.csv is empty\n  8 |   r: e.csv\n    |      ^^^^^\n    expected: a header line, and a line for each row\n\n1 mistake",
    ),
    ({"s.yaml": schema_of("a: uuid") + "variants:\n  p: {row.b: uuid}\n"}, None),
    ({"s.yaml": schema_of("a: uuid") + "variants:\n  p:\n    row.a: integer 1.5\n"},
        "s.yaml:9:22: the end of the line is missing"),
    ({"s.yaml": schema_of("a: integer 1..9\nb: uuid", tail="    unique: a\n")},
        "s.yaml:8:13: two or more different fields"),
    ({"s.yaml": schema_of("a: integer 1..9\nb: given-name", tail="    unique: a, b\n")},
        "s.yaml:7:7: `b` cannot be unique together: `given-name` repeats"),
    ({"s.yaml": schema_of("a: integer 1..3\nb: boolean", 7, tail="    unique: a, b\n")},
        "`a, b` are unique together, but have only 6"),
    ({"s.yaml": schema_of("a: integer 1..3", "every combination of b")}, "there is no field `b` in `row`"),
    ({"s.yaml": schema_of("a: integer 1..3, usually low", "every combination of a")},
        "`a` cannot be combined: `usually low` favours"),
    ({"s.yaml": schema_of("a:\n  nested:\n    b: integr\n  unique: yes")}, "s.yaml:8:14: unknown kind `integr`"),
    ({"s.yaml": schema_of("a:\n  nested:\n    b: = c\n  uniq: yes\n")}, "s.yaml:9:9: `uniq` is not valid here"),
    ({"s.yaml": schema_of("a:\n  nested:\n    b: = c\n")}, "s.yaml:8:16: there is no field `c`"),
]  # fmt: skip


@pytest.mark.parametrize(("files", "message"), FAULTY)
def test_mistakes_in_what_is_reused(files: dict[str, str], message: str | None, tmp_path: Path, yurt: Any) -> None:
    for name, text in files.items():
        (tmp_path / name).write_text(text)
    told = yurt("check", "s.yaml", code=None).stderr.decode()
    assert message is None or message in told, told
    assert message is not None or not told, told
