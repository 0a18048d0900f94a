"""Workbooks: sheets per value, live formulas, and sheets that come into a workbook that is there."""

from __future__ import annotations

import csv
import io
import json
import re
import shutil
import subprocess
import zipfile
from decimal import Decimal
from pathlib import Path
from typing import Any

import openpyxl
import pytest
import xlsxwriter
from openpyxl.chart import BarChart, Reference

from .conftest import read_csv, schema_of

DEMO = Path(__file__).parent.parent / "src" / "yurt" / "examples" / "huts.yaml"
# Enough of the demo's records; reading workbooks takes long.
FEW = ("--scale", "0.1")
DERIVED = """yurt: 1
seed: 2
today: 2026-06-01
records:
  a:
    count: 60
    fields:
      n: integer 1..9
      p: decimal 1.00..9.00
      from: date 2026-01-01..2026-02-01
      to: date from+1d..from+9d
      kind: one of Red | red | blue, missing 20%
      nights: = days(to - from)
      half: = nights / 2, helper
      due: = round(n * p * (if kind == "red" then 0.8 else 1) + half, 2)
      big: = max(n, 5) > 5 and not (n in [7, 8])
      late: = from + 3d > 2026-01-20
      same: = kind == "red" or kind != "blue"
      label: = "no " & kind
      code: = upper(kind)
      sum: = n + -3
"""


def values(path: Path, name: str) -> list[list[Any]]:
    return [[each.value for each in row] for row in openpyxl.load_workbook(path, data_only=True)[name].iter_rows()]


