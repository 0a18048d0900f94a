"""Typed files and SQL: other programs read them, and their values are equal to those of JSON."""

from __future__ import annotations

import io
import json
import re
import sqlite3
import zipfile
from collections.abc import Iterator
from datetime import date, datetime, time
from decimal import Decimal
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

import duckdb
import openpyxl
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from click.testing import CliRunner

from yurt.cli.main import cli
from yurt.core.engine.run import Run, RunOptions
from yurt.core.formats import FORMATS
from yurt.core.language.reader import read
from yurt.core.source.diagnostics import Source
from yurt.core.writing.runs import write

from .conftest import schema_of
from .servers import Server, mariadb, postgres
from .test_formats import HOSTILE
from .test_settings import ITEMS, quoted, schema

TYPES = """yurt: 1
seed: 4
today: 2026-06-01
locale: de-AT
records:
  hut:
    count: 40
    fields:
      code:   /[A-Z]{3}[0-9]{3}/, unique
      beds:   integer -5..900
      price:  decimal -9.50..95.75
      ratio:  = sqrt(beds * beds)
      opens:  date 1899-12-31..2026-12-31
      built:  datetime 1950-01-01T00:00..2026-12-31T23:59:59
      noted:  datetime 2026-03-01T00:00..2026-11-30T00:00 zone Europe/Vienna
      clock:  time 08:00..22:00 step 1s
      open:   boolean
      maybe:  integer 1..9, missing 40%
      tags:   list 0..3 of one of a | b | "c'd"
      place:
        nested:
          city: city
          zip: postal-code
  stay:
    count: 0..3 per hut
    fields:
      number: sequence
      hut:    ref hut
      status: one of booked | left
      nights: integer 1..14
"""


@pytest.fixture
def typed(yurt: Any, tmp_path: Path) -> Any:
    (tmp_path / "s.yaml").write_text(TYPES)
    yurt("generate", "s.yaml", "--format", "json", "--out", "json/")
    return json.loads((tmp_path / "json" / "hut.json").read_text())


def same(found: Any, wanted: Any) -> bool:
    """Compare a value of Python with that of JSON."""
    if isinstance(found, datetime) and found.tzinfo is not None:
        return found == datetime.fromisoformat(wanted)
    if isinstance(found, datetime | date | time):
        return type(found).fromisoformat(wanted) == found
    if isinstance(found, Decimal):
        return found == Decimal(str(wanted))
    if isinstance(found, dict):
        return all(same(found[name], wanted[name]) for name in wanted) and found.keys() == wanted.keys()
    return bool(found == wanted)


@pytest.mark.parametrize("kind", ["parquet", "arrow"])
def test_typed_files_have_logical_types(kind: str, typed: Any, yurt: Any, tmp_path: Path) -> None:
    made = set()
    for workers in (1, 2, 4):
        yurt("generate", "s.yaml", "--format", kind, "--out", f"{kind}/", "--force", "--workers", workers)
        made.add((tmp_path / kind / f"hut.{kind}").read_bytes())
    assert len(made) == 1
    path = tmp_path / kind / f"hut.{kind}"
    table = pq.read_table(path) if kind == "parquet" else pa.ipc.open_file(path.read_bytes()).read_all()
    types = {each.name: str(each.type) for each in table.schema}
    assert types["price"].startswith("decimal128") and types["opens"].startswith("date32")
    assert types["noted"] == "timestamp[us, tz=Europe/Vienna]" and types["built"] == "timestamp[us]"
    stays = tmp_path / kind / f"stay.{kind}"
    own = pq.read_table(stays) if kind == "parquet" else pa.ipc.open_file(stays.read_bytes()).read_all()
    assert str(own.schema.field("status").type) == "dictionary<values=string, indices=int32, ordered=0>"
    assert own["status"].chunk(0).dictionary.to_pylist() == ["booked", "left"]
    assert types["tags"].startswith("list<") and types["place"].startswith("struct<city") and types["open"] == "bool"
    rows = table.to_pylist()
    assert len(rows) == len(typed)
    for row, wanted in zip(rows, typed, strict=True):
        for name, value in wanted.items():
            assert same(row[name], value), (name, row[name], value)
    told = yurt("verify", "s.yaml", f"{kind}/").stdout.decode()
    assert "40 hut rows, all valid" in told and told.count("all valid") == 2
    if kind == "parquet":
        assert len(pd.read_parquet(path)) == 40
        found = duckdb.sql(f"select count(*), sum(price), max(noted) from '{path}'").fetchall()[0]
        assert found[1] == sum(Decimal(str(each["price"])) for each in typed)


