"""Settings of formats: other programs read what each makes, and `verify` accepts all that keeps types."""

from __future__ import annotations

import ast
import csv
import gzip
import io
import json
import random
import re
from collections.abc import Callable
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

import duckdb
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
import yaml
from lxml import etree

from yurt.core.formats import FORMATS, configured

from .test_formats import HOSTILE


def quoted(text: str) -> str:
    """Return a text as an item of a list; YAML would take some characters for line ends."""
    return json.dumps(text, ensure_ascii=bool(set(text) & set("\x85\u2028\u2029")))


ITEMS = " | ".join(map(quoted, filter(None, HOSTILE)))
FIELDS = """      id:     sequence
      text:   'TEXTS'
      price:  decimal 0.00..12345.00
      beds:   integer 1..9999
      ratio:  = round(price / 7, 3)
      day:    date 2026-01-01..2026-12-31
      moment: datetime 2026-01-01T00:00..2026-12-31T23:59:59
      clock:  time 08:00..22:00
      open:   boolean
      maybe:  integer 1..9, missing 40%
      plain:  one of alpha | beta
"""


def schema(texts: str = "one of alpha | beta", output: str = "") -> str:
    fields = FIELDS.replace("'TEXTS'", "'" + texts.replace("'", "''") + "'")
    return f"yurt: 1\nseed: 7\ntoday: 2026-06-01\n{output}records:\n  hut:\n    count: 400\n    fields:\n{fields}"


@pytest.fixture
def made(yurt: Any, tmp_path: Path) -> Any:
    """Return a function that generates with some settings, and returns the bytes of the file."""

    def run(
        *withs: str, kind: str = "csv", texts: str = f"one of {ITEMS}", output: str = "", verified: bool = True
    ) -> bytes:
        (tmp_path / "s.yaml").write_text(schema(texts, output), "utf-8")
        path = tmp_path / f"hut{FORMATS[kind].suffix}"
        options = [part for each in withs for part in ("--with", each)]
        yurt("generate", "s.yaml", "--out", path, "--force", *options)
        if verified:
            told = yurt("verify", "s.yaml", path, *options).stdout.decode()
            assert "400 hut rows, all valid" in told, told
        return path.read_bytes()

    return run


def rows(data: bytes, encoding: str = "utf-8", **dialect: Any) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(data.decode(encoding), newline=""), strict=True, **dialect))


# Settings of CSV, and how Python's reader reads the file.
DIALECTS: dict[str, tuple[tuple[str, ...], dict[str, Any]]] = {
    "semicolons": (("delimiter=semicolon",), {"delimiter": ";"}), "tabs": (("delimiter=tab",), {"delimiter": "\t"}),
    "carets": (("delimiter=^",), {"delimiter": "^"}), "bars and all quoted": (("delimiter=|", "quoting=all"), {"delimiter": "|"}),
    "single quotes": (("quote-char='",), {"quotechar": "'"}), "quoted texts": (("quoting=texts",), {}),
    "backslashes": (("double-quote=false",), {"doublequote": False, "escapechar": "\\"}),
    "backslashes and single quotes": (("double-quote=false", "quote-char='", "delimiter=semicolon"),
        {"doublequote": False, "escapechar": "\\", "quotechar": "'", "delimiter": ";"}),
    "line feeds": (("line-terminator=lf",), {}), "a byte order mark": (("encoding=utf-8-mark",), {"encoding": "utf-8-sig"}),
    "UTF-16": (("encoding=utf-16",), {"encoding": "utf-16"}), "a word for missing": (("null=NULL",), {}),
}  # fmt: skip


@pytest.mark.parametrize("name", DIALECTS)
def test_another_reader_reads_every_dialect(name: str, made: Any) -> None:
    plain = rows(made())
    withs, dialect = DIALECTS[name]
    data = made(*withs)
    found = rows(data, **dialect)
    null = "NULL" if "null=NULL" in withs else ""
    assert found == [{**each, "maybe": each["maybe"] or null} for each in plain]
    assert (b"\r\n" in data) or "line-terminator=lf" in withs or "encoding=utf-16" in withs
    if name == "quoted texts":
        line = data.decode().split("\r\n")[1]
        assert as_written(line)[1].startswith('"') and not as_written(line)[2].startswith('"')


