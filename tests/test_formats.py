"""Other programs' readers read the written files back, and every value is equal."""

from __future__ import annotations

import csv
import io
import json
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any

import duckdb
import pandas as pd
import pytest
import yaml
from lxml import etree

import yurt as library
from yurt.core.engine.run import Run, RunOptions
from yurt.core.formats import FORMATS
from yurt.core.writing.runs import write

from .conftest import HUTS, read_csv, schema_of

HOSTILE = [
    "plain",
    "",
    " ",
    " leading",
    "trailing ",
    'say "hut"',
    '"',
    '""',
    "a,b",
    ",",
    "a\nb",
    "a\r\nb",
    "\r",
    "tab\there",
    "semi;colon",
    "back\\slash",
    "\\n",
    "<hut a='1'>&amp;</hut>",
    "]]>",
    "<!--",
    "null",
    "NULL",
    "true",
    "007",
    "1e5",
    "=1+1",
    "😀🏔",
    "שלום",
    "\u202eright-to-left\u202c",
    "e\u0301",
    "\u00a0",
    "\u2028",
    "\ufeffmark",
    "ﬁn\u200bal",
    "'single'",
    "{b}",
    # What readers of single formats take for something else: numbers, dates, marks of YAML, Markdown, SQL, and templates.
    *("-0", "+1", "0x10", "1_000", "1,5", "1.", ".5", "NaN", "-Infinity", "2026-06-01", "12:30", "12:30:00.5", "1/2"),
    *("yes", "No", "on", "~", "- item", "key: value", "# note", "&anchor", "*alias", "!tag", "%TAG", "@at", "`code`"),
    *("[]", "{}", "[x](y)", "**bold**", "a|b", "> quote", "---", "...", "?", ":", "|", "\\N", "\\.", "\\u0041"),
    *("'; drop table hut; --", "' or ''='", "/* x */", "?>", "&#10;", "&amp;amp;", "%s %n %(x)s", "$1 ${x}", "#{x}"),
    *("{{ x }}", "{% x %}", "<%= x %>", "+cmd|' /C x'!A0", "@SUM(A1)", "a\\", 'a\\"b', "''", "x" * 300, "é" * 100),
    *(
        "\u2029",
        "\u0085",
        "\u00ad",
        "\u200f",
        "👩\u200d🚀",
        "𝒜",
        "İıßſ",
        "ǅ",
        "\U0010fffd",
        "\t",
        "\n",
        " \n ",
        "a\n\nb",
    ),
]
CONTROLS = ["\0", "a\x01b", "\x1f", "\x7f", "\ufffe"]
OTHERS = """
n: integer -5..5, missing 20%
d: decimal -9.99..9.99, missing 20%
tiny: decimal 0.00000000..0.00000009
f: = n / 3
t: boolean, missing 20%
day: date 0001-01-01..9999-12-31, missing 20%
at: datetime 1900-01-01T00:00..2100-12-31T23:59, missing 20%
fine: datetime 1969-12-31T23:59..1970-01-01T00:01 step 500ms
word: one of a | b, missing 20%
"""


def quoted(text: str) -> str:
    """Write a text as the schema language does, with every unusual character escaped."""
    return '"' + "".join(char if char.isalnum() and char < "\x7f" else f"\\u{{{ord(char):X}}}" for char in text) + '"'


@pytest.fixture
def hostile(tmp_path: Path) -> Path:
    items = " | ".join(map(quoted, HOSTILE))
    path = tmp_path / "hostile.yaml"
    lines = f"text: 'one of {items}, missing 5%'\nbare: 'one of {items}, unique'{OTHERS}"
    path.write_text(schema_of(lines, len(HOSTILE), head="seed: 9\ntoday: 2026-06-01\n"), encoding="utf-8")
    return path


def value(name: str, text: str | None) -> Any:
    """Convert a text in standard form into the Arrow value of the field."""
    if text is None or name in ("text", "bare", "word"):
        return text
    if name in ("day", "at", "fine"):
        return (date if name == "day" else datetime).fromisoformat(text)
    return {"n": int, "d": Decimal, "tiny": Decimal, "f": float, "t": {"true": True, "false": False}.get}[name](text)


