"""What a schema allows as documents of open standards: other programs enforce them on our data and on our cases."""

from __future__ import annotations

import csv
import io
import json
import re
import sqlite3
from pathlib import Path
from typing import Any

import csvw
import jsonschema
import openapi_spec_validator
import psycopg
import pytest
from lxml import etree, html

from yurt.core.kinds.catalogue import KINDS
from yurt.core.language.read_context import Asked as Asking
from yurt.core.language.reader import read_file
from yurt.core.patterns.match import matches
from yurt.core.patterns.parse import parse
from yurt.core.standards import DOCUMENTS
from yurt.core.standards.common.document import Asked
from yurt.core.standards.common.expressions import ecma, xsd
from yurt.core.writing.output import Output

from .servers import postgres
from .test_tables import TYPES

DEMO = Path(__file__).parent.parent / "src" / "yurt" / "examples" / "huts.yaml"
MORE = """yurt: 1
seed: 8
today: 2026-06-01
value-lists:
  passes:
    - {name: Old pass, height: 2100}
    - {name: Red pass, height: 1850}
records:
  hut:
    count: 12
    unique: code, floor
    fields:
      number: sequence from 5 step 5
      code:   /[A-D]{1,3}(-[0-9]+)?/
      floor:  integer -2..8 step 2
      room:   integer 1..900, missing 20%
      rate:   decimal 0.05..9.95 step 0.05
      half:   decimal 0.50..9.50 step 0.50
      share:  = sqrt(floor * floor) / 3
      day:    date 2026-01-31..2026-12-01
      moment: datetime 2026-01-31T10:00..2026-12-01T12:00:00
      zoned:  datetime 2026-01-31T10:00..2026-12-01T12:00 zone utc
      clock:  time 08:00..22:00
      wait:   duration 1h..30h
      id:     uuid
      hash:   bytes 2..4
      plain:  text 3..20, without "<&"
      pass:   from passes.name
      high:   from passes.height
      kind:   one of 1 | 3 | 7
      mixed:
        by kind:
          1: one of red | green
          3: /[a-f]{2,4}/
          7: like "A-1"
      tags:   list 0..3 of one of a | b | "c'd", distinct
      place:
        nested:
          city: city
          map:
            nested:
              x: integer 1..9, optional
              y: integer 1..9
      guides: list 1..3 of contact
      iban:   iban
      tel:    tel
  stay:
    count: 1..2 per hut
    fields:
      hut:    ref hut
      from:   date 2026-06-01..2026-08-01
      to:     date from+1d..from+9d
"""
SCHEMAS = {"demo": (DEMO.read_text("utf-8"), ("hut", "hiker", "stay")), "more": (MORE, ("hut", "stay")),
           "types": (TYPES, ("hut", "stay"))}  # fmt: skip
EVERY = [(name, record) for name, (_, records) in SCHEMAS.items() for record in records]


def excused(case: dict[str, Any], rules: list[str], record: str) -> bool:
    """Return whether a rule that is not stated is about the target of a case."""
    targets = str(case["target"]).split(", ")
    targets += [each.rpartition(".")[0] for each in targets if "." in each]
    about = [f"{record}.{each}{end}" for each in targets for end in ":."] + [f"{record}: always {case['target']}"]
    whole = {"of-two-rows": "value list", "duplicate": "do not repeat", "one-child": f"{record}: that each "}
    return any(each.startswith(tuple(about)) for each in rules) or any(
        word in case["id"] and any(words in each for each in rules) for word, words in whole.items()
    )


def described(yurt: Any, tmp_path: Path, name: str, record: str, document: str) -> tuple[str, list[str]]:
    """Return a document about a record type, and the rules that it does not state."""
    (tmp_path / "s.yaml").write_text(SCHEMAS[name][0], "utf-8")
    done = yurt("describe", "s.yaml", record, "--as", document)
    schema, _ = read_file(tmp_path / "s.yaml", {}, (), Asking(None, record, None))
    rules = [str(each) for each in DOCUMENTS[document].write(Asked(schema, Output(schema), (record,))).unsaid]
    told = done.stderr.decode()
    assert f"{len(rules)} rule" in told and all(each in told for each in rules[:12]), told
    text = done.stdout.decode()
    whole = json.loads(text).get("$comment") or json.loads(text)["dc:description"] if text[0] == "{" else text
    assert all(each.replace("--", "- -") in whole.replace("&gt;", ">") for each in rules)
    return text, rules


