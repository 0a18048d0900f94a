"""Formats for people and programs that are only written, and lines of fixed width: read by browsers and compilers."""

from __future__ import annotations

import ast
import json
import re
import shutil
import subprocess
from pathlib import Path
from typing import Any

import pandas as pd
import pytest
from lxml import html

from .test_settings import ITEMS, schema

TEXTS = 'one of "a$b" | "say \\"x\\" \\\\ #{y}" | "tab\\tnew\\nline" | "@z %s {0}" | "it\'s" | "<b>&amp;" | "Grüße 😀" | "cr\\rlf"'
ROWS = f"""yurt: 1
seed: 1
today: 2026-06-01
records:
  hut:
    count: 60
    fields:
      text:  '{TEXTS.replace("'", "''")}'
      many:  integer -9000000000..9000000000
      few:   integer 1..9
      price: decimal -9.00..9.00
      day:   date 2026-01-01..2026-12-31
      open:  boolean
      maybe: integer 1..9, missing 50%
      tags:  list 0..2 of one of a | "b\\"c"
"""
JAVA = """import java.util.*;
class Rows { public static void main(String[] args) {
  %s
  for (Object[] row : rows) { StringBuilder out = new StringBuilder();
    for (char each : ((String) row[0]).toCharArray()) out.append(String.format("%%04x", (int) each));
    System.out.println(out + " " + row[1] + " " + row[3] + " " + row[5] + " " + row[6] + " " + ((List<?>) row[7]).size()); } } }
"""
GO = """package main
import ("encoding/json"; "os")
func main() { rows := %s
json.NewEncoder(os.Stdout).Encode(rows) }
"""
# The program of a language, what it is given, and how the file becomes a program that prints JSON.
LANGUAGES: dict[str, tuple[str, list[str], str]] = {
    "javascript": ("node", ["node", "x.js"], "process.stdout.write(JSON.stringify(%s))"),
    "perl": ("perl", ["perl", "x.pl"], "use utf8; use JSON::PP; print JSON::PP->new->utf8->encode(%s);"),
    "php": ("php", ["php", "x.php"], "%s\nfwrite(STDOUT, json_encode($rows, JSON_PRESERVE_ZERO_FRACTION | JSON_UNESCAPED_UNICODE));"),
    "ruby": ("ruby", ["ruby", "x.rb"], "require 'json'\nSTDOUT.write(JSON.generate(%s))"),
    "go": ("go", ["go", "run", "x.go"], GO),
}  # fmt: skip


@pytest.fixture
def rows(yurt: Any, tmp_path: Path) -> list[dict[str, Any]]:
    (tmp_path / "s.yaml").write_text(ROWS, "utf-8")
    return json.loads(yurt("generate", "s.yaml", "--format", "json").stdout)  # type: ignore[no-any-return]


def told(row: dict[str, Any]) -> dict[str, Any]:
    return {**row, "price": float(row["price"]), "open": bool(row["open"])}


@pytest.mark.parametrize("language", LANGUAGES)
def test_literals_are_programs(language: str, rows: Any, yurt: Any, tmp_path: Path) -> None:
    program, command, shape = LANGUAGES[language]
    if not shutil.which(program):
        pytest.skip(f"{program} is not installed here")
    text = yurt("generate", "s.yaml", "--format", language).stdout.decode().strip()
    (tmp_path / command[-1]).write_text(shape.replace("%s", text, 1), "utf-8")
    done = subprocess.run(
        command,
        cwd=tmp_path,
        capture_output=True,
        check=False,
        env={"PATH": "/usr/bin:/bin", "HOME": str(tmp_path), "LANG": "C.UTF-8"},
    )
    assert done.returncode == 0, done.stderr.decode()[:1000]
    found = json.loads(done.stdout)
    assert [told(each) for each in found] == [told(each) for each in rows]


def test_python_and_java_read_their_literals(rows: Any, yurt: Any, tmp_path: Path) -> None:
    text = yurt("generate", "s.yaml", "--format", "python").stdout.decode()
    assert ast.literal_eval(text) == rows
    assert ast.literal_eval(yurt("generate", "s.yaml", "--format", "python", "--count", 0).stdout.decode()) == []
    if not shutil.which("java"):
        pytest.skip("java is not installed here")
    (tmp_path / "Rows.java").write_text(JAVA % yurt("generate", "s.yaml", "--format", "java").stdout.decode(), "utf-8")
    done = subprocess.run(["java", "Rows.java"], cwd=tmp_path, capture_output=True, check=False)
    assert done.returncode == 0, done.stderr.decode()[:1000]
    for line, row in zip(done.stdout.decode().splitlines(), rows, strict=True):
        letters, many, price, open_, maybe, size = line.split()
        assert bytes.fromhex(letters).decode("utf-16-be") == row["text"]
        assert (int(many), float(price), open_, int(size)) == (
            row["many"],
            row["price"],
            str(row["open"]).lower(),
            len(row["tags"]),
        )
        assert maybe == ("null" if row["maybe"] is None else str(row["maybe"]))


def test_csharp_says_its_columns(rows: Any, yurt: Any) -> None:
    lines = yurt("generate", "s.yaml", "--format", "csharp").stdout.decode().splitlines()
    assert lines[0] == "// text, many, few, price, day, open, maybe, tags" and len(lines) == len(rows) + 3
    assert re.search(
        r', -?\d+L, \d, -?\d\.\d\dm, "2026-\d\d-\d\d", (true|false), (\d|null), new object\?\[\]', "\n".join(lines)
    )