def test_csv_is_read_back_equal(hostile: Path, yurt: Any) -> None:
    expected = library.table(library.read(hostile), "row").to_pylist()
    data = yurt("generate", hostile).stdout
    assert {row["bare"] for row in expected} == set(HOSTILE)
    for row, want in zip(read_csv(data), expected, strict=True):
        for name, text in row.items():
            if name in ("text", "bare", "word"):
                assert text == (want[name] or "")
            else:
                assert value(name, text or None) == want[name]
    # DuckDB distinguishes a missing value from an empty text.
    path = hostile.with_suffix(".csv")
    path.write_bytes(data)
    sql = f"select text, n, d, day from read_csv('{path}', header=true, all_varchar=true, quote='\"', delim=',', new_line='\\r\\n', allow_quoted_nulls=false)"
    for got, want in zip(duckdb.sql(sql).fetchall(), expected, strict=True):
        assert (got[0] or "") == (want["text"] or "")
        assert [value(name, text) for name, text in zip(("n", "d", "day"), got[1:], strict=True)] == [
            want[k] for k in ("n", "d", "day")
        ]
        assert (got[0] is None) == (want["text"] is None)
    assert data.count(b"\r\n") >= len(HOSTILE) + 1
    assert data.endswith(b"\r\n")


class Exact(yaml.SafeLoader):
    """Reads decimals with all their digits."""


Exact.add_constructor("tag:yaml.org,2002:float", lambda loader, node: Decimal(node.value))


@pytest.mark.parametrize("form", ["json", "jsonl", "yaml"])
def test_json_is_read_back_equal(form: str, hostile: Path, yurt: Any) -> None:
    expected = library.table(library.read(hostile), "row").to_pylist()
    text = yurt("generate", hostile, "--format", form).stdout.decode()
    if form == "json":
        rows = json.loads(text, parse_float=Decimal)
    elif form == "yaml":
        rows = yaml.load(text, Exact)
    else:
        rows = [json.loads(line, parse_float=Decimal) for line in text.removesuffix("\n").split("\n")]
    for row, want in zip(rows, expected, strict=True):
        for name, got in row.items():
            if name in ("day", "at", "fine"):
                got = value(name, got)
            assert got == want[name] or (name == "f" and float(got) == want[name])
            assert type(got) is type(want[name]) or name in ("f", "tiny")


def test_xml_is_read_back_equal(hostile: Path, yurt: Any) -> None:
    expected = library.table(library.read(hostile), "row").to_pylist()
    root = etree.fromstring(yurt("generate", hostile, "--format", "xml").stdout)
    assert root.tag == "records"
    for element, want in zip(root, expected, strict=True):
        found = {child.tag: child.text or "" for child in element}
        assert element.tag == "row"
        assert {name: value(name, found.get(name)) for name in want} == want


def test_csv_and_json_hold_control_characters_and_xml_says_which_it_cannot(tmp_path: Path, yurt: Any) -> None:
    items = " | ".join(map(quoted, CONTROLS))
    (tmp_path / "c.yaml").write_text(schema_of(f"a: 'one of {items}, unique'", len(CONTROLS), head="seed: 1\n"))
    rows = list(csv.reader(io.StringIO(yurt("generate", "c.yaml").stdout.decode(), newline="")))
    assert {row[0] for row in rows[1:]} == set(CONTROLS)
    assert {row["a"] for row in json.loads(yurt("generate", "c.yaml", "--format", "json").stdout)} == set(CONTROLS)
    done = yurt("generate", "c.yaml", "--out", "c.xml", code=1)
    assert b"row.a, row 1: XML cannot express the character U+" in done.stderr
    assert not (tmp_path / "c.xml").exists()