@pytest.mark.parametrize("kind", ["parquet", "arrow"])
def test_wrong_values_in_typed_files_are_found(kind: str, typed: Any, yurt: Any, tmp_path: Path) -> None:
    yurt("generate", "s.yaml", "hut", "--out", f"hut.{kind}")
    path = tmp_path / f"hut.{kind}"
    table = pq.read_table(path) if kind == "parquet" else pa.ipc.open_file(path.read_bytes()).read_all()

    def write(changed: pa.Table) -> str:
        if kind == "parquet":
            pq.write_table(changed, path)
        else:
            with pa.ipc.new_file(str(path), changed.schema) as out:
                out.write_table(changed)
        return str(yurt("verify", "s.yaml", path, "--partial", code=1).stdout.decode())

    at = table.schema.get_field_index("beds")
    assert "hut.beds  range" in write(table.set_column(at, "beds", pa.array([9999, *table["beds"].to_pylist()[1:]])))
    assert "hut.beds  type" in write(table.set_column(at, "beds", pa.array(["x"] * 40)))
    assert "hut.beds  presence" in write(table.set_column(at, "beds", pa.array([None, *table["beds"].to_pylist()[1:]])))
    assert "hut.beds  presence" in write(table.drop_columns(["beds"]))
    path.write_bytes(b"nothing of that kind")
    assert "not a" in yurt("verify", "s.yaml", path, code=1).stdout.decode()
    told = yurt("cases", "s.yaml", "hut", "--out", f"cases.{kind}", code=2).stderr.decode()
    assert "cannot hold wrong values" in told and "csv" in told
    assert (
        "cannot hold wrong"
        in yurt("generate", "s.yaml", "hut", "--errors", "1%", "--out", f"x.{kind}", code=2).stderr.decode()
    )