@pytest.mark.parametrize(("name", "record"), EVERY)
def test_json_schema_and_the_cases(name: str, record: str, yurt: Any, tmp_path: Path) -> None:
    text, rules = described(yurt, tmp_path, name, record, "json-schema")
    document = json.loads(text)
    jsonschema.Draft202012Validator.check_schema(document)
    whole = jsonschema.Draft202012Validator(document, format_checker=jsonschema.FormatChecker())
    whole.validate(json.loads(yurt("generate", "s.yaml", record, "--format", "json").stdout))
    one = jsonschema.Draft202012Validator(
        {"$ref": f"#/$defs/{record}", "$defs": document["$defs"]}, format_checker=jsonschema.FormatChecker()
    )
    found = {"accept": 0, "reject": 0}
    for row in json.loads(yurt("cases", "s.yaml", record, "--format", "json", "--out", "-").stdout):
        case = row.pop("case")
        wrong = next((each.message for each in one.iter_errors(row)), "")
        found["reject" if case["expected"] == "reject" else "accept"] += 1
        if case["expected"] != "reject":
            assert not wrong, (case["id"], wrong)
        elif not wrong:
            assert excused(case, rules, record), (case["id"], rules)
    assert min(found.values()) >= 5


DRESSES = [(), ("missing=empty",), ("missing=nil",), ("values=attributes",), ("namespace=urn:x:y",),
           ("root=all", "record-name=row", "namespace=urn:x:y", "prefix=p")]  # fmt: skip


@pytest.mark.parametrize(("name", "record"), EVERY)
def test_xml_schema_and_the_cases(name: str, record: str, yurt: Any, tmp_path: Path) -> None:
    text, rules = described(yurt, tmp_path, name, record, "xml-schema")
    document = etree.XMLSchema(etree.fromstring(text.encode()))
    root = etree.fromstring(yurt("cases", "s.yaml", record, "--format", "xml", "--out", "-").stdout)
    found = {"accept": 0, "reject": 0}
    rows = list(root)
    for each in rows:
        root.remove(each)
    for row in rows:
        case = {each.tag: each.text for each in row.find("case")}
        row.remove(row.find("case"))
        root.append(row)
        if case["id"].endswith("duplicate"):
            root.append(rows[0])
        valid = document.validate(etree.fromstring(etree.tostring(root)))
        for each in list(root):
            root.remove(each)
        found["reject" if case["expected"] == "reject" else "accept"] += 1
        if case["expected"] != "reject":
            assert valid, (case["id"], document.error_log.last_error)
        elif valid:
            assert excused(case, rules, record), (case["id"], rules)
    assert min(found.values()) >= 5


@pytest.mark.parametrize("dress", DRESSES, ids=["-".join(each) or "usual" for each in DRESSES])
def test_xml_schema_follows_the_settings(dress: tuple[str, ...], yurt: Any, tmp_path: Path) -> None:
    options = [part for each in dress for part in ("--with", each)]
    for name, record in EVERY:
        (tmp_path / "s.yaml").write_text(SCHEMAS[name][0], "utf-8")
        text = yurt("describe", "s.yaml", record, "--as", "xml-schema", *options).stdout
        document = etree.XMLSchema(etree.fromstring(text))
        data = etree.fromstring(
            yurt("generate", "s.yaml", record, "--format", "xml", "--scale", "0.2", *options).stdout
        )
        assert document.validate(data), (record, document.error_log.last_error)
        if len(data) > 1:
            # Every record type has a key, except where it is the parent's.
            data.append(etree.fromstring(etree.tostring(data[0])))
            assert document.validate(data) == (record == "stay" and name == "more"), record


