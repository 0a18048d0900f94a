"""Where two features meet: usual values and cases, open kinds and verdicts, groups and rules, functions and boundaries."""

from __future__ import annotations

import csv
import io
import json
import operator
import re
import sqlite3
from collections import Counter
from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal
from math import ceil, floor
from pathlib import Path
from typing import Any

import pytest
from scipy.stats import chisquare

from yurt.core.cases.case import Beside, Case, because
from yurt.core.cases.earlier_children import torn

from .conftest import read_csv, schema_of

TODAY = "today: 2026-06-01\nseed: 3\n"


def cases_of(yurt: Any, folder: Path, lines: str, *options: str, tail: str = "") -> list[dict[str, Any]]:
    """Return the cases that the program writes as JSON, with their labels."""
    (folder / "s.yaml").write_text(schema_of(lines, 40, TODAY, tail))
    done = yurt("cases", "s.yaml", "--out", "-", "--format", "json", *options)
    found: list[dict[str, Any]] = json.loads(done.stdout)
    return found


# ---- what is usual changes no case -----------------------------------------------------------------------------------

USUAL = {
    "integer 3..40": ["low", "normal(9, 2)", "geometric(0.2)", "histogram(3..9 60%, 10..40 40%)", "poisson(6)"],
    "decimal 1.50..9.00": ["high", "exponential(2)", "beta(2, 5)"],
    "date 2026-01-01..2026-12-31": ["on fri | sat", "months(jun 60%)", "weekdays(mon 50%, tue 50%)", "high"],
    "datetime 2026-06-01T00:00..2026-06-30T23:00 step 1h": ["hours(7..9 60%, 17 30%)", "normal(2026-06-15T08:00, 3d)"],
    "time 08:00..20:00": ["normal(12:30, 45min)"],
    "text 2..12 of any": ["as given-name", "as word", "as sentence", "as full-name"],
    "/[A-Z0-9 ]{4,9}/": ["as postal-code", "as email"],
}  # fmt: skip


@pytest.mark.parametrize("kind", USUAL)
def test_a_usual_clause_gives_the_same_cases(kind: str, yurt: Any, tmp_path: Path) -> None:
    techniques = [each for name in ("partition", "boundary", "syntax") for each in ("--technique", name)]
    plain = {
        (each["case"]["id"], each["case"]["expected"]) for each in cases_of(yurt, tmp_path, f"n: {kind}", *techniques)
    }
    assert len(plain) > 4
    for clause in USUAL[kind]:
        found = cases_of(yurt, tmp_path, f"n: {kind}, usually {clause}", *techniques)
        assert {(each["case"]["id"], each["case"]["expected"]) for each in found} == plain, clause


# ---- open and closed kinds -------------------------------------------------------------------------------------------

# What no list here has, and whether it may be called wrong.
VALUES = {
    "family-name": ({"Öztürk", "O’Hara-Nguyễn", "Ng", "van der Merwe", "Ивановa"}, {"42", "", "x" * 101}),
    "given-name": ({"Ye", "Zoë", "Jean-Luc"}, {"!!", "123"}),
    "city": ({"Llanfairpwllgwyngyll", "Å", "10 Mile House"}, {"", "a\nb"}),
    "street": ({"Unter den Eichen"}, {""}),
    "job-title": ({"Chief Happiness Officer"}, {""}),
    "colour": ({"mauve"}, {""}),
    "media-type": ({"application/vnd.huts+json"}, {""}),
    "country-code": ({"AT"}, {"ZZ", "at", "Austria"}),
    "any-country-code": ({"AT", "JP"}, {"ZZ", "UK"}),
    "any-currency-code": ({"EUR", "JPY"}, {"ABC", "DEM"}),
    "time-zone": ({"Europe/Vienna", "Asia/Tokyo"}, {"Europe/Graz", "CEST!"}),
    "blood-group": ({"AB-"}, {"C+"}),
}  # fmt: skip