def as_written(line: str) -> list[str]:
    """Return the cells of a line as they are written."""
    return re.findall(r'"(?:[^"]|"")*"|[^,]+|(?<=,)(?=,)', line)


def test_a_file_without_a_header_has_the_fields_in_their_order(made: Any) -> None:
    plain = rows(made())
    found = list(csv.reader(io.StringIO(made("header=false").decode(), newline="")))
    assert found == [list(each.values()) for each in plain]


def test_pandas_and_duckdb_read_decimal_commas(made: Any, tmp_path: Path) -> None:
    withs = ("style=decimal-comma", "group-char=dot", "date-format=%d.%m.%Y")
    plain, data = rows(made()), made(*withs, texts="one of alpha | beta")
    plain = rows(made(texts="one of alpha | beta"))
    frame = pd.read_csv(io.BytesIO(data), sep=";", decimal=",", thousands=".", parse_dates=["day"], dayfirst=True)
    assert [Decimal(str(each)) for each in frame["price"]] == [Decimal(each["price"]) for each in plain]
    assert frame["beds"].tolist() == [int(each["beds"]) for each in plain]
    assert [each.date() for each in frame["day"]] == [date.fromisoformat(each["day"]) for each in plain]
    (tmp_path / "x.csv").write_bytes(made("style=decimal-comma", texts="one of alpha | beta"))
    read = duckdb.sql(f"select price, ratio from read_csv('{tmp_path / 'x.csv'}', delim=';', decimal_separator=',')")
    assert [round(each, 2) for each, _ in read.fetchall()] == [float(each["price"]) for each in plain]


def test_values_have_the_form_of_the_settings(made: Any) -> None:
    data = made(
        "datetime-format=%d/%m/%Y %H:%M:%S", "time-format=%H.%M", "boolean-format=ja | nein", "date-format=%Y%m%d"
    )
    for plain, found in zip(rows(made()), rows(data), strict=True):
        assert found["clock"] == plain["clock"][:5].replace(":", ".")
        assert found["open"] == {"true": "ja", "false": "nein"}[plain["open"]]
        assert found["day"] == plain["day"].replace("-", "")
        day, clock = plain["moment"].split("T")
        assert found["moment"] == f"{day[8:]}/{day[5:7]}/{day[:4]} {clock}"


def test_an_encoding_that_lacks_a_character_says_where_or_replaces_it(made: Any, yurt: Any, tmp_path: Path) -> None:
    data = made("encoding=windows-1252", texts="one of Grüße | Café | naïve")
    assert {each["text"] for each in rows(data, "cp1252")} == {"Grüße", "Café", "naïve"}
    told = yurt("generate", "s.yaml", "--with", "encoding=iso-8859-2", "--out", "x.csv", code=1).stderr.decode()
    assert "hut.text, row " in told and "iso-8859-2 has no `ï` (U+00EF)" in told and not (tmp_path / "x.csv").exists()
    data = made("encoding=iso-8859-2", "unmappable=?", texts="one of Grüße | naïve", verified=False)
    assert {each["text"] for each in rows(data, "iso-8859-2")} == {"Grüße", "na?ve"}


def test_formulas_are_defused(made: Any) -> None:
    data = made("formulas=defuse", texts='one of "=1+1" | "+1" | "-1" | "@x" | fine | "a=b"', verified=False)
    assert {each["text"] for each in rows(data)} == {"'=1+1", "'+1", "'-1", "'@x", "fine", "a=b"}


def test_fields_are_chosen_ordered_and_renamed(made: Any, yurt: Any) -> None:
    plain = rows(made(verified=False))
    found = rows(made("fields=day, id as Nummer, plain"))
    assert list(found[0]) == ["day", "Nummer", "plain"]
    assert [(each["day"], each["Nummer"]) for each in found] == [(each["day"], each["id"]) for each in plain]
    in_json = json.loads(made("fields=beds,id", kind="json"))
    assert [list(each) for each in in_json] == [["beds", "id"]] * 400