def test_derived_fields_are_formulas(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(DERIVED)
    told = yurt("generate", "s.yaml", "--out", "a.xlsx", "--with", "formulas=live").stderr.decode()
    assert "a.code stays a value, because a formula has no `upper(…)`" in told and told.count("stays a value") == 1
    sheet = openpyxl.load_workbook(tmp_path / "a.xlsx")["a"]
    header = [each.value for each in sheet[1]]
    found = dict(zip(header, ([each.value for each in row] for row in sheet.iter_cols(min_row=2)), strict=True))
    row = next(at for at, each in enumerate(found["kind"]) if each == "red")
    assert found["nights"][row] == f"=($D{row + 2}-$C{row + 2})"
    assert (
        found["due"][row]
        == f'=ROUND(((($A{row + 2}*$B{row + 2})*IF(EXACT($E{row + 2},"red"),0.8,1))+($F{row + 2}/2)),2)'
    )
    assert found["late"][row] == f"=(($C{row + 2}+3)>DATE(2026,1,20))"
    assert found["sum"][row] == f"=($A{row + 2}+(-3))" and found["code"][row] == "RED"
    # A missing value has no formula, and the values themselves are beside the formulas.
    assert all((each is None) == (kind is None) for each, kind in zip(found["label"], found["kind"], strict=True))
    yurt("generate", "s.yaml", "--out", "plain.xlsx")
    assert values(tmp_path / "a.xlsx", "a") == values(tmp_path / "plain.xlsx", "a")
    assert "60 a rows, all valid" in yurt("verify", "s.yaml", "a.xlsx").stdout.decode()
    if shutil.which("soffice") is None:
        pytest.skip("no LibreOffice is installed here to compute the formulas again")
    out = "csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,true,false"
    subprocess.run(["soffice", f"-env:UserInstallation=file://{tmp_path}/profile", "--headless", "--convert-to", out,
                    "--outdir", tmp_path / "out", tmp_path / "a.xlsx"], check=True, capture_output=True, timeout=120)  # fmt: skip
    again = list(csv.DictReader((tmp_path / "out" / "a.csv").open(encoding="utf-8", newline="")))
    rows = list(csv.DictReader(io.StringIO(yurt("generate", "s.yaml").stdout.decode(), newline="")))
    for computed, own in zip(again, rows, strict=True):
        for name in ("nights", "due", "sum"):
            assert float(computed[name]) == float(own[name])
        for name in ("big", "late", "same", "label"):
            assert computed[name].lower() == own[name].lower(), (name, own)


def test_a_sheet_for_each_value(yurt: Any, tmp_path: Path) -> None:
    made = set()
    for workers in (1, 3):
        yurt(
            "generate",
            DEMO,
            "stay",
            *FEW,
            "--out",
            "stay.xlsx",
            "--with",
            "sheet-per=status",
            "--force",
            "--workers",
            workers,
        )
        made.add((tmp_path / "stay.xlsx").read_bytes())
    assert len(made) == 1
    book = openpyxl.load_workbook(tmp_path / "stay.xlsx")
    stays = json.loads(yurt("generate", DEMO, "stay", *FEW, *FEW, "--format", "json").stdout)
    statuses = list(dict.fromkeys(each["status"] for each in stays))
    assert book.sheetnames == [f"stay {each}" for each in statuses]
    for status in statuses:
        rows = [[each.value for each in row] for row in book[f"stay {status}"].iter_rows()]
        assert [row[0] for row in rows[1:]] == [each["number"] for each in stays if each["status"] == status]
        assert book[f"stay {status}"].freeze_panes == "A2"
    yurt("generate", DEMO, *FEW, "--out", "data/")
    told = yurt(
        "verify",
        DEMO,
        "data/hut.csv",
        "data/hiker.csv",
        "stay.xlsx",
        "--with",
        "stay.sheet-per=status",
        "--format",
        "xlsx",
        code=1,
    )
    assert "not a spreadsheet" in told.stdout.decode()
    told = yurt("verify", DEMO, "stay.xlsx", "--with", "sheet-per=status").stdout.decode()
    assert f"{len(stays)} stay rows, all valid" in told and "the rows are not in their order" in told
    told = yurt(
        "generate", DEMO, "stay", *FEW, *FEW, "--out", "x.xlsx", "--with", "sheet-per=state", code=2
    ).stderr.decode()
    assert "did you mean `status`?" in told
    told = yurt(
        "generate", DEMO, "stay", *FEW, *FEW, "--out", "x.xlsx", "--with", "sheet-per=number", code=2
    ).stderr.decode()
    assert "more than 250 values" in told and not (tmp_path / "x.xlsx").exists()


@pytest.fixture
def there(tmp_path: Path) -> Path:
    """Return a workbook with styles, formulas, a chart, and a sheet `hut`."""
    book = openpyxl.Workbook()
    notes = book.active
    notes.title = "notes & more"
    notes["A1"], notes["B2"], notes["C3"] = "keep", 12.5, "=B2*2"
    notes["A1"].font = openpyxl.styles.Font(bold=True, color="FF0000")
    notes["B2"].number_format = "0.000"
    chart = BarChart()
    chart.add_data(Reference(notes, min_col=2, min_row=2, max_row=2))
    notes.add_chart(chart, "D4")
    old = book.create_sheet("hut")
    old["A1"], old["B1"] = "old", "=A1"
    book.create_sheet("last")["A1"] = "=hut!A1"
    book.save(tmp_path / "there.xlsx")
    return tmp_path / "there.xlsx"


def test_a_sheet_comes_into_a_workbook(there: Path, yurt: Any, tmp_path: Path) -> None:
    yurt("generate", DEMO, *FEW, "--out", "new.xlsx", "--with", "workbook=there.xlsx")
    yurt("generate", DEMO, *FEW, "--out", "plain.xlsx")
    book = openpyxl.load_workbook(tmp_path / "new.xlsx")
    assert book.sheetnames == ["notes & more", "hut", "last", "hiker", "stay"]
    notes = book["notes & more"]
    assert (notes["A1"].value, notes["A1"].font.b, notes["A1"].font.color.rgb) == ("keep", True, "00FF0000")
    assert (notes["B2"].number_format, notes["C3"].value, len(notes._charts)) == ("0.000", "=B2*2", 1)
    plain = openpyxl.load_workbook(tmp_path / "plain.xlsx")
    for name in ("hut", "hiker", "stay"):
        for row, own in zip(book[name].iter_rows(max_row=40), plain[name].iter_rows(max_row=40), strict=True):
            for cell, same in zip(row, own, strict=True):
                assert (cell.value, cell.number_format, cell.font.b) == (same.value, same.number_format, same.font.b)
    # Every other part is the same to the byte.
    changed = {
        "xl/workbook.xml",
        "xl/_rels/workbook.xml.rels",
        "[Content_Types].xml",
        "xl/styles.xml",
        "xl/worksheets/sheet2.xml",
    }
    with zipfile.ZipFile(there) as old, zipfile.ZipFile(tmp_path / "new.xlsx") as new:
        assert set(old.namelist()) <= set(new.namelist())
        assert all(old.read(each) == new.read(each) for each in set(old.namelist()) - changed)
    told = yurt("verify", DEMO, *(f"{each}=new.xlsx" for each in ("hut", "hiker", "stay"))).stdout.decode()
    assert told.count("all valid") == 3


def test_a_workbook_of_another_program(yurt: Any, tmp_path: Path) -> None:
    book = xlsxwriter.Workbook(tmp_path / "plan.xlsx")
    sheet = book.add_worksheet("HUT")
    sheet.write_comment("A1", "a note")
    sheet.add_table("A1:B3")
    other = book.add_worksheet("plan")
    other.write(0, 0, 1.5, book.add_format({"italic": True, "num_format": "0.0000"}))
    book.close()
    before = (tmp_path / "plan.xlsx").read_bytes()
    told = yurt("generate", DEMO, "hut", "--out", "plan.xlsx", "--with", "workbook=plan.xlsx", code=2).stderr.decode()
    assert "--force" in told and (tmp_path / "plan.xlsx").read_bytes() == before
    yurt("generate", DEMO, "hut", "--out", "plan.xlsx", "--with", "workbook=plan.xlsx", "--force")
    found = openpyxl.load_workbook(tmp_path / "plan.xlsx")
    assert found.sheetnames == ["HUT", "plan"] and found["HUT"]["A1"].value == "code" and found["HUT"].max_row == 25
    assert found["HUT"].tables == {} and found["HUT"]["A1"].comment is None
    assert found["plan"]["A1"].number_format == "0.0000" and found["plan"]["A1"].font.i
    # A second time, the sheet is the same again.
    yurt("generate", DEMO, "hut", "--rows", "1..3", "--out", "plan.xlsx", "--with", "workbook=plan.xlsx", "--force")
    assert openpyxl.load_workbook(tmp_path / "plan.xlsx")["HUT"].max_row == 4


def test_wrong_workbooks_to_come_into(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "text.xlsx").write_text("no workbook")
    with zipfile.ZipFile(tmp_path / "odd.xlsx", "w") as out:
        for part in ("xl/workbook.xml", "xl/_rels/workbook.xml.rels", "[Content_Types].xml", "xl/styles.xml"):
            out.writestr(part, "<x:sheets></x:sheets>")
    for name, words in (("none", "there is no file none.xlsx"), ("text", "not a workbook"), ("odd", "in another way")):
        told = yurt(
            "generate", DEMO, "hut", "--out", "n.xlsx", "--with", f"workbook={name}.xlsx", code=2
        ).stderr.decode()
        assert words in told and not (tmp_path / "n.xlsx").exists(), told


def test_numbers_are_the_shortest_texts_that_read_back_equal(yurt: Any, tmp_path: Path) -> None:
    lines = "amount: decimal 0.00..100.00 \nshare: = amount / 3\nbig: decimal 0.00..9999999999999999.99\nwhole: integer 0..999999999999999"
    (tmp_path / "s.yaml").write_text(schema_of(lines, 2000))
    yurt("generate", "s.yaml", "--out", "row.xlsx", "--seed", 4)
    yurt("generate", "s.yaml", "--out", "row.csv", "--seed", 4)
    rows = read_csv((tmp_path / "row.csv").read_bytes())
    with zipfile.ZipFile(tmp_path / "row.xlsx") as book:
        sheet = book.read("xl/worksheets/sheet1.xml").decode()
    stored = {column: re.findall(rf'<c r="{column}\d+"[^>]*><v>([^<]*)</v>', sheet) for column in "ABD"}
    for column, name in zip("ABD", ("amount", "share", "whole"), strict=True):
        assert [Decimal(each) for each in stored[column][-2000:]] == [
            Decimal(repr(float(row[name]))) for row in rows
        ], name
    # More digits than a spreadsheet has stay texts, so that none is lost.
    cells = list(openpyxl.load_workbook(tmp_path / "row.xlsx").active.values)[1:]
    assert [each[2] for each in cells] == [row["big"] for row in rows]
    yurt("verify", "s.yaml", "row.xlsx")