@pytest.mark.parametrize("kind", VALUES)
def test_a_list_that_nobody_can_complete_makes_no_value_wrong(kind: str, yurt: Any, tmp_path: Path) -> None:
    right, wrong = VALUES[kind]
    (tmp_path / "s.yaml").write_text(schema_of(f"n: {kind}", 1, "locale: de-AT\n"))
    for values, code in ((right, 0), (wrong, 1)):
        out = io.StringIO()
        csv.writer(out, quoting=csv.QUOTE_ALL).writerows([["n"], *([each] for each in sorted(values))])
        (tmp_path / "row.csv").write_text(out.getvalue())
        told = yurt("verify", "s.yaml", "row.csv", "--json", "--limit", 99, code=code).stdout
        assert sum(each["count"] for each in json.loads(told)["violations"]) == (len(values) if code else 0)


@pytest.mark.parametrize(
    "kind", [name for name, (right, _) in VALUES.items() if not right & {"AT", "AB-", "EUR", "Europe/Vienna"}]
)
def test_no_case_rejects_what_is_not_in_an_open_list(kind: str, yurt: Any, tmp_path: Path) -> None:
    found = cases_of(yurt, tmp_path, f"n: {kind}")
    assert not [each for each in found if each["case"]["expected"] == "reject" and each["case"]["violates"] == "list"]
    own = cases_of(yurt, tmp_path, "n: from names.value", tail="value-lists:\n  names: [Gasser, Winkler]\n")
    assert [each for each in own if each["case"]["violates"] == "list"]


@pytest.mark.parametrize(
    ("file", "code"),
    [("de-AT/only-family-names.txt", 1), ("only-family-names.txt", 1), ("de-AT/family-names.txt", 0), ("family-names.txt", 0),
        ("de-LI/facts.yaml", 0), ("de-LI/only-family-names.txt", 1)],
)  # fmt: skip
def test_a_list_is_complete_where_it_replaces_ours(file: str, code: int, yurt: Any, tmp_path: Path) -> None:
    locale = "de-LI" if "LI" in file else "de-AT"
    (tmp_path / "lists" / "de-LI").mkdir(parents=True)
    (tmp_path / "lists" / "de-AT").mkdir()
    (tmp_path / "lists" / "de-LI" / "facts.yaml").write_text("like: de-AT\ncountry: Liechtenstein\n")
    if "facts" not in file:
        (tmp_path / "lists" / file).write_text("Marxer\nBeck\n")
    (tmp_path / "s.yaml").write_text(schema_of("n: family-name", 9, f"locale: {locale}\nlist-folder: lists\n"))
    yurt("generate", "s.yaml", "--seed", 1, "--out", "row.csv")
    yurt("verify", "s.yaml", "row.csv")
    (tmp_path / "row.csv").write_text("n\nÖztürk\n", encoding="utf-8")
    yurt("verify", "s.yaml", "row.csv", code=code)


# ---- boundaries of functions -----------------------------------------------------------------------------------------

# A condition, how its field is read, and whether a value meets it; the two neighbours at the edge must both be there.
EDGES: dict[str, tuple[str, str, Callable[[str], bool], list[str]]] = {
    "age": ("n: date 1990-01-01..2025-12-31", "age(n) >= 14", lambda text: date.fromisoformat(text) <= date(2012, 6, 1),
        ["2012-06-01", "2012-06-02"]),
    "hour": ("n: datetime 2026-06-01T00:00..2026-06-30T23:59", "hour(n) < 14", lambda text: datetime.fromisoformat(text).hour < 14,
        ["T13:59:59", "T14:00:00"]),
    "year": ("n: date 2020-01-01..2029-12-31", "year(n) < 2026", lambda text: text < "2026", ["2025-12-31", "2026-01-01"]),
    "length": ("n: text 1..20", "length(n) >= 5", lambda text: len(text) >= 5, []),
    "never equal": ("n: integer 0..99", "n > 10.5", lambda text: int(text) > 10, ["10", "11"]),
    "steps of two": ("n: integer 0..99", "n * 2 <= 60", lambda text: int(text) <= 30, ["30", "31"]),
    "a step of the field": ("n: integer 0..99 step 3", "60 > n", lambda text: int(text) < 60, ["57", "60"]),
}  # fmt: skip