def test_a_page_is_a_table_without_network(rows: Any, yurt: Any, tmp_path: Path) -> None:
    yurt("generate", "s.yaml", "--out", "hut.html", "--with", "title=Huts & <more>")
    text = (tmp_path / "hut.html").read_text("utf-8")
    assert "http" not in text and "src=" not in text and "<script>" in text
    page = html.fromstring(text.encode())
    assert page.findtext("head/title") == "Huts & <more>" and page.findtext("body/h1") == "Huts & <more>"
    cells = [[each.text_content() for each in row] for row in page.findall("body/table/tbody/tr")]
    # A parser of HTML makes a line feed of a carriage return.
    assert [row[0] for row in cells] == [each["text"].replace("\r", "\n") for each in rows]
    assert [row[1] for row in cells] == [str(each["many"]) for each in rows]
    frame = pd.read_html(tmp_path / "hut.html")[0]
    assert frame["price"].tolist() == [each["price"] for each in rows]
    assert {each.get("class") for each in page.findall(".//td[2]")} == {"n"}


def test_markdown_keeps_its_cells(rows: Any, yurt: Any) -> None:
    lines = (
        yurt("generate", "s.yaml", "--format", "markdown", "--with", "fields=text, few as Zahl")
        .stdout.decode()
        .splitlines()
    )
    assert lines[:2] == ["| text | Zahl |", "| --- | --- |"] and len(lines) == len(rows) + 2
    for line, row in zip(lines[2:], rows, strict=True):
        cells = re.split(r"(?<!\\)\|", line)
        plain = re.sub(r"\\(.)", r"\1", cells[1].strip())
        assert plain == re.sub(r"\r\n|\r|\n", " ", row["text"]) and int(cells[2]) == row["few"]


# ---- fixed width -----------------------------------------------------------------------------------------------------

LAYOUT = "layout=id 6 right 0, plain 8, price 12 right, maybe 3 right, day 12, open 5"


@pytest.mark.parametrize(
    "more",
    [(), ("header=true",), ("line-terminator=lf", "encoding=windows-1252"), ("decimal-char=,", "date-format=%d%m%Y")],
)
def test_lines_of_fixed_width_are_read_by_pandas(more: tuple[str, ...], yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema())
    wanted = json.loads(yurt("generate", "s.yaml", "--format", "json").stdout)
    options = [part for each in (LAYOUT, *more) for part in ("--with", each)]
    yurt("generate", "s.yaml", "--out", "hut.txt", *options)
    skip = int("header=true" in more)
    frame = pd.read_fwf(
        tmp_path / "hut.txt", widths=[6, 8, 12, 3, 12, 5], header=None, dtype=str, skiprows=skip, keep_default_na=False
    )
    assert frame[0].tolist() == [f"{each['id']:06}" for each in wanted]
    assert frame[1].tolist() == [each["plain"] for each in wanted]
    point = "," if "decimal-char=," in more else "."
    assert frame[2].tolist() == [f"{each['price']:.2f}".replace(".", point) for each in wanted]
    assert frame[3].tolist() == ["" if each["maybe"] is None else str(each["maybe"]) for each in wanted]
    assert {len(line) for line in (tmp_path / "hut.txt").read_bytes().splitlines()} == {46}
    found = yurt("verify", "s.yaml", "hut.txt", *options, "--with", "fields=x", code=2).stderr.decode()
    assert "no setting `fields`" in found
    # The fields without a place are not in the file, and what follows from them cannot be checked.
    told_of = yurt("verify", "s.yaml", "hut.txt", *options).stdout.decode()
    assert "400 hut rows, all valid" in told_of


WRONG = {
    "layout=id 3": "hut.id, row 1,000: `1000` is wider than 3 characters", "layout=idd 3": "`hut` has no field `idd`; did you mean `id`?",
    "layout=id": "`id` is not a name and a width", "layout=id 3, id 4": "`id` occurs twice", "header=true": "`fixed` needs the setting `layout`",
}  # fmt: skip


@pytest.mark.parametrize("setting", WRONG)
def test_a_wrong_layout_says_what_is_wrong(setting: str, yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema())
    code = 1 if "row" in WRONG[setting] else 2
    words = yurt(
        "generate", "s.yaml", "--count", 1200, "--format", "fixed", "--with", setting, "--out", "x.dat", code=code
    ).stderr.decode()
    assert WRONG[setting] in words and not (tmp_path / "x.dat").exists()


def test_lines_that_do_not_fit_the_layout_are_faults(yurt: Any, tmp_path: Path) -> None:
    text = schema().split("      text:")[0] + "      plain:  one of alpha | beta\n"
    (tmp_path / "s.yaml").write_text(text)
    options = ("--with", "layout=id 5 right 0, plain 6")
    yurt("generate", "s.yaml", "--out", "hut.txt", *options)
    assert "400 hut rows, all valid" in yurt("verify", "s.yaml", "hut.txt", *options).stdout.decode()
    lines = (tmp_path / "hut.txt").read_text().splitlines()
    lines[4], lines[7] = lines[4][:-1], "00008gamma "
    (tmp_path / "hut.txt").write_text("\n".join(lines) + "\n")
    words = yurt("verify", "s.yaml", "hut.txt", *options, "--partial", code=1).stdout.decode()
    assert (
        "line 5: 10 characters where the layout has 11" in words
        and 'line 8: "gamma"; expected one of alpha | beta' in words
    )


def test_hostile_texts_in_cells_and_literals(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema(f"one of {ITEMS}"), "utf-8")
    wanted = [each["text"] for each in json.loads(yurt("generate", "s.yaml", "--format", "json").stdout)]
    found = ast.literal_eval(yurt("generate", "s.yaml", "--format", "python").stdout.decode())
    assert [each["text"] for each in found] == wanted