LOADERS: dict[str, Callable[[bytes], Any]] = {
    "json": json.loads, "yaml": yaml.safe_load, "jsonl": lambda data: [json.loads(each) for each in data.splitlines()]
}  # fmt: skip
# Settings of JSON, YAML, and XML that keep types.
OTHERS = [
    ("json", ("missing=absent",)), ("json", ("indent=2",)), ("json", ("indent=4", "missing=absent")), ("jsonl", ("missing=absent",)),
    ("yaml", ("missing=absent",)), ("xml", ("missing=nil",)), ("xml", ("root=data", "record-name=row")), ("xml", ("namespace=urn:x", "prefix=h", "missing=nil")),
    ("xml", ("namespace=urn:x",)), ("xml", ("values=attributes",)), ("xml", ("missing=empty",)), ("tsv", ()), ("tsv", ("quoting=all",)),
]  # fmt: skip


@pytest.mark.parametrize(("kind", "withs"), OTHERS)
def test_json_and_xml_are_read_by_others(kind: str, withs: tuple[str, ...], made: Any) -> None:
    items = " | ".join(
        json.dumps(each, ensure_ascii=False) for each in ("a <b>", 'say "x"', "tab\there", "a\nb", "&amp;", "Grüße")
    )
    plain = rows(made(texts=f"one of {items}"))
    data = made(*withs, kind=kind, texts=f"one of {items}")
    if kind == "tsv":
        assert rows(data, delimiter="\t") == plain
        return
    if kind == "xml":
        tree = etree.fromstring(data)
        assert etree.QName(tree).localname == ("data" if "root=data" in withs else "records")
        assert {etree.QName(each).localname for each in tree} == {"row" if "record-name=row" in withs else "hut"}
        assert {etree.QName(each).namespace for each in tree} == {"urn:x" if "namespace=urn:x" in withs else None}
        found = [dict(each.attrib) or {etree.QName(one).localname: one.text or "" for one in each} for each in tree]
        nil = "{http://www.w3.org/2001/XMLSchema-instance}nil"
        if "missing=nil" in withs:
            assert sum(one.get(nil) == "true" for each in tree for one in each) == sum(
                not each["maybe"] for each in plain
            )
        assert [{**each, "maybe": each.get("maybe", "")} for each in found] == plain
        return
    found = LOADERS[kind](data)
    absent = "missing=absent" in withs
    assert [("maybe" in each) == (bool(one["maybe"]) or not absent) for each, one in zip(found, plain, strict=True)]
    assert [each["text"] for each in found] == [each["text"] for each in plain]
    if "indent=2" in withs:
        assert b'\n  "id": 1,\n' in data


# Files of YAML with a field `id` of 1..400, and what is said of them; empty where they are read.
YAML_FILES = {
    "- {id: 0x1F}\n- id: +5\n- 'id': 0o17\n- id: 4 # four\n": "", "id: 1\n---\nid: 2\n...\n": "", "%YAML 1.2\n--- # huts\n- id: 3\n": "",
    "- id: '3'\n": "type", "- id: yes\n": "type", "- id: 007\n": "", "- id: .nan\n": "type", "- id: 1\n  id: 2\n": "line 2: the key `id` is repeated",
    "- &a {id: 1}\n- *a\n": "line 2: the alias `*a` is not read", "- id: !!int '1'\n": "line 1: the tag `tag:yaml.org,2002:int` is not read",
    "- !!python/object/apply:os.getcwd []\n": "line 1: the tag", "- ? [1, 2]\n  : 3\n": "a key is a list or a mapping", "- id: 1\n - id: 2\n": "not YAML",
    "- id: " + "[" * 500 + "\n": "nested too deeply", "": "the file is empty", "# nothing\n": "the file is empty", "- 3\n": "a record was expected, not 3",
}  # fmt: skip