@pytest.mark.parametrize("name", EDGES)
def test_both_sides_of_a_function_have_a_case(name: str, yurt: Any, tmp_path: Path) -> None:
    lines, rule, meets, edge = EDGES[name]
    found = cases_of(yurt, tmp_path, lines, "--technique", "boundary", tail=f"    always:\n      - {rule}\n")
    for each in found:
        if isinstance(each["n"], str | int) and each["case"]["violates"] in ("", "always"):
            assert meets(str(each["n"])) == (each["case"]["violates"] == ""), each
    values = [str(each["n"]) for each in found if each["case"]["target"] != "n"]
    assert all(any(value.endswith(end) for value in values) for end in edge), values
    assert name != "length" or {4, 5} <= {len(value) for value in values}


# ---- bounds between two values ---------------------------------------------------------------------------------------

# The types of two bounds, and the range between them.
BOUNDS = {
    "finer decimals": ("decimal 0.00..9.99", "decimal 10.01..12.99", "integer a..b"),
    "negative ones": ("decimal -9.99..-5.01", "decimal -4.99..-0.01", "integer a..b"),
    "quotients": ("= k / 7", "= 10 + k / 3", "integer a..b"),
    "quotients and decimals": ("= -k / 7", "= k / 9", "decimal a..b places 1"),
    "decimals": ("decimal 0.000..0.999", "decimal 1.051..1.999", "decimal a..b places 1"),
}  # fmt: skip


@pytest.mark.parametrize("name", BOUNDS)
def test_a_bound_between_two_values_is_moved_inwards(name: str, yurt: Any, tmp_path: Path) -> None:
    low, high, line = BOUNDS[name]
    lines = f"k: integer 1..20\na: {low}\nb: {high}\nn: {line}, usually uniform 50% | low"
    (tmp_path / "s.yaml").write_text(schema_of(lines, 400))
    yurt("generate", "s.yaml", "--seed", 1, "--out", "row.csv")
    rows = read_csv((tmp_path / "row.csv").read_bytes())
    assert all(float(each["a"]) <= float(each["n"]) <= float(each["b"]) for each in rows)
    yurt("verify", "s.yaml", "row.csv")
    # One step outside is wrong, by the validator that does not round.
    step = Decimal("0.1") if "places 1" in line else Decimal(1)
    for wrong in (floor(float(rows[0]["a"]) / float(step)) * step, ceil(float(rows[0]["b"]) / float(step)) * step):
        one = {**rows[0], "n": str(wrong)}
        if not float(one["a"]) <= float(one["n"]) <= float(one["b"]):
            (tmp_path / "row.csv").write_text(",".join(one) + "\n" + ",".join(one.values()) + "\n")
            yurt("verify", "s.yaml", "row.csv", code=1)


# ---- combinations of what may be missing ---------------------------------------------------------------------------


def test_a_missing_value_breaks_no_condition_of_the_combinations(yurt: Any, tmp_path: Path) -> None:
    lines = "a: integer 1..3, missing 20%\nb: integer 1..3, missing 20%\nc: integer 1..4"
    tail = "    always:\n      - a <= b\n      - b <= c\n      - a != c\n"
    found = cases_of(yurt, tmp_path, lines, "--technique", "combinatorial", tail=tail)
    seen = {(each["a"], each["b"]) for each in found} | {(each["a"], ("c", each["c"])) for each in found}
    assert {(None, None), (None, 1), (None, 3), (1, None), (3, None), (None, ("c", 1)), (None, ("c", 4))} <= seen
    assert all(a is None or isinstance(b, tuple) or b is None or a <= b for a, b in seen)


# ---- groups that are unique together ---------------------------------------------------------------------------------


RULES: dict[str, Callable[[int, int], bool]] = {
    "white != black": operator.ne, "white < black": operator.lt, "white + black >= 12": lambda white, black: white + black >= 12,
}  # fmt: skip