@pytest.mark.parametrize("kind", ["parquet", "arrow", "sql", "csv", "xlsx"])
def test_a_file_without_rows_has_its_columns(kind: str, yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(TYPES)
    yurt("generate", "s.yaml", "hut", "--count", 0, "--out", f"hut.{kind}")
    path = tmp_path / f"hut.{kind}"
    if kind == "parquet":
        assert pq.read_table(path).schema.names[0] == "code" and pq.read_table(path).num_rows == 0
    elif kind == "arrow":
        assert pa.ipc.open_file(path.read_bytes()).read_all().num_rows == 0
    elif kind == "xlsx":
        assert openpyxl.load_workbook(path)["hut"]["A1"].value == "code"
    else:
        assert b"code" in path.read_bytes()


# ---- XLSX ------------------------------------------------------------------------------------------------------------

# In a spreadsheet, an empty text is an empty cell, and U+0000 to U+001F are written by number.
IN_CELLS = [each for each in HOSTILE if each and not set(each) & set(map(chr, range(9))) and "\r" not in each]


def sheet(path: Path, name: str) -> list[dict[str, Any]]:
    book = openpyxl.load_workbook(path)
    header, *rows = book[name].iter_rows(values_only=True)
    return [dict(zip(header, row, strict=True)) for row in rows]


def test_a_workbook_has_typed_cells(typed: Any, yurt: Any, tmp_path: Path) -> None:
    made = set()
    for workers in (1, 2):
        yurt("generate", "s.yaml", "--out", "all.xlsx", "--force", "--workers", workers)
        made.add((tmp_path / "all.xlsx").read_bytes())
    assert len(made) == 1
    book = openpyxl.load_workbook(tmp_path / "all.xlsx")
    assert book.sheetnames == ["hut", "stay"]
    huts = book["hut"]
    assert huts.freeze_panes == "A2" and huts.auto_filter.ref == "A1:M41" and huts["A1"].font.bold
    assert (huts["C2"].number_format, huts["F2"].number_format) == ("0.00", "yyyy-mm-dd hh:mm:ss")
    for row, wanted in zip(sheet(tmp_path / "all.xlsx", "hut"), typed, strict=True):
        assert isinstance(row["beds"], int) and isinstance(row["open"], bool) and isinstance(row["built"], datetime)
        for name in ("code", "beds", "maybe", "open", "noted"):
            assert row[name] == wanted[name], name
        assert round(Decimal(row["price"]), 2) == Decimal(str(wanted["price"]))
        assert row["built"] == datetime.fromisoformat(wanted["built"]) and row["clock"] == time.fromisoformat(
            wanted["clock"]
        )
        assert json.loads(row["tags"]) == wanted["tags"] and row["place.city"] == wanted["place"]["city"]
        # Before 1900, a date is a text, and so is its whole block.
        assert str(row["opens"])[:10] == wanted["opens"]
    told = yurt("verify", "s.yaml", "hut=all.xlsx", "stay=all.xlsx").stdout.decode()
    assert told.count("all valid") == 2


def test_every_text_arrives_in_a_workbook(yurt: Any, tmp_path: Path) -> None:
    items = " | ".join(map(quoted, IN_CELLS))
    (tmp_path / "s.yaml").write_text(schema(f"one of {items}"), "utf-8")
    wanted = json.loads(yurt("generate", "s.yaml", "--format", "json").stdout)
    yurt("generate", "s.yaml", "--out", "hut.xlsx", "--with", "date-shape=dd.mm.yyyy")
    rows = sheet(tmp_path / "hut.xlsx", "hut")
    assert [each["text"] for each in rows] == [each["text"] for each in wanted]
    assert openpyxl.load_workbook(tmp_path / "hut.xlsx")["hut"]["F2"].number_format == "dd.mm.yyyy"
    assert "400 hut rows, all valid" in yurt("verify", "s.yaml", "hut.xlsx").stdout.decode()


def test_more_rows_than_a_sheet_has_go_on_in_the_next(yurt: Any, tmp_path: Path, monkeypatch: Any) -> None:
    monkeypatch.setattr("yurt.core.formats.xlsx.MOST_ROWS", 101)
    monkeypatch.setattr("yurt.core.formats.xlsx.writing.MOST_ROWS", 101)
    schema_of_rows, _ = read(Source("s", schema()))
    out = io.BytesIO()
    write(Run(schema_of_rows, RunOptions(seed=1)), "hut", (0, 250), FORMATS["xlsx"], out, 2)
    book = openpyxl.load_workbook(out)
    assert book.sheetnames == ["hut", "hut 2", "hut 3"]
    assert [book[each].max_row for each in book.sheetnames] == [101, 101, 51]
    ids = [row[0] for each in book.sheetnames for row in book[each].iter_rows(min_row=2, values_only=True)]
    assert ids == list(range(1, 251))
    reading = FORMATS["xlsx"].reading(io.BytesIO(out.getvalue()), schema_of_rows.records["hut"], ())
    assert sum(each.size for each in reading.pieces()) == 250
    assert FORMATS["xlsx"].rows_a_sheet == 1_048_575


def test_further_sheets_are_announced(tmp_path: Path, monkeypatch: Any) -> None:
    # In this process, because a full sheet takes long.
    monkeypatch.setattr("yurt.core.formats.xlsx.MOST_ROWS", 101)
    monkeypatch.setattr("yurt.core.formats.xlsx.writing.MOST_ROWS", 101)
    (tmp_path / "s.yaml").write_text(schema())
    for count, words in ((100, ""), (101, "1 further sheet,"), (250, "2 further sheets,")):
        options = ["--count", str(count), "--with", "header=true", "--out", str(tmp_path / f"{count}.xlsx")]
        told = CliRunner().invoke(cli, ["generate", str(tmp_path / "s.yaml"), *options]).stderr
        assert (f"hut goes on in {words} because a sheet has at most 100 rows" in told) == bool(words), told
    told = (
        CliRunner()
        .invoke(cli, ["generate", str(tmp_path / "s.yaml"), *options, "--force", "--with", "sheet-per=open"])
        .stderr
    )
    assert "hut: a value with more than 100 rows goes on in further sheets" in told


def test_wrong_workbooks_get_one_message(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(TYPES)
    (tmp_path / "hut.xlsx").write_bytes(b"no workbook")
    assert "not a spreadsheet" in yurt("verify", "s.yaml", "hut.xlsx", code=1).stdout.decode()
    book = openpyxl.Workbook()
    book.active.title = "other"
    book.create_sheet("one more")
    book.save(tmp_path / "hut.xlsx")
    assert (
        "no sheet is named `hut`; there are other, one more"
        in yurt("verify", "s.yaml", "hut.xlsx", code=1).stdout.decode()
    )
    long = schema('text "{draw(text 9000)}{draw(text 9000)}{draw(text 9000)}{draw(text 9000)}"')
    (tmp_path / "l.yaml").write_text(long)
    told = yurt("generate", "l.yaml", "--out", "l.xlsx", code=1).stderr.decode()
    assert "hut.text, row 1: a cell has at most 32,767 characters" in told and not (tmp_path / "l.xlsx").exists()


def open_document(path: Path, rows: list[list[Any]], loose: bool) -> None:
    """Write a workbook as OpenDocument 1.3 describes it, with typed cells; `loose` writes Booleans as numbers."""

    def cell(value: Any) -> str:
        if value is None:
            return "<table:table-cell/>"
        if isinstance(value, bool) and not loose:
            kind, more = "boolean", f'office:boolean-value="{str(value).lower()}"'
        elif isinstance(value, bool | int | float):
            kind, more = "float", f'office:value="{float(value)}"'
        elif isinstance(value, str) and re.fullmatch(r"[12]\d{3}-\d\d-\d\d(T[\d:]{8})?", value):
            kind, more = "date", f'office:date-value="{value}"'
        elif isinstance(value, str) and re.fullmatch(r"\d\d:\d\d:\d\d", value):
            kind, more = "time", 'office:time-value="PT{}H{}M{}S"'.format(*value.split(":"))
        else:
            kind, more = "string", ""
        text = escape(value if isinstance(value, str) else json.dumps(value))
        return f'<table:table-cell office:value-type="{kind}" {more}><text:p>{text}</text:p></table:table-cell>'

    spaces = " ".join(
        f'xmlns:{each}="urn:oasis:names:tc:opendocument:xmlns:{each}:1.0"' for each in ("office", "table", "text")
    )
    lines = "".join(f"<table:table-row>{''.join(map(cell, row))}</table:table-row>" for row in rows)
    body = f'<office:body><office:spreadsheet><table:table table:name="hut">{lines}</table:table></office:spreadsheet></office:body>'
    with zipfile.ZipFile(path, "w") as book:
        book.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        book.writestr("content.xml", f"<office:document-content {spaces}>{body}</office:document-content>")
        manifest = "urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"
        book.writestr("META-INF/manifest.xml", f'<m:manifest xmlns:m="{manifest}"/>')


@pytest.mark.parametrize("loose", [False, True])
def test_open_document_is_read(loose: bool, typed: Any, yurt: Any, tmp_path: Path) -> None:
    rows = [{**each, "place.city": each["place"]["city"], "place.zip": each["place"]["zip"]} for each in typed]
    for each in rows:
        each["tags"] = json.dumps(each["tags"])
        del each["place"]
    table = [list(rows[0]), *(list(each.values()) for each in rows)]
    open_document(tmp_path / "hut.ods", table, loose)
    told = yurt("verify", "s.yaml", "hut.ods").stdout.decode()
    assert "40 hut rows, all valid" in told, told
    rows[6] |= {"beds": 901, "open": 2, "opens": "2027-01-01", "maybe": "x"}
    open_document(tmp_path / "hut.ods", [table[0], *(list(each.values()) for each in rows)], loose)
    told = yurt("verify", "s.yaml", "hut.ods", "--partial", code=1).stdout.decode()
    found = set(re.findall(r"hut\.(\w+)  (\w+)\n +row 7:", told))
    assert found == {("beds", "range"), ("open", "type"), ("opens", "range"), ("maybe", "type")}, told
    told = yurt("generate", "s.yaml", "hut", "--out", "new.ods", code=2).stderr.decode()
    assert "only read; write .xlsx" in told and not (tmp_path / "new.ods").exists()


# ---- SQL -------------------------------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def servers() -> Iterator[dict[str, Server]]:
    with postgres() as first, mariadb() as second:
        found: dict[str, Server | None] = {"postgresql": first, "standard": first, "mysql": second}
        yield {name: each for name, each in found.items() if each is not None}


def answers(dialect: str, sql: bytes, query: str, servers: dict[str, Server]) -> str:
    """Run statements in a database of this dialect, and return the result of a query as text."""
    if dialect == "sqlite":
        connection = sqlite3.connect(":memory:")
        connection.executescript("pragma foreign_keys = on;" + sql.decode())
        assert connection.execute("pragma foreign_key_check").fetchall() == []
        return "\n".join("|".join(map(str, row)) for row in connection.execute(query))
    if dialect not in servers:
        pytest.skip(f"no server for {dialect} is installed here")
    return servers[dialect].query(sql, query)


HEX = {"postgresql": "encode(convert_to(text, 'UTF8'), 'hex')", "standard": "encode(convert_to(text, 'UTF8'), 'hex')"}


@pytest.mark.parametrize("dialect", ["sqlite", "postgresql", "standard", "mysql"])
def test_every_text_arrives_in_a_database(dialect: str, yurt: Any, tmp_path: Path, servers: dict[str, Server]) -> None:
    (tmp_path / "s.yaml").write_text(schema(f"one of {ITEMS}"), "utf-8")
    wanted = [each["text"] for each in json.loads(yurt("generate", "s.yaml", "--format", "json").stdout)]
    sql = yurt("generate", "s.yaml", "--format", "sql", "--with", f"dialect={dialect}", "--with", "rows=7").stdout
    found = answers(dialect, sql, f"select {HEX.get(dialect, 'hex(text)')} from hut order by id", servers)
    assert [bytes.fromhex(each).decode() for each in found.split("\n")] == wanted


@pytest.mark.parametrize("dialect", ["sqlite", "postgresql", "standard", "mysql"])
def test_tables_have_keys_references_and_checks(
    dialect: str, typed: Any, yurt: Any, tmp_path: Path, servers: dict[str, Server]
) -> None:
    options = ("--with", f"dialect={dialect}")
    made = set()
    for workers in (1, 2):
        yurt("generate", "s.yaml", "--out", "all.sql", "--force", "--workers", workers, *options)
        made.add((tmp_path / "all.sql").read_bytes())
    (sql,) = made
    stays = json.loads((tmp_path / "json" / "stay.json").read_text())
    query = "select count(*), sum(price), (select count(*) from stay join hut h on h.code = stay.hut) from hut"
    count, price, joined = answers(dialect, sql, query, servers).replace("\t", "|").split("|")
    assert (int(count), int(joined)) == (40, len(stays))
    assert round(Decimal(price), 2) == sum(Decimal(str(each["price"])) for each in typed)
    first = typed[0]
    for change in (
        "insert into stay (number, hut, status, nights) values (9999, 'ZZZ999', 'booked', 3);",
        f"insert into stay (number, hut, status, nights) values (9999, '{first['code']}', 'lost', 3);",
        f"insert into stay (number, hut, status, nights) values (9999, '{first['code']}', 'left', 15);",
        f"insert into stay (number, hut, status, nights) values (1, '{first['code']}', 'left', 3);",
        f"insert into stay (number, hut, status, nights) values (9999, '{first['code']}', null, 3);",
    ):
        with pytest.raises((AssertionError, sqlite3.IntegrityError)):
            answers(dialect, sql + change.encode(), "select 1 from hut", servers)
    good = f"insert into stay (number, hut, status, nights) values (9999, '{first['code']}', 'left', 3);"
    answers(dialect, sql + good.encode(), "select 1 from hut", servers)


def test_outliers_are_within_the_checked_range(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema_of("n: integer 1..9, usually normal(5, 1), outliers 5%", 90))
    sql = yurt("generate", "s.yaml", "--format", "sql").stdout
    assert b'CHECK ("n" BETWEEN 1 AND 9)' in sql
    sqlite3.connect(":memory:").executescript(sql.decode())


def test_sql_says_what_it_cannot(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(TYPES)
    yurt("generate", "s.yaml", "stay", "--out", "stay.sql")
    text = (tmp_path / "stay.sql").read_text()
    assert "-- stay.hut: the keys of hut are in no table in front of this one" in text and "FOREIGN KEY" not in text
    assert "sql is only written, not read" in yurt("verify", "s.yaml", "stay.sql", code=2).stderr.decode()
    yurt("generate", "s.yaml", "hut", "--out", "plain.sql", "--with", "create=false")
    assert "CREATE" not in (tmp_path / "plain.sql").read_text()
    (tmp_path / "n.yaml").write_text(schema('one of "a\\u{0}b" | x'))
    told = yurt("generate", "n.yaml", "--out", "n.sql", code=1).stderr.decode()
    assert "hut.text, row " in told and "U+0000" in told and not (tmp_path / "n.sql").exists()