@pytest.mark.parametrize("text", YAML_FILES)
def test_yaml_is_read_as_in_its_core_schema_and_nothing_else(text: str, yurt: Any, tmp_path: Path) -> None:
    head = schema().split("      id:")[0]
    (tmp_path / "s.yaml").write_text(head + "      id: integer 1..400\n")
    (tmp_path / "hut.yaml").write_text(text)
    wanted = YAML_FILES[text]
    told = yurt("verify", "s.yaml", "hut=hut.yaml", "--partial", code=int(bool(wanted))).stdout.decode()
    assert wanted in told if wanted else "all valid" in told, told


def test_numbers_are_texts_on_request(made: Any) -> None:
    plain = rows(made())
    found = json.loads(made("numbers=text", kind="json", verified=False))
    assert [each["price"] for each in found] == [each["price"] for each in plain]
    assert all(isinstance(each["maybe"], str | None) for each in found)


def test_the_schema_holds_settings_and_the_command_line_comes_first(made: Any, yurt: Any, tmp_path: Path) -> None:
    output = (
        "output:\n  csv:\n    delimiter: semicolon\n    hut: {fields: [id, day], header: false}\n  json: {indent: 2}\n"
    )
    assert made(output=output).split(b"\r\n")[0].count(b";") == 1
    assert made("header=true", "hut.delimiter=tab", output=output).split(b"\r\n")[0] == b"id\tday"
    assert b'\n  "id": 1' in made(kind="json", output=output)
    for wrong, told in (
        ("csv: {delimeter: x}", "`csv` has no setting `delimeter`; did you mean `delimiter`?"),
        ("cvs: {header: false}", "there is no format `cvs`"), ("csv: {header: no}", "`no` is not possible for `header`"),
        ("csv: {hutt: {header: false}}", "there is no record type `hutt`"), ("csv: 3", "`csv` has settings"),
    ):  # fmt: skip
        (tmp_path / "s.yaml").write_text(schema(output=f"output:\n  {wrong}\n"))
        message = yurt("check", "s.yaml", code=1).stderr.decode()
        assert told in message and "s.yaml:5:" in message


WRONG = {
    "delimeter=;": "`csv` has no setting `delimeter`; did you mean `delimiter`?; `yurt formats csv` describes them",
    "delimiter=:": "`:` is not possible for `delimiter` of `csv`: one of comma semicolon tab bar", "delimiter": "is not a setting",
    "encoding=latin1": "`latin1` is not possible for `encoding` of `csv`: utf-8 | utf-8-mark", "hutt.header=false": "there is no record type `hutt`",
    "fields=idd": "`hut` has no field `idd`; did you mean `id`?", "fields=id,id": "`id` occurs twice", "fields=id as x, day as x": "named `x`",
    "date-format=%Q": "`%Q` is not known for date", "decimal-char=,;group-char=comma": "is not possible", "null=a,b": "a word without delimiters",
    "boolean-format=yes": "two words", "quote-char=`": "a double or a single quote", "unmappable=äö": "one ASCII character",
}  # fmt: skip


@pytest.mark.parametrize("setting", WRONG)
def test_wrong_settings_get_one_message(setting: str, yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema())
    told = yurt("generate", "s.yaml", "--with", setting, "--out", "x.csv", code=2).stderr.decode()
    assert WRONG[setting] in told and "Traceback" not in told and not (tmp_path / "x.csv").exists()