@pytest.mark.parametrize("rule", RULES)
def test_a_group_that_is_unique_together_keeps_its_rules(rule: str, yurt: Any, tmp_path: Path) -> None:
    tail = f"    unique: white, black\n    always:\n      - {rule}\n"
    (tmp_path / "s.yaml").write_text(schema_of("white: integer 1..16\nblack: integer 1..16", 120, tail=tail))
    seen = set()
    for seed in range(4):
        rows = read_csv(yurt("generate", "s.yaml", "--seed", seed, "--out", "-").stdout)
        pairs = {(int(each["white"]), int(each["black"])) for each in rows}
        assert len(pairs) == len(rows) == 120
        assert all(RULES[rule](*pair) for pair in pairs)
        # The order is shuffled, and is that of the seed.
        assert abs(sum(int(each["white"]) for each in rows[:60]) - sum(int(each["white"]) for each in rows[60:])) < 250
        seen.add(tuple((each["white"], each["black"]) for each in rows[:9]))
    assert len(seen) == 4
    told = yurt("generate", "s.yaml", "--count", 241, "--out", "-", code=1).stderr.decode()
    assert "unique" in told and rule in told


# ---- shares and open ranges ------------------------------------------------------------------------------------------

OPEN = {
    "integer ..-1": (-(10**18), -1), "integer ..0": (-(10**18), 0), "integer ..10": (-(10**18), 10), "integer 5..": (5, 10**18),
    "integer ..": (-(10**18), 10**18), "decimal ..99.50": (-(10**18), 99.5), "decimal ..0.00": (-(10**18), 0), "decimal 0.. places 3": (0, 10**18),
}  # fmt: skip


@pytest.mark.parametrize("kind", OPEN)
def test_open_ranges_are_kept_and_varied(kind: str, fields: Any) -> None:
    low, high = OPEN[kind]
    values = [each["n"] for each in fields(f"n: {kind}", 4000)]
    assert all(low <= each <= high for each in values)
    assert len(set(values)) > 200
    near = high if high < 10**18 else low if low > -(10**18) else 0
    assert sum(abs(each - near) <= 10_000 for each in values) > 3600


SHARES = {
    "usually months(may 50%, jun 50%)": ("2026-05-16..2026-06-30", lambda day: day.month, {5: 0.5, 6: 0.5}),
    "usually weekdays(mon 50%, tue 50%)": ("2026-06-01..2026-06-08", date.isoweekday, {1: 0.5, 2: 0.5}),
    "usually months(jan 50%, dec 20%)": ("2025-12-30..2026-02-03", lambda day: day.month, {1: 0.5, 12: 0.2, 2: 0.3}),
    "usually weekdays(sat..sun 70%)": ("2026-06-03..2026-06-16", lambda day: day.isoweekday() > 5, {True: 0.7, False: 0.3}),
    # The end of May is a weekend: its share is that of May all the same.
    "usually months(may 60%, jun 40%) and weekdays(sat 50%, mon 50%)": ("2026-05-30..2026-06-14",
        lambda day: (day.month, day.isoweekday()), {(5, 6): 0.6, (6, 6): 0.2, (6, 1): 0.2}),
    # Within a group, all days are equally likely.
    "usually weekdays(mon..tue 40%, wed..fri 60%)": ("2026-06-01..2026-06-05", date.isoweekday,
        {1: 0.2, 2: 0.2, 3: 0.2, 4: 0.2, 5: 0.2}),
}  # fmt: skip


@pytest.mark.parametrize("clause", SHARES)
@pytest.mark.parametrize("by_row", [False, True])
def test_the_share_of_a_month_or_weekday_is_the_share_of_the_rows(clause: str, by_row: bool, fields: Any) -> None:
    ends, group, wanted = SHARES[clause]
    first, last = map(date.fromisoformat, ends.split(".."))
    ends = f"start..start+{(last - first).days}d" if by_row else ends
    rows = fields(f"start: date {first}..{first}\nn: date {ends}, {clause}", 6000)
    seen = Counter(group(date.fromisoformat(each["n"])) for each in rows)
    assert set(seen) == set(wanted)
    assert chisquare([seen[each] for each in wanted], [6000 * share for share in wanted.values()]).pvalue > 1e-4