def test_every_kind_in_both_standards(yurt: Any, tmp_path: Path) -> None:
    names = [name for name, kind in KINDS.items() if not kind.record]
    lines = "\n".join(f"      f{at}: {name}" for at, name in enumerate(names))
    (tmp_path / "s.yaml").write_text(
        f"yurt: 1\nseed: 3\nlocale: {{de-AT: 50%, ja-JP: 50%}}\nrecords:\n  row:\n    count: 12\n    fields:\n{lines}\n"
    )
    document = json.loads(yurt("describe", "s.yaml", "--as", "json-schema").stdout)
    rows = json.loads(yurt("generate", "s.yaml", "--format", "json").stdout)
    wrong = [
        (names[int(each.absolute_path[1][1:])], each.message)
        for each in jsonschema.Draft202012Validator(document).iter_errors(rows)
    ]
    assert wrong == []
    own = etree.XMLSchema(etree.fromstring(yurt("describe", "s.yaml", "--as", "xml-schema").stdout))
    assert own.validate(etree.fromstring(yurt("generate", "s.yaml", "--format", "xml").stdout)), own.error_log


PATTERNS = [r"[A-Z]{2}-\d{3}", r"a|bc|d{2,}", r"(ab|c)*d?", r"[^@]{1,4}@[^\n]+", r"\$\.\*\+\?\(\)\[\]\{\}\|\/\\\^", r"[\]\-^a]+",
            r"[ -~]{2}", r".{1,3}", r"\w+\s\d", r"[^-]x", r"[äöüß]{2}|[α-ω]+", r"(a{2}){3}", r"", r"[+--]{1,2}", r"a{0,2}b{3}", r"[\t ]x"]  # fmt: skip
TEXTS = ["", "AB-123", "a", "bc", "dd", "ddd", "ababcd", "d", "x@y", "@", "a\nb", "$.*+?()[]{}|/\\^", "]-^a", "^", "~~", "äö", "αβγ",
         "aaaaaa", "ab 1", "-x", "ax", "+,", "--", "aabbb", "bbb", "abcx", "\tx", " x", "é", "日本", "\u00a0x", "ü"]  # fmt: skip


@pytest.mark.parametrize("source", PATTERNS)
def test_patterns_mean_the_same_in_other_standards(source: str) -> None:
    pattern = parse(source)
    restriction = etree.Element("pattern", value=xsd(pattern))
    text = (
        '<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema"><xs:element name="t"><xs:simpleType>'
        f'<xs:restriction base="xs:string"><xs:pattern value={etree.tostring(restriction).decode()[15:-2]}/>'
        "</xs:restriction></xs:simpleType></xs:element></xs:schema>"
    )
    document = etree.XMLSchema(etree.fromstring(text))
    for each in TEXTS:
        wanted = matches(pattern, each)
        assert bool(re.search(ecma(pattern), each)) == wanted, (ecma(pattern), each)
        element = etree.Element("t")
        element.text = each
        assert document.validate(element) == wanted, (xsd(pattern), each)


@pytest.mark.parametrize(("name", "record"), EVERY)
def test_metadata_of_csv_and_the_cases(name: str, record: str, yurt: Any, tmp_path: Path) -> None:
    text, rules = described(yurt, tmp_path, name, record, "csvw")
    (tmp_path / "csv-metadata.json").write_text(text, "utf-8")
    yurt("cases", "s.yaml", record, "--out", "cases.csv", "--labels", "beside")
    cases = list(csv.DictReader((tmp_path / "cases-labels.csv").open(encoding="utf-8", newline="")))
    header, *rows = csv.reader((tmp_path / "cases.csv").open(encoding="utf-8", newline=""))
    table = csvw.TableGroup.from_file(tmp_path / "csv-metadata.json").tables[0]
    found = {"accept": 0, "reject": 0}
    for case, row in zip(cases, rows, strict=True):
        with (tmp_path / f"{record}.csv").open("w", encoding="utf-8", newline="") as out:
            csv.writer(out).writerows([header, row])
        try:
            list(table.iterdicts())
            wrong = ""
        except (ValueError, ArithmeticError) as fault:
            wrong = f"{type(fault).__name__}: {fault}"
        found["reject" if case["expected"] == "reject" else "accept"] += 1
        if case["expected"] != "reject":
            assert not wrong, (case["id"], wrong)
        elif not wrong and "/hostile/" not in case["id"] and not case["id"].endswith(("duplicate", "empty")):
            assert excused(case, rules, record), (case["id"], rules)
    assert min(found.values()) >= 5