@pytest.mark.parametrize("seed", range(12))
def test_settings_at_random_keep_every_value(seed: int, made: Any) -> None:
    """A property: whatever keeps types, `verify` accepts it, and cases are made in it."""
    dice = random.Random(seed)
    kind = dice.choice(("csv", "csv", "tsv", "json", "xml"))
    withs = []
    for each in FORMATS[kind].settings:
        lossy = each.name in ("formulas", "numbers", "unmappable", "style", "null", "fields", "prefix", "header")
        chosen = dice.choice((*each.words, each.example)) if each.words else each.example
        if not lossy and dice.random() < 0.4 and (each.name, chosen) != ("encoding", "windows-1252"):
            withs.append(f"{each.name}={chosen}")
    withs = [
        each for each in withs if not each.startswith("encoding=") or each.endswith(("utf-8", "utf-8-mark", "utf-16"))
    ]
    points = {"decimal-char=,", "group-char=comma"}
    if points <= set(withs) or "group-char=dot" in withs:
        withs = [each for each in withs if not each.startswith("group-char")]
    items = 'one of alpha | "Grüße; \'x\'" | "a,b"' if kind == "xml" else f"one of {ITEMS}"
    made(*withs, kind=kind, texts=items)


@pytest.mark.parametrize("ending", [".csv.gz", ".json.gz", ".csv.zst", ".xml.zst"])
def test_compressed_files_are_written_and_read(ending: str, yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema())
    plain = ending.removesuffix(".gz").removesuffix(".zst")
    yurt("generate", "s.yaml", "--out", f"hut{plain}")
    for workers in (1, 2):
        yurt("generate", "s.yaml", "--out", f"hut{ending}", "--force", "--workers", workers)
        packed = (tmp_path / f"hut{ending}").read_bytes()
        if ending.endswith("gz"):
            found = gzip.decompress(packed)
        else:
            found = pa.CompressedInputStream(pa.BufferReader(packed), "zstd").read()
        assert found == (tmp_path / f"hut{plain}").read_bytes() and len(packed) < len(found) / 2
    assert "all valid" in yurt("verify", "s.yaml", f"hut{ending}").stdout.decode()
    (tmp_path / f"hut{ending}").write_bytes(b"not compressed at all, but long enough to look at")
    assert "not a " in yurt("verify", "s.yaml", f"hut{ending}", code=2).stderr.decode()


@pytest.mark.parametrize("withs", [("delimiter=semicolon",), ("style=decimal-comma", "quoting=all"), ("header=false",)])
def test_cases_and_malformed_files_have_the_dress_of_the_format(
    withs: tuple[str, ...], yurt: Any, tmp_path: Path
) -> None:
    (tmp_path / "s.yaml").write_text(schema())
    options = [part for each in withs for part in ("--with", each)]
    yurt("cases", "s.yaml", "--out", "c.csv", *options, "--labels", "none")
    told = yurt("verify", "s.yaml", "hut=c.csv", *options, "--partial", code=1).stdout.decode()
    assert "violation" in told and "fault" not in told
    yurt("cases", "s.yaml", "--malformed-files", "--format", "csv", "--out", "broken", *options)
    results = rows((tmp_path / "broken" / "expected-results.csv").read_bytes())
    assert len(results) > 8
    for each in results:
        if each["expected"] == "accept":
            assert (
                "all valid"
                in yurt("verify", "s.yaml", f"hut=broken/{each['file']}", *options, "--partial").stdout.decode()
            ), each
        elif each["fault"] not in ("no-header",):
            yurt("verify", "s.yaml", f"hut=broken/{each['file']}", *options, "--partial", code=1)


# Formats of cases, and how other readers get each case's id and its text.
def _of_xml(path: Path) -> dict[str, str | None]:
    return {each.findtext("case/id"): each.get("text") for each in etree.parse(path).getroot()}


def _of_python(path: Path) -> dict[str, str | None]:
    return {each["case.id"]: each["text"] for each in ast.literal_eval(path.read_text("utf-8"))}


def _of_lines(path: Path) -> dict[str, str | None]:
    ids = [each["id"] for each in rows(path.with_name("c-labels.csv").read_bytes())]
    lines = path.read_bytes().decode().removesuffix("\r\n").split("\r\n")
    assert {len(each) for each in lines} == {17 + 8}
    return {name: line[17:].rstrip(" ") or None for name, line in zip(ids, lines, strict=True)}


def _of_latin(path: Path) -> dict[str, str | None]:
    return {each["case.id"]: each["text"] or None for each in rows(path.read_bytes(), "windows-1252")}