NO_DAY = {
    "usually months(jun 100%)": "none of the allowed days", "usually weekdays(sat..sun 100%)": "none of the allowed days",
    "usually months(jun 100%) and weekdays(mon 60%)": "none of the allowed days",
}  # fmt: skip


@pytest.mark.parametrize("clause", NO_DAY)
@pytest.mark.parametrize("ends", ["2026-01-05..2026-01-09", "today..today+2d", "first..first+2d"])
def test_a_share_of_days_that_are_not_there_is_told(clause: str, ends: str, yurt: Any, tmp_path: Path) -> None:
    lines = f"first: date 2026-01-05..2026-01-07\nn: date {ends}, {clause}"
    (tmp_path / "s.yaml").write_text(schema_of(lines, 5, "today: 2026-01-05\n"))
    told = yurt("generate", "s.yaml", "--seed", 1, "--out", "-", code=1).stderr.decode()
    assert NO_DAY[clause] in told and "row.n" in told


WEIGHTS = {
    "one of x 33.33% | y 33.33% | z 33.33%": 0, "one of x 16.7% | y 16.7% | z 66.7%": 0, "one of x 50% | y 49%": 1,
    "one of x 60% | y 50%": 1, "one of x 99.8% | y 0%": 1, "one of x 33% | y 33% | z 33%": 1,
}  # fmt: skip


@pytest.mark.parametrize("line", WEIGHTS)
def test_shares_add_up_to_all(line: str, yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema_of(f"n: {line}"))
    yurt("check", "s.yaml", code=WEIGHTS[line])


# ---- formats ---------------------------------------------------------------------------------------------------------


def test_columns_are_named_as_the_program_prints_them(yurt: Any, tmp_path: Path) -> None:
    lines = "number: sequence\naddress:\n  nested:\n    city: one of Graz | Wien\n    zip: /\\d{4}/"
    (tmp_path / "s.yaml").write_text(schema_of(lines, 3))
    rows = read_csv(yurt("generate", "s.yaml", "--with", "fields=number, address.city as Ort", "--out", "-").stdout)
    assert list(rows[0]) == ["number", "Ort"] and {each["Ort"] for each in rows} <= {"Graz", "Wien"}
    told = yurt("generate", "s.yaml", "--with", "fields=adress.city", "--out", "-", code=2).stderr.decode()
    assert "address.city" in told


def test_an_error_that_has_no_room_is_left_out_and_counted(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema_of("n: integer 100..999\nt: text 3..5", 400))
    layout = ("--format", "fixed", "--with", "layout=n 3 right, t 5")
    done = yurt("generate", "s.yaml", "--errors", "20%", *layout, "--seed", 1, "--out", "dirty.txt")
    widths = {len(each) for each in (tmp_path / "dirty.txt").read_text().splitlines()}
    assert len(widths) == 1 and "left out" in (done.stdout + done.stderr).decode()


@pytest.mark.parametrize(
    ("arguments", "told"),
    [(["folder"], "not there"), (["sqlite:///some.db"], "not there"), (["row=empty.csv"], "no rows to check")],
)
def test_a_verdict_over_nothing_is_none(arguments: list[str], told: str, yurt: Any, tmp_path: Path) -> None:
    two = schema_of("n: integer 0..9") + schema_of("m: integer 0..9", 5, None, name="other")
    (tmp_path / "s.yaml").write_text(two)
    (tmp_path / "folder").mkdir()
    (tmp_path / "folder" / "row.csv").write_text("n\n1\n")
    (tmp_path / "empty.csv").write_text("n\n")
    with sqlite3.connect(tmp_path / "some.db") as connection:
        connection.execute('create table "row" (n integer)')
        connection.execute('insert into "row" values (1)')
    done = yurt("verify", "s.yaml", *arguments, code=1)
    assert told in done.stdout.decode()
    yurt("verify", "s.yaml", *arguments, "--partial")