@pytest.mark.parametrize("form", ["csv", "jsonl", "xml", "yaml"])
def test_what_is_written_of_a_row_does_not_depend_on_the_rows_around_it(form: str, hostile: Path) -> None:
    run = Run(library.read(hostile), RunOptions(count=30))

    def written(first: int, last: int) -> list[bytes]:
        out = io.BytesIO()
        write(run, "row", (first, last), FORMATS[form], out, workers=1)
        # The header, opening, and closing surround the records; line breaks inside texts stay unchanged.
        separator = FORMATS[form].separator.encode()
        opening = FORMATS[form].opening("row", [each.name for each in run.schema.records["row"].shown]).encode()
        return out.getvalue().removeprefix(opening).removesuffix(FORMATS[form].closing.encode()).split(separator)

    assert b"".join(written(0, 30)) == b"".join(b"".join(written(row, row + 1)) for row in range(30))


def test_names_of_the_output_may_be_anything(tmp_path: Path, yurt: Any) -> None:
    lines = """a: integer 1..1, named "First, \\"big\\" name"\nb: = a + 1, named "@id"\nc:\n  when:\n    else: = b\n  named: Größe (m)"""
    (tmp_path / "n.yaml").write_text(schema_of(lines, 1))
    expected = {'First, "big" name': 1, "@id": 2, "Größe (m)": 2}
    assert json.loads(yurt("generate", "n.yaml", "--format", "json").stdout) == [expected]
    assert read_csv(yurt("generate", "n.yaml").stdout) == [{name: str(number) for name, number in expected.items()}]
    told = yurt("generate", "n.yaml", "--format", "xml", "--out", "n.xml", code=1).stderr
    assert b'XML cannot have an element named `First, "big" name`' in told
    assert not (tmp_path / "n.xml").exists()


@pytest.mark.parametrize(
    ("form", "empty"), [("csv", b"a\r\n"), ("json", b"[\n]\n"), ("jsonl", b""), ("yaml", b"[]\n"), ("xml", None)]
)
def test_no_records_make_a_right_file_too(form: str, empty: bytes | None, tmp_path: Path, yurt: Any) -> None:
    (tmp_path / "e.yaml").write_text(schema_of("a: integer 1..2", 0))
    data = yurt("generate", "e.yaml", "--format", form).stdout
    assert data == empty if empty is not None else len(etree.fromstring(data)) == 0


def flat(record: dict[str, Any], path: str = "") -> dict[str, str]:
    """Flatten nested JSON into one row, as CSV has it; Booleans are the words of the demo."""
    found: dict[str, str] = {}
    for name, value in record.items():
        if isinstance(value, dict):
            found |= flat(value, f"{path}{name}.")
        elif isinstance(value, list):
            found[path + name] = json.dumps(value, ensure_ascii=False)
        else:
            found[path + name] = value if isinstance(value, str) else {True: "yes", False: "no", None: ""}[value]
    return found


def flat_element(element: Any, path: str = "") -> dict[str, str]:
    """Flatten nested XML into one row."""
    found: dict[str, str] = {}
    for each in element:
        if len(each) and all(inner.tag == "value" for inner in each):
            found[path + each.tag] = json.dumps([inner.text for inner in each], ensure_ascii=False)
        elif len(each):
            found |= flat_element(each, f"{path}{each.tag}.")
        else:
            found[path + each.tag] = each.text
    return found


def test_the_demo_is_the_same_in_every_format(tmp_path: Path, yurt: Any) -> None:
    yurt("demo", "d")
    for name in ("hut", "hiker", "stay"):
        frame = pd.read_csv(tmp_path / f"d/csv/{name}.csv", dtype=str, keep_default_na=False)
        rows = [
            flat(row)
            for row in json.loads((tmp_path / f"d/json/{name}.json").read_text(), parse_float=str, parse_int=str)
        ]
        elements = etree.parse(tmp_path / f"d/xml/{name}.xml").getroot()
        assert len(frame) == len(rows) == len(elements)
        assert frame.to_dict("records") == rows
        assert [{k: v for k, v in row.items() if v} for row in rows] == [flat_element(each) for each in elements]
    assert (tmp_path / "d/huts.yaml").read_text() == HUTS.read_text()