CASES: dict[str, tuple[str, tuple[str, ...], Any, str]] = {
    "attributes": ("xml", ("values=attributes",), _of_xml, "XML has texts only"),
    "literals": ("python", (), _of_python, "a missing value is null"),
    "places": ("fixed", ("layout=id 17 right, text 8", "--labels", "beside"), _of_lines, "text has 8 characters"),
    "an encoding": ("csv", ("encoding=windows-1252",), _of_latin, "windows-1252 lacks a character of text"),
}


@pytest.mark.parametrize("name", CASES)
def test_cases_are_the_same_in_every_format_or_said_to_be_missing(name: str, yurt: Any, tmp_path: Path) -> None:
    kind, withs, read, why = CASES[name]
    (tmp_path / "s.yaml").write_text(schema(f"one of {ITEMS}"), "utf-8")
    asked = ("cases", "s.yaml", "--target", "text", "--technique", "partition", "--technique", "hostile")
    yurt(*asked, "--out", "c.jsonl")
    lines = map(json.loads, (tmp_path / "c.jsonl").read_bytes().decode().strip().split("\n"))
    wanted = {each["case"]["id"]: each.get("text") for each in lines}
    told = yurt(*asked, "--format", kind, "--out", "c.out", *(("--with", *withs) if withs else ())).stderr.decode()
    found = read(tmp_path / "c.out")
    assert len(found) > 12 and why in told
    for case, text in found.items():
        same = wanted[case].rstrip(" ") if kind == "fixed" and wanted[case] else wanted[case]
        assert text == (same or None if kind in ("fixed", "csv") else same), case
    # What a format lacks is counted, with its reason.
    lacking = sum(int(each) for each in re.findall(r"hut: (\d+) cases? not in", told))
    assert len(found) < len(wanted) <= len(found) + lacking + len(re.findall("^left out", told, re.M))


# What tables for people, and Perl, cannot show apart; and a value that they can.
INDISTINCT = {"html": ("empty", "a page shows an empty text like a missing value", "space before"), "perl": ("", "1 and 0 for Booleans", "a number"),
    "markdown": ("space before", "Markdown has no line ends in a cell, and no spaces at its edges", "wrong case")}  # fmt: skip


@pytest.mark.parametrize("kind", INDISTINCT)
def test_cases_that_a_format_shows_alike_are_not_in_it(kind: str, yurt: Any, tmp_path: Path) -> None:
    item, why, other = INDISTINCT[kind]
    (tmp_path / "s.yaml").write_text(schema())
    told = yurt("cases", "s.yaml", "--format", kind, "--technique", "partition", "--out", "c.out").stderr.decode()
    text = (tmp_path / "c.out").read_text("utf-8").replace("\\", "")
    assert why in told and other in text and (not item or item not in re.sub(r"reason.*?\n", "", text))


@pytest.mark.parametrize(
    "options", [("--with", "header=false"), ("--format", "fixed", "--with", "layout=id 4, text 9")]
)
def test_an_empty_file_is_a_fault_without_a_header_too(options: tuple[str, ...], yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema())
    (tmp_path / "hut.csv").write_bytes(b"")
    assert "line 1: the file is empty" in yurt("verify", "s.yaml", "hut.csv", *options, code=1).stdout.decode()


def test_every_setting_says_what_it_does() -> None:
    for name, form in FORMATS.items():
        for each in form.settings:
            assert len(each.meaning) > 12 and each.example != each.default, each.name
            assert each.default in each.words or not each.words
            if each.name != "prefix":
                configured(name, {each.name: each.example, **getattr(form, "needed", {})})


FAMILIES = """yurt: 1
seed: 3
today: 2026-06-01
records:
  hut:
    count: 90
    fields: {"code": "/[A-Z]{3}[0-9]/, unique", "beds": "integer 1..9"}
  room:
    count: 0..3 per hut
    fields: {"id": "sequence", "hut": "ref hut", "name": "one of north | south"}
  bunk:
    count: 2 per room
    fields: {"number": "sequence", "room": "ref room", "free": "boolean, missing 20%"}
  stay:
    count: 1..2 per hut
    fields: {"day": "date 2026-06-01..2026-09-30", "hut": "ref hut"}
"""