def test_a_helper_that_may_be_missing_is_unknown_to_the_validator(yurt: Any, tmp_path: Path) -> None:
    lines = "k: integer 1..9\nn: = k + 1, helper, missing 30%\nd: = n * 2"
    (tmp_path / "s.yaml").write_text(schema_of(lines))
    yurt("generate", "s.yaml", "--seed", 1, "--out", "row.csv")
    assert {each["d"] for each in read_csv((tmp_path / "row.csv").read_bytes())} > {"", "4"}
    yurt("verify", "s.yaml", "row.csv")
    assert "not checked: row.d" in yurt("verify", "s.yaml", "row.csv").stdout.decode()


# ---- lines of one table, each with its own type -----------------------------------------------------------------------

# Two lines of a table whose types have one wider type; values of the first line that are right, and wrong.
MIXED = {
    "integers beside decimals": ("integer 0..10 step 5", "decimal 0.00..9.99", ["0", "5.00", "10"], ["7", "7.50", "5.50", "11", "-5"]),
    "plain integers": ("integer 0..9", "decimal 0.00..9.99", ["7", "7.00"], ["7.50", "9.01", "10"]),
    "a sequence": ("sequence from 10 step 5", "decimal 0.00..9.99", ["10", "15.00", "100"], ["7", "1.50", "11", "15.50", "10.50"]),
    "a falling sequence": ("sequence from 10 step -1", "decimal 0.00..9.99", ["10", "4.00", "-3"], ["11", "10.50", "4.50"]),
    "places": ("decimal 0.0..9.0 step 0.5", "decimal 0.000..1.000", ["0.5", "8.500"], ["0.505", "0.25", "9.5"]),
    "beside quotients": ("integer 0..10 step 5", "= 1 / 3", ["5", "10.0"], ["7", "5.5", "500"]),
    "dates beside date-times": ("date 2026-06-01..2026-06-30, on mon", "datetime 2026-06-01T08:00..2026-06-30T22:00",
        ["2026-06-08T00:00:00"], ["2026-06-08T08:30:00", "2026-06-09T00:00:00", "2026-07-06T00:00:00"]),
    "ages": ("age", "decimal 0.00..9.99", ["40", "40.00"], ["40.50", "1000"]),
    "listed numbers": ("sex-code", "decimal 0.00..9.99", ["1", "9.00"], ["5", "1.50"]),
    "days beside hours": ("duration 1d..9d", "duration 1h..5h step 30min", ["P2D"], ["PT50H", "P10D"]),
}  # fmt: skip


@pytest.mark.parametrize("name", MIXED)
def test_a_line_of_a_table_keeps_its_own_type(name: str, yurt: Any, tmp_path: Path) -> None:
    line, other, right, wrong = MIXED[name]
    (tmp_path / "s.yaml").write_text(
        schema_of(f"k: one of a | b\nn:\n  by k:\n    a: {line}\n    b: {other}", 60, TODAY)
    )
    yurt("generate", "s.yaml", "--out", "row.csv")
    yurt("verify", "s.yaml", "row.csv")
    (tmp_path / "row.csv").write_text("k,n\n" + "".join(f"a,{each}\n" for each in right))
    yurt("verify", "s.yaml", "row.csv", "--partial")
    (tmp_path / "row.csv").write_text("k,n\n" + "".join(f"a,{each}\n" for each in wrong))
    told = json.loads(yurt("verify", "s.yaml", "row.csv", "--partial", "--json", "--limit", 9, code=1).stdout)
    assert sum(each["count"] for each in told["violations"]) == len(wrong), told
    # Whatever cases are made of it, their labels are right.
    yurt("cases", "s.yaml", "--out", "cases.csv")
    assert b"every label is correct" in yurt("verify", "s.yaml", "row=cases.csv").stdout


# ---- rows of other rows ----------------------------------------------------------------------------------------------

FAMILY = "yurt: 1\nseed: 1\nrecords:\n  hut:\n    count: 4\n    fields: {'id': 'sequence'}\n" \
    "  bed:\n    count: COUNT per hut\n    fields: {'n': 'sequence', 'hut': 'ref hut'}\n"  # fmt: skip