def test_metadata_follows_the_settings(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_bytes(DEMO.read_bytes())
    own = (
        "--with",
        "style=decimal-comma",
        "--with",
        "group-char=dot",
        "--with",
        "hut.fields=code, beds as Betten, price, altitude",
    )
    yurt("generate", "s.yaml", *own, "--scale", "0.1", "--out", "data/")
    told = yurt("describe", "s.yaml", "--as", "csvw", "--out", "data/csv-metadata.json", *own).stderr.decode()
    assert "data/csv-metadata.json: hut, hiker, stay" in told
    group = csvw.TableGroup.from_file(tmp_path / "data" / "csv-metadata.json")
    rows = {each.url.string: list(each.iterdicts()) for each in group.tables}
    assert [len(each) for each in rows.values()] == [2, 300, 651]
    assert all(18 <= each["price"] <= 95 and 8 <= each["Betten"] <= 140 for each in rows["hut.csv"])
    group.check_referential_integrity()


def test_open_api(yurt: Any, tmp_path: Path) -> None:
    for name, (text, records) in SCHEMAS.items():
        (tmp_path / f"{name}.yaml").write_text(text, "utf-8")
        inside = ("--with", "children=inside") if name == "types" else ()
        document = json.loads(yurt("describe", f"{name}.yaml", "--as", "openapi", *inside).stdout)
        openapi_spec_validator.validate(document)
        assert set(document["components"]["schemas"]) == set(records)
        if inside:
            rows = json.loads(yurt("generate", "types.yaml", "hut", "--format", "json", *inside).stdout)
            (tmp_path / "s.yaml").write_text(text)
            own = json.loads(yurt("describe", "types.yaml", "hut", "--as", "json-schema", *inside).stdout)
            jsonschema.Draft202012Validator(own).validate(rows)
            rows[0]["stay"] = [{"number": "x"}]
            assert list(jsonschema.Draft202012Validator(own).iter_errors(rows))


def test_tables_of_sql_and_the_cases(yurt: Any, tmp_path: Path) -> None:
    """SQLite enforces lists, ranges, keys, references, and missing values; types it does not."""
    (tmp_path / "s.yaml").write_text(MORE)
    done = yurt("describe", "s.yaml", "--as", "sql", "--with", "dialect=sqlite")
    assert "-- Not stated here: hut.code: its pattern" in done.stdout.decode()
    rules = re.findall(r"^-- Not stated here: (.*)$", done.stdout.decode(), re.MULTILINE)
    refused = 0
    for record in ("hut", "stay"):
        connection = sqlite3.connect(":memory:")
        connection.executescript("pragma foreign_keys=on;" + done.stdout.decode())
        if record == "stay":
            connection.executescript(
                yurt(
                    "generate",
                    "s.yaml",
                    "hut",
                    "--count",
                    200,
                    "--format",
                    "sql",
                    "--with",
                    "dialect=sqlite",
                    "--with",
                    "create=false",
                ).stdout.decode()
            )
        for row in cases_in_columns(yurt, record):
            case = row.pop("case")
            marks = ", ".join("?" for _ in row)
            names = ", ".join(f'"{each}"' for each in row)
            try:
                connection.execute("savepoint s")
                connection.execute(f'insert into "{record}" ({names}) values ({marks})', list(row.values()))
                wrong = ""
            except sqlite3.Error as fault:
                wrong, refused = str(fault), refused + 1
            connection.execute("rollback to s")
            if case["expected"] != "reject":
                assert not wrong, (case["id"], wrong)
            elif not wrong and not re.search(
                "hostile|wrong-type|duplicate|in-quotes|two-steps|feb|hour|minute|day-|month", case["id"]
            ):
                assert excused(case, rules, record), (case["id"], rules)
    assert refused >= 20


def cases_in_columns(yurt: Any, record: str) -> list[dict[str, Any]]:
    """Return cases as the columns of a table."""
    rows = json.loads(yurt("cases", "s.yaml", record, "--format", "json", "--out", "-").stdout)

    def flat(value: dict[str, Any], path: str) -> dict[str, Any]:
        found: dict[str, Any] = {}
        for name, each in value.items():
            if isinstance(each, dict) and path + name != "case":
                found |= flat(each, f"{path}{name}.")
            else:
                found[path + name] = json.dumps(each) if isinstance(each, list) else each
        return found

    return [flat(each, "") for each in rows]


def test_tables_of_postgresql_and_the_cases(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(DEMO.read_text("utf-8"))
    done = yurt("describe", "s.yaml", "--as", "sql", "--with", "dialect=postgresql")
    rules = re.findall(r"^-- Not stated here: (.*)$", done.stdout.decode(), re.MULTILINE)
    with postgres() as server:
        if server is None:
            pytest.skip("no PostgreSQL is installed here")
        connection = psycopg.connect(server.fresh(), autocommit=True)
        connection.execute(done.stdout)
        refused = 0
        for row in cases_in_columns(yurt, "hut"):
            case = row.pop("case")
            names = ", ".join(f'"{each}"' for each in row)
            connection.execute("begin")
            try:
                texts = [each if each is None else str(each) for each in row.values()]
                connection.execute(f'insert into "hut" ({names}) values ({", ".join(["%s"] * len(row))})', texts)
                wrong = ""
            except psycopg.Error as fault:
                wrong, refused = str(fault), refused + 1
            connection.execute("rollback")
            if case["expected"] != "reject":
                assert not wrong, (case["id"], wrong)
            elif not wrong and not re.search("hostile|wrong-type|duplicate|hour-24|two-steps", case["id"]):
                assert excused(case, rules, "hut"), (case["id"], rules)
        assert refused >= 20
        connection.close()


def test_data_dictionary(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_bytes(DEMO.read_bytes())
    text = yurt("describe", "s.yaml", "--as", "dictionary").stdout.decode()
    fields = re.findall(r"^\| ([\w.\\]+) \|", text, re.MULTILINE)
    assert len(fields) - fields.count("field") == 33 and "home.city" in fields and "- party \\<= hut.beds" in text
    assert {each.count("|") - each.count("\\|") for each in text.splitlines() if each.startswith("|")} == {8}
    page = html.document_fromstring(yurt("describe", "s.yaml", "--as", "dictionary-page").stdout)
    assert [each.text for each in page.iter("h2")] == ["hut", "hiker", "stay"]
    cells = [[cell.text_content() for cell in row] for row in page.iter("tr")]
    assert ["beds", "integer", "8..140", "low", "", "", "107"] in cells
    assert any(each[0] == "hut" and each[5] == "refers to hut.code" for each in cells)
    (tmp_path / "x.yaml").write_text(
        "yurt: 1\ntitle: '<b>'\nrecords:\n  a:\n    count: 3\n    fields:\n      x: one of '<i>' | y\n"
    )
    assert b"<b>" not in yurt("describe", "x.yaml", "--as", "dictionary-page").stdout


def test_files_of_documents_and_wrong_use(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_bytes(DEMO.read_bytes())
    yurt("describe", "s.yaml", "--as", "xml-schema", "--out", "docs/")
    assert sorted(each.name for each in (tmp_path / "docs").iterdir()) == ["hiker.xsd", "hut.xsd", "stay.xsd"]
    for options, words in (
        (("--as", "xml-schema"), "a document per record type: --out FOLDER; or name one of hut, hiker, stay"),
        (("hutt", "--as", "json-schema"), "did you mean `hut`?"),
        (("--as", "xml-schema", "--out", "docs/"), "exists already; --force"),
        (("--as", "xsd"), "'xsd' is not one of"),
        (("hut", "--as", "xml-schema", "--with", "children=inside"), "leave out `children=inside`"),
        (("hut", "--as", "csvw", "--with", "delimter=tab"), "did you mean `delimiter`?"),
    ):
        assert words in yurt("describe", "s.yaml", *options, code=2).stderr.decode(), options
    assert io.BytesIO(yurt("describe", "s.yaml", "hut", "--as", "json-schema").stdout).read(1) == b"{"


def test_lists_that_are_narrowed_and_rejected_examples(yurt: Any, tmp_path: Path) -> None:
    lines = "      a: one of red | green | rust, matching /r.*/\n      b:\n        integer: 1..9\n        reject:\n          4: unlucky\n"
    (tmp_path / "s.yaml").write_text(f"yurt: 1\nrecords:\n  row:\n    count: 3\n    fields:\n{lines}")
    done = yurt("describe", "s.yaml", "--as", "json-schema")
    assert json.loads(done.stdout)["$defs"]["row"]["properties"]["a"] == {"enum": ["red", "rust"]}
    assert "row.b: that 4 is rejected" in done.stderr.decode()