@pytest.mark.parametrize("kind", ["json", "jsonl", "yaml", "parquet", "arrow", "xml"])
def test_children_stand_inside_their_parents_at_any_depth(kind: str, yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(FAMILIES)
    yurt("generate", "s.yaml", "--out", "apart/", "--format", "json")
    apart = {each.stem: json.loads(each.read_text()) for each in (tmp_path / "apart").iterdir()}
    for room in apart["room"]:
        room["bunk"] = [each for each in apart["bunk"] if each["room"] == room["id"]]
    for hut in apart["hut"]:
        for name in ("room", "stay"):
            hut[name] = [each for each in apart[name] if each["hut"] == hut["code"]]
    made = set()
    for workers in (1, 2):
        yurt(
            "generate",
            "s.yaml",
            "--out",
            "in/",
            "--format",
            kind,
            "--with",
            "children=inside",
            "--force",
            "--workers",
            workers,
        )
        assert [each.stem for each in (tmp_path / "in").iterdir()] == ["hut"]
        made.add((tmp_path / "in" / f"hut.{kind}").read_bytes())
    (data,) = made
    if kind == "xml":
        tree = etree.fromstring(data)
        assert [len(each.findall("room/value/bunk/value")) for each in tree] == [
            sum(len(room["bunk"]) for room in hut["room"]) for hut in apart["hut"]
        ]
        return
    if kind in LOADERS:
        found = LOADERS[kind](data)
    else:
        table = pq.read_table(io.BytesIO(data)) if kind == "parquet" else pa.ipc.open_file(data).read_all()
        found = json.loads(json.dumps(table.to_pylist(), default=str))
    assert found == apart["hut"]
    one = yurt("generate", "s.yaml", "hut", "--format", "json", "--rows", "5..6", "--with", "children=inside").stdout
    assert json.loads(one) == apart["hut"][4:6]


@pytest.mark.parametrize("ending", [".csv", ".jsonl", ".json.gz", ".parquet"])
def test_parts_joined_are_the_whole(ending: str, yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema())
    whole = json.loads(yurt("generate", "s.yaml", "--format", "json").stdout)
    told = yurt("generate", "s.yaml", "--out", f"hut{ending}", "--rows-per-file", 37).stderr.decode()
    names = sorted(each.name for each in tmp_path.glob("hut-*"))
    assert names == [f"hut-{number:02}{ending}" for number in range(1, 12)] and "11 files" in told
    found: list[Any] = []
    for each in (tmp_path / name for name in names):
        data = gzip.decompress(each.read_bytes()) if ending.endswith("gz") else each.read_bytes()
        if ending == ".csv":
            found += [{**row, "id": int(row["id"])} for row in rows(data)]
        elif ending == ".parquet":
            found += pq.read_table(each).to_pylist()
        else:
            found += json.loads(data) if ending == ".json.gz" else [json.loads(line) for line in data.splitlines()]
    assert [each["id"] for each in found] == [each["id"] for each in whole]
    assert [str(each["text"]) for each in found] == [each["text"] for each in whole]
    assert "all valid" in yurt("verify", "s.yaml", f"hut=hut-03{ending}", "--partial").stdout.decode()
    for wrong, words in (
        (("--out", "-"), "several files need --out"),
        (("--out", "x.csv", "--errors", "1%"), "and no --errors"),
    ):
        assert words in yurt("generate", "s.yaml", "--rows-per-file", 5, *wrong, code=2).stderr.decode()
    told = yurt("generate", "s.yaml", "--out", "few.csv", "--rows-per-file", 3).stderr.decode()
    assert told.startswith("few-001.csv: 3 rows") and "… 132 more …" in told and "few-134.csv: 1 row" in told