@pytest.mark.parametrize(
    ("count", "left", "said"),
    [("1..3", "0 children", "1 to 3"), ("2..3", "1 child", "2 to 3"), ("4..5", "3 children", "4 to 5"), ("2", "1 child", "2")],
)  # fmt: skip
def test_too_few_children_are_told_by_their_number(count: str, left: str, said: str, yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(FAMILY.replace("COUNT", count))
    yurt("cases", "s.yaml", "--malformed-files", "--format", "csv", "--out", "wrong/")
    expected = {each["file"]: each for each in read_csv((tmp_path / "wrong/expected-results.csv").read_bytes())}
    least = int(count[0])
    reason = f"the last row of hut-sound.csv has {left}, and at least {least} belong there"
    assert expected["bed-child-too-few.csv"]["reason"] == reason
    rows = read_csv((tmp_path / "wrong/bed-child-too-few.csv").read_bytes())
    huts = [each["id"] for each in read_csv((tmp_path / "wrong/hut-sound.csv").read_bytes())]
    assert Counter(each["hut"] for each in rows)[huts[-1]] == int(left.split()[0]) == least - 1
    files = ["hut=wrong/hut-sound.csv", "bed=wrong/bed-child-too-few.csv"]
    (told,) = json.loads(yurt("verify", "s.yaml", *files, "--json", code=1).stdout)["violations"]
    assert told["examples"][0]["expected"] == said and told["examples"][0]["value"] == left.split()[0]


ROOMS = """yurt: 1
today: 2026-06-01
seed: 1
records:
  hut:
    count: 12
    fields:
      code: sequence
      beds: integer 10..4000
  room:
    count: COUNT
    fields:
      hut: ref hut
      number: integer 1..200
      size: integer hut.beds-2..hut.beds
      on:
        when:
          hut.beds == 37: integer 5..9
          else: integer hut.beds..hut.beds+3
    unique: hut, number
"""


@pytest.mark.parametrize("count", ["30", "2..4 per hut", "1..2 per hut", "1 per hut"])
def test_a_duplicate_has_the_parent_of_the_first_record(count: str, yurt: Any, tmp_path: Path) -> None:
    """Ranges that depend on the parent follow it, and no parent gets more children than allowed."""
    (tmp_path / "s.yaml").write_text(ROOMS.replace("COUNT", count).replace("10..4000", "30..60"))
    (told,) = json.loads(yurt("cases", "s.yaml", "room", "--out", "room.csv", "--json").stdout)
    full = "a `hut` has at most 1 of `room`"
    assert [each["reason"] for each in told["left out"]] == ([full] if count == "1 per hut" else [])
    yurt("generate", "s.yaml", "hut", "--count", told["refers to"].get("hut", 12), "--out", "hut.csv")
    beds = {each["code"]: int(each["beds"]) for each in read_csv((tmp_path / "hut.csv").read_bytes())}
    rows = read_csv((tmp_path / "room.csv").read_bytes())
    sound = [each for each in rows if each["case.expected"] == "accept" or each["case.violates"] == "unique"]
    assert all(beds[each["hut"]] - int(each["size"]) in (0, 1, 2) for each in sound)
    same = [each for each in rows if (each["hut"], each["number"]) == (rows[0]["hut"], rows[0]["number"])]
    assert [each["case.item"] for each in same] == ["nominal", *([] if count == "1 per hut" else ["duplicate"])]
    assert b"every label is correct" in yurt("verify", "s.yaml", "hut.csv", "room.csv", code=None).stdout


STAYS = """yurt: 1
today: 2026-06-01
seed: 1
records:
  hut:
    count: 12
    fields:
      code: sequence
  stay:
    count: 1..3 per hut
    fields:
      hut: ref hut
      nr: = ordinal()
      rate:
        when:
          ordinal() == 1: integer 10..20
          ordinal() == 2: integer 30..40
          else: integer 50..60
      extra: integer 1..9, present if ordinal() > 1
"""
RATES = {1: (10, 20), 2: (30, 40), 3: (50, 60)}


@pytest.mark.parametrize("options", [(), ("--repeat", 2), ("--only", "reject"), ("--limit", 20)], ids=str)
def test_a_later_child_has_those_before_it(options: tuple[Any, ...], yurt: Any, tmp_path: Path) -> None:
    """Each parent has its children from the first on, and every value is one for its place."""
    (tmp_path / "s.yaml").write_text(STAYS)
    (told,) = json.loads(yurt("cases", "s.yaml", "stay", "--out", "c.csv", "--json", *options).stdout)
    reasons = Counter(each["reason"] for each in told["left out"])
    assert {*reasons} == {"none of the first 3 children of a `hut` fits it"}
    children: dict[str, list[dict[str, str]]] = {}
    for each in read_csv((tmp_path / "c.csv").read_bytes()):
        if each["hut"].isdigit() and each["case.target"] != "hut":
            children.setdefault(each["hut"], []).append(each)
    seen = Counter()
    for own in children.values():
        for place, each in enumerate(own, 1):
            if each["case.expected"] == "accept":
                seen[place] += 1
                assert int(each["nr"]) == place
                assert RATES[place][0] <= int(each["rate"]) <= RATES[place][1]
                assert (each["extra"] != "") == (place > 1)
            elif each["case.violates"] == "range" and each["case.target"] == "rate":
                assert not RATES[place][0] <= int(each["rate"]) <= RATES[place][1]
            elif each["case.violates"] in ("condition", "presence") and each["case.target"] == "extra":
                assert (each["extra"] == "") == (place > 1)
    assert len(seen) == 3 or options
    yurt("generate", "s.yaml", "hut", "--count", told["refers to"]["hut"], "--out", "hut.csv")
    told = yurt("verify", "s.yaml", "hut.csv", "stay=c.csv", code=None).stdout.decode()
    # A file of cases may be a part of one, so a label over places is listed as not checked.
    assert "every label is correct" in told
    assert re.search("not checked: stay, the label of rate/partition/.* `ordinal` depends on earlier rows", told)
    # A file with nothing but such labels is no verdict.
    head, *lines = (tmp_path / "c.csv").read_text().splitlines()
    some = [line for line in lines if line.startswith("rate/partition/ordinal-is-2-above,")]
    (tmp_path / "some.csv").write_text("\n".join([head, *some]) + "\n")
    assert some or options
    for partial in ((), ("--partial",)):
        said = yurt("verify", "s.yaml", "hut.csv", "stay=some.csv", *partial, code=1 if some else None).stdout
        assert not some or b"no label can be checked" in said
    items = {each["case.item"] for own in children.values() for each in own}
    wanted = {
        f"{row}: {end}" for row in ("ordinal() == 1", "ordinal() == 2", "else") for end in ("low", "high", "inside")
    }
    assert options or wanted <= items


@pytest.mark.parametrize("turn", ["", "#2"])
def test_a_case_and_the_children_before_it_belong_together(turn: str) -> None:
    places = {"n/low/child-1": 0, "n/low/child-2": 1, "n/low": 2}
    every = [
        Case("boundary", "n", "low", because("it is"), (Beside("hut", "n/low", place),), id=name + turn)
        for name, place in places.items()
    ]
    assert torn(every) == (set(), set())
    assert torn([every[0], every[2]]) == ({1}, set())
    assert torn(every[:2]) == (set(), {0, 1})


@pytest.mark.parametrize(("text", "code"), [("10", 0), ("0010", 1), ("+10", 1), ("10.0", 1), (" 10", 1)])
def test_a_key_refers_to_the_same_text(text: str, code: int, yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(FAMILY.replace("COUNT", "1").replace("count: 4", "count: 10"))
    (tmp_path / "hut.csv").write_text("id\n" + "".join(f"{at}\n" for at in range(1, 11)))
    (tmp_path / "bed.csv").write_text("n,hut\n" + "".join(f"{at},{at}\n" for at in range(1, 10)) + f"10,{text}\n")
    yurt("verify", "s.yaml", "hut.csv", "bed.csv", code=code)


def test_outliers_come_from_the_whole_range(fields: Any) -> None:
    values = Counter(each["n"] for each in fields("n: integer 1..10, usually normal(5, 0.1), outliers 50%", 4000))
    assert set(values) == set(range(1, 11))
    assert chisquare([values[at] for at in range(1, 11) if at != 5]).pvalue > 1e-4
