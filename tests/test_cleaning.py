"""Functions that clean texts up, and the lines that are suggested for them."""

from __future__ import annotations

import csv
import io
from pathlib import Path
from typing import Any

import pytest

# The value in the file, the line, and what becomes of it; `None` is an empty cell.
CLEANED = [
    ("  a  b ", "normalize_space(x)", "a b"),
    ("a\u200bb\u00ad", "without_control_characters(x)", "ab"),
    ("12 (lake) [x]", "without_brackets(x)", "12"),
    ("EUR 1.234,50", 'round(number(x, ","), 2)', "1234.50"),
    ("1.234.567,8 km", 'number(x, ",")', "1234567.8"),
    ("-3,5 °C", 'number(x, ",")', "-3.5"),
    ("1,234.5", 'number(x, ".")', "1234.5"),
    ("1'234 CHF", 'number(x, ".")', "1234"),
    ("1\u00a0234,5", 'number(x, ",")', "1234.5"),
    ("none", 'number(x, ",")', None),
    ("UPPER hut, EAST", "sentence(x)", "Upper hut, east"),
    ("Hofer, Anna", 'part(x, ", ", 2)', "Anna"),
    ("a/b/c", 'part(x, "/", -1)', "c"),
    ("a/b/c", 'part(x, "/", -3)', "a"),
    ("a/b/c", 'part(x, "/", 4)', None),
    ("Zimmer 12, OG 2", 'captured(x, "OG (?P<floor>[0-9]+)", "floor")', "2"),
    ("Zimmer 12", 'captured(x, "OG (?P<floor>[0-9]+)", "floor")', None),
    ("x", 'combined(", ", null, x, "", "y")', "x, y"),
    ("24.12.2026", 'to_date(x, "%d.%m.%Y", "%Y-%m-%d")', "2026-12-24"),
    ("3.4.2026", 'to_date(x, "%d.%m.%Y")', "2026-04-03"),
    ("2026-04-03", 'to_date(x, "%d.%m.%Y", "%Y-%m-%d")', "2026-04-03"),
    ("5/5/2026", 'to_date(x, "%d/%m/%Y", "%m/%d/%Y")', "2026-05-05"),
    ("7 March 2026", 'to_date(x, "%d %B %Y")', "2026-03-07"),
    (" JA ", 'yes_no(x, "yes | ja", "no | nein")', "true"),
    ("nein", 'yes_no(x, "yes | ja", "no | nein")', "false"),
    ("0664 / 123 45 67", 'phone(x, "43")', "+436641234567"),
    ("+43 (0)664 1234567", 'phone(x, "+43")', "+436641234567"),
    ("0043-664-1234567", 'phone(x, "43")', "+436641234567"),
    ("call me", 'phone(x, "43")', None),
]  # fmt: skip


def cells(text: str) -> list[list[str]]:
    return list(csv.reader(io.StringIO(text, newline="")))


def test_a_line_cleans_a_column(yurt: Any, tmp_path: Path) -> None:
    with (tmp_path / "t.csv").open("w", newline="", encoding="utf-8") as file:
        csv.writer(file).writerows([[f"c{at}" for at in range(len(CLEANED))], [value for value, _, _ in CLEANED]])
    lines = [f"--field=c{at}: '= {line.replace('x', f'c{at}', 1) if 'combined' not in line else line.replace('x', f'c{at}')}'"
             for at, (_, line, _) in enumerate(CLEANED)]  # fmt: skip
    found = cells(yurt("extend", "t.csv", *lines).stdout.decode())[1]
    assert found == [each or "" for _, _, each in CLEANED]


REFUSED = [
    ("3.4.2026", 'to_date(x, "%d.%m.%Y", "%m.%d.%Y")', "2026-04-03 as `%d.%m.%Y` and 2026-03-04 as `%m.%d.%Y`"),
    ("30.2.2026", 'to_date(x, "%d.%m.%Y")', "not a date in `%d.%m.%Y`; the text is 30.2.2026"),
    ("26-04-03", 'to_date(x, "%Y-%m-%d")', "not a date in"),
    ("maybe", 'yes_no(x, "yes", "no")', "neither of yes nor of no; the text is maybe"),
    ("a", 'captured(x, "(b", "n")', "cannot be used"),
    ("a", 'captured(x, "(?P<n>b)", "m")', "has no part `m`"),
    ("1 km", 'number(x, ";")', "`;` is not a decimal mark"),
    ("a", 'part(x, "", 1)', "takes a mark"),
]  # fmt: skip


@pytest.mark.parametrize(("value", "line", "message"), REFUSED)
def test_what_cannot_be_read_is_refused_with_its_row(
    yurt: Any, tmp_path: Path, value: str, line: str, message: str
) -> None:
    (tmp_path / "t.csv").write_text(f'n,x\n1,\n2,"{value}"\n')
    told = yurt(
        "extend", "t.csv", f"--field=x: '= if n == 2 then {line} else null'", "--out", "o.csv", code=1
    ).stderr.decode()
    assert message in told and not (tmp_path / "o.csv").exists()


BOOK = """Guest,Room,Born,Paid,Member,Phone,Code,Left
"  Gasser,  Luisa ",12 (lake),9.6.1948,"EUR 1.234,50",ja,+43 664 0711508,007,2026-06-01
"WINKLER, ELISABETH",7,15.5.1988,"85,00 €",nein,0664/0180531,012,2026-06-02
"Thaler,\u00a0Sabine",101 [east],2001-03-21,"40,50 EUR",ja,0043 664 0498110,003,2026-06-03
"""


def test_clean_up_is_suggested_with_examples_and_runs_as_it_stands(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "book.csv").write_text(BOOK + BOOK.splitlines()[2] + "\n", encoding="utf-8")
    done = yurt("extend", "book.csv", "--suggest")
    lines = done.stdout.decode()
    for part in ("without_brackets(Room)", 'to_date(Born, "%Y-%m-%d", "%d.%m.%Y")', 'round(number(Paid, ","), 2)',
                 'yes_no(Member, "ja", "nein")', 'phone(Phone, "43")', 'given: = part(Guest, ", ", 2)', "title(",
                 "1 row was there before", "#   12 (lake) → 12", "# as it is: Left (date, as programs write it)",
                 "# as it is: Code (nothing to clean)"):  # fmt: skip
        assert part in lines
    (tmp_path / "lines.yaml").write_text(lines, encoding="utf-8")
    found = cells(yurt("extend", "book.csv", "--schema", "lines.yaml", "--distinct", "all").stdout.decode())
    assert found[1:] == [
        ["Gasser, Luisa", "12", "1948-06-09", "1234.50", "true", "+436640711508", "007", "2026-06-01", "Luisa", "Gasser"],
        ["Winkler, Elisabeth", "7", "1988-05-15", "85.00", "false", "+436640180531", "012", "2026-06-02", "Elisabeth", "Winkler"],
        ["Thaler, Sabine", "101", "2001-03-21", "40.50", "true", "+436640498110", "003", "2026-06-03", "Sabine", "Thaler"],
    ]  # fmt: skip
