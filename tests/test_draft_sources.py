"""Drafts of structures: what is drawn from them is valid, and what they reject is not, in the eyes of other programs."""

from __future__ import annotations

import functools
import http.server
import json
import re
import sqlite3
import threading
from collections import Counter
from collections.abc import Callable, Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

import jsonschema
import psycopg
import pytest
import yaml
from lxml import etree

from yurt.core.base.errors import YurtError
from yurt.core.drafting.draft import Draft
from yurt.core.drafting.fitting import readable
from yurt.core.drafting.sources import json_schema
from yurt.core.drafting.sources.source import Asked, NotSaid

from .conftest import Result
from .servers import postgres

Run = Callable[..., Result]
# Schemas of the public test suite of JSON Schema, by draft and group, with instances and whether they are valid.
SUITE = json.loads((Path(__file__).parent / "data" / "json_schema_suite.json").read_text("utf-8"), parse_float=Decimal)
JUDGES = {"draft2020-12": jsonschema.Draft202012Validator, "draft7": jsonschema.Draft7Validator}
PINNED = "yurt: 1\nseed: 5\ntoday: 2026-06-01"
ALL = [word for name in ("boundary", "partition", "syntax", "hostile", "decision") for word in ("--technique", name)]
# Parts of the suite in which some schemas must be drafted, and what a schema without a type is drafted as.
DRAFTED = ("type", "properties", "enum", "const", "minimum", "maximum", "exclusiveMinimum", "multipleOf", "minLength",
           "maxLength", "pattern", "format", "items", "allOf", "ref", "default")  # fmt: skip
PYTHON = {"number": (int, Decimal), "string": str, "array": list, "boolean": bool}


def _no_others(reference: str) -> bytes:
    raise YurtError(f"it refers to `{reference}`")


def _ascii(validator: Any, pattern: str, instance: Any, schema: Any) -> Iterator[jsonschema.ValidationError]:
    """Digits are those of ECMA-262, not those of all scripts."""
    if isinstance(instance, str) and not re.search(pattern, instance, re.ASCII):
        yield jsonschema.ValidationError(f"{instance!r} does not match {pattern!r}")


def judge(draft: str, schema: Any) -> Any:
    plain = JUDGES[draft]
    found = jsonschema.validators.extend(plain, {"pattern": _ascii})
    return found(schema, format_checker=plain.FORMAT_CHECKER)


def with_types(cases: list[dict[str, Any]]) -> Iterator[dict[str, Any]]:
    """Yield the schemas, and those without a type once more with the type that their keywords are about."""
    for case in cases:
        yield case
        schema = case["schema"]
        if not isinstance(schema, dict) or "type" in schema:
            continue
        about = {
            {**json_schema.IMPLIED, "format": "string"}[word]
            for word in schema
            if word in json_schema.IMPLIED or word == "format"
        }
        if len(about) == 1 and about != {"object"}:
            (kind,) = about
            for each in (kind, "integer") if kind == "number" else (kind,):
                fits = [one for one in case["tests"] if isinstance(one[0], PYTHON[kind]) and each == kind]
                yield {
                    "schema": {**schema, "type": each},
                    "description": f"{case['description']} ({each})",
                    "tests": fits,
                }


@pytest.mark.parametrize("group", SUITE)
def test_the_suite_of_json_schema(group: str, tmp_path: Path, yurt: Run) -> None:
    draft, _, part = group.partition("/")
    whole, kept, outside = Draft(), {}, []
    for number, case in enumerate(with_types(SUITE[group])):
        asked = Asked("s.json", f"t{number}", _no_others)
        try:
            found = json_schema.SOURCE.read(json.dumps(case["schema"], default=float).encode(), asked)
        except NotSaid as fault:
            # Every refusal names keywords that are there, or the type that is not.
            words = {each.keyword for each in fault.unsaid}
            told = json.dumps(case["schema"], default=str)
            assert all(f'"{word}"' in told or word in ("type", "items", "false", "properties") for word in words), words
            continue
        except YurtError:
            outside.append(case["schema"])
            continue
        (record,) = found.records
        kept[f"t{number}"] = case, [each.name for each in record.fields if "." not in each.name] == ["value"]
        record.name, record.count = f"t{number}", "10"
        whole.records.append(record)
        whole.lists += found.lists
        if found.output:
            whole.output.setdefault("json", {})[record.name] = found.output["json"]  # type: ignore[assignment]
    assert all("$ref" in json.dumps(each, default=str) for each in outside)
    assert kept or part not in DRAFTED
    if not kept:
        return
    (tmp_path / "all.yaml").write_text(readable(whole)[1].replace("yurt: 1", PINNED, 1), "utf-8")
    yurt("generate", "all.yaml", "--format", "json", "--out", "drawn/")
    yurt("cases", "all.yaml", *ALL, "--format", "json", "--out", "cases/", code=None)
    rejected = 0
    for name, (case, wrapped) in kept.items():
        validator = judge(draft, case["schema"])

        def valid(row: dict[str, Any], validator: Any = validator, wrapped: bool = wrapped) -> bool:
            return bool(validator.is_valid(row["value"] if wrapped else row))

        for row in json.loads((tmp_path / "drawn" / f"{name}.json").read_text("utf-8"), parse_float=Decimal):
            assert valid(row), (case["description"], case["schema"], row)
        made = tmp_path / "cases" / f"{name}-cases.json"
        for row in json.loads(made.read_text("utf-8"), parse_float=Decimal) if made.exists() else []:
            label = row.pop("case")
            if label["expected"] == "reject" and ("value" in row or not wrapped):
                rejected += 1
                assert not valid(row), (case["description"], case["schema"], row, label["reason"])
        _verified(case, wrapped, name, tmp_path, yurt)
    assert rejected or part not in ("type", "enum", "minimum", "maxLength", "ref")


def _verified(case: dict[str, Any], wrapped: bool, name: str, folder: Path, yurt: Run) -> None:
    """What the suite says is invalid, the draft does not accept, as far as it is a record."""
    wrong = [
        {"value": data} if wrapped else data
        for data, valid in case["tests"]
        if not valid and (wrapped or isinstance(data, dict))
    ]
    known = set(case["schema"].get("properties", {})) if isinstance(case["schema"], dict) and not wrapped else {"value"}
    for at, row in enumerate(each for each in wrong if set(each) <= known):
        (folder / f"{name}.json").write_text(json.dumps([row], default=float))
        done = yurt("verify", "all.yaml", f"{name}.json", code=None)
        assert done.returncode == 1, (case["description"], case["schema"], row)
        if at == 1:
            return


ORDERS = {
    "$schema": "https://json-schema.org/draft/2020-12/schema",
    "title": "Night stay", "type": "object",
    "required": ["number", "guest", "arrival", "beds", "board", "status"],
    "properties": {
        "number": {"type": "integer", "minimum": 1, "description": "counted by the hut"},
        "guest": {"$ref": "#/$defs/guest"},
        "arrival": {"type": "string", "format": "date"},
        "beds": {"type": "integer", "minimum": 1, "maximum": 12},
        "price": {"type": "number", "exclusiveMinimum": 0, "maximum": 99.5},
        "board": {"enum": ["none", "half", "full"]},
        "status": {"type": "string", "enum": ["booked", "cancelled"]},
        "reason": {"type": "string", "maxLength": 40},
        "tags": {"type": "array", "items": {"type": "string", "pattern": "^[a-z]{2,8}$"}, "maxItems": 3},
        "meals": {"type": "array", "minItems": 1, "items": {"type": "object", "required": ["day"], "properties": {
            "day": {"type": "integer", "minimum": 1, "maximum": 14}, "meat": {"type": "boolean"}}}},
    },
    "if": {"properties": {"status": {"const": "cancelled"}}}, "then": {"required": ["reason"]},
    "$defs": {"guest": {"type": "object", "required": ["name"], "properties": {
        "name": {"type": "string", "minLength": 1, "maxLength": 60}, "mail": {"type": "string", "format": "email"},
        "code": {"type": "string", "pattern": "^[A-Z]{2}-\\d{5}$"}}}},
}  # fmt: skip
OPENAPI = {
    "openapi": "3.0.3", "info": {"title": "Huts", "version": "1"}, "paths": {},
    "components": {"schemas": {
        "Code": {"type": "string", "pattern": "^[A-Z]{2}-[0-9]{3}$"},
        "MountainHut": {"type": "object", "required": ["code", "beds"], "properties": {
            "code": {"$ref": "#/components/schemas/Code"}, "beds": {"type": "integer", "format": "int32", "minimum": 8, "maximum": 140},
            "opens": {"type": "string", "format": "date", "nullable": True}, "rate": {"type": "number", "minimum": 0, "exclusiveMinimum": True}}},
    }},
}  # fmt: skip


@pytest.mark.parametrize("name", ["orders.json", "huts.yaml"])
def test_documents_of_interfaces(name: str, tmp_path: Path, yurt: Run) -> None:
    document = ORDERS if name == "orders.json" else OPENAPI
    (tmp_path / name).write_text(json.dumps(document) if name.endswith("json") else yaml.safe_dump(document))
    yurt("draft", name, "--out", "draft.yaml")
    record = "orders" if name == "orders.json" else "mountain_hut"
    schema = ORDERS if name == "orders.json" else {
        "type": "object", "required": ["code", "beds"], "properties": {
            "code": {"type": "string", "pattern": "^[A-Z]{2}-[0-9]{3}$"}, "beds": {"type": "integer", "minimum": 8, "maximum": 140},
            "opens": {"type": ["string", "null"], "format": "date"}, "rate": {"type": "number", "exclusiveMinimum": 0}}}  # fmt: skip
    validator, without_formats = judge("draft2020-12", schema), jsonschema.Draft202012Validator(schema)
    rows = json.loads(yurt("generate", "draft.yaml", record, "--format", "json", "--seed", 3).stdout)
    assert len(rows) == 100 and all(map(validator.is_valid, rows))
    assert ({*rows[0]} <= {*schema["properties"]} and any("rate" not in each for each in rows)) or name == "orders.json"
    cases = json.loads(yurt("cases", "draft.yaml", *ALL, "--format", "json", "--out", "-", "--seed", 3).stdout)
    labels = [each.pop("case") for each in cases]
    wrong = [(each, told["reason"]) for each, told in zip(cases, labels, strict=True)
             if (told["expected"] == "reject" and validator.is_valid(each))
             # Where values are absent, null is none of them. A format is what is usual, not what is allowed.
             or (told["expected"] == "accept" and "null" not in json.dumps(each) and not without_formats.is_valid(each))]  # fmt: skip
    assert not wrong and sum(each["expected"] == "reject" for each in labels) > 30
    if name == "orders.json":
        assert {each["status"] for each in rows if "reason" not in each} == {"booked"}
        assert "# counted by the hut" in (tmp_path / "draft.yaml").read_text()


XSD = """<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" {attributes}>
<xs:element name="stays"><xs:complexType><xs:sequence><xs:element name="stay" type="{prefix}stay" maxOccurs="unbounded"/></xs:sequence></xs:complexType></xs:element>
<xs:simpleType name="code"><xs:restriction base="xs:string"><xs:pattern value="[A-Z]{{2}}-\\d{{3}}"/></xs:restriction></xs:simpleType>
<xs:complexType name="stay">{fields}</xs:complexType></xs:schema>"""
SIMPLE = {
    "beds": '<xs:restriction base="xs:int"><xs:minInclusive value="1"/><xs:maxExclusive value="13"/></xs:restriction>',
    "price": '<xs:restriction base="xs:decimal"><xs:minInclusive value="0"/><xs:maxInclusive value="9999.99"/><xs:totalDigits value="6"/><xs:fractionDigits value="2"/></xs:restriction>',
    "board": '<xs:restriction base="xs:string"><xs:enumeration value="none"/><xs:enumeration value="half"/></xs:restriction>',
    "note": '<xs:restriction base="xs:string"><xs:minLength value="2"/><xs:maxLength value="30"/></xs:restriction>',
}  # fmt: skip
# XML Schema also takes numbers in these forms, which no line says.
LEXICAL = ("a plus sign", "zeros in front", "a space before the text", "the last hour is 23")
NAMED = {
    "hut": "code",
    "arrival": "xs:date",
    "seen": "xs:dateTime",
    "member": "xs:boolean",
    "count": "xs:positiveInteger",
    "day": "xs:gDay",
}


def _fields_of(tag: str, prefix: str) -> str:
    optional = {"element": 'minOccurs="0"', "attribute": 'use="optional"'}[tag]
    required = {"element": "", "attribute": 'use="required"'}[tag]
    parts = [
        f'<xs:{tag} name="{name}" {required}><xs:simpleType>{rule}</xs:simpleType></xs:{tag}>'
        for name, rule in SIMPLE.items()
    ]
    parts += [
        f'<xs:{tag} name="{name}" type="{kind if ":" in kind else prefix + kind}" {optional if name in ("seen", "day") else required}/>'
        for name, kind in NAMED.items()
    ]
    return "".join(parts)


@pytest.mark.parametrize("style", ["elements", "attributes", "namespace", "nested"])
def test_xml_schemas(style: str, tmp_path: Path, yurt: Run) -> None:
    attributes, prefix = "", ""
    fields = f"<xs:sequence>{_fields_of('element', '')}</xs:sequence>"
    if style == "attributes":
        fields = _fields_of("attribute", "")
    elif style == "namespace":
        attributes, prefix = 'targetNamespace="urn:huts" xmlns:h="urn:huts" elementFormDefault="qualified"', "h:"
        fields = f"<xs:sequence>{_fields_of('element', 'h:')}</xs:sequence>"
    elif style == "nested":
        inner = f"<xs:complexType><xs:sequence>{_fields_of('element', '')}</xs:sequence></xs:complexType>"
        many = '<xs:complexType><xs:sequence><xs:element name="value" type="xs:short" minOccurs="1" maxOccurs="4"/></xs:sequence></xs:complexType>'
        fields = f'<xs:sequence><xs:element name="inside">{inner}</xs:element><xs:element name="marks">{many}</xs:element></xs:sequence>'
    (tmp_path / "stays.xsd").write_text(XSD.format(attributes=attributes, prefix=prefix, fields=fields))
    yurt("draft", "stays.xsd", "--out", "draft.yaml")
    rules = etree.XMLSchema(etree.parse(tmp_path / "stays.xsd"))
    yurt("generate", "draft.yaml", "--format", "xml", "--out", "drawn.xml", "--seed", 2)
    drawn = etree.parse(tmp_path / "drawn.xml")
    assert rules.validate(drawn), rules.error_log
    assert len(drawn.getroot()) == 100
    yurt("cases", "draft.yaml", *ALL, "--format", "xml", "--out", "cases.xml", "--labels", "beside", "--seed", 2)
    labels = json.loads(yurt("cases", "draft.yaml", *ALL, "--format", "json", "--out", "-", "--seed", 2).stdout)
    told = {each["case"]["id"]: each["case"] for each in labels}
    beside = (
        etree.parse(next(tmp_path.glob("cases*labels*.xml"))).getroot()
        if list(tmp_path.glob("cases*labels*.xml"))
        else None
    )
    records = list(etree.parse(tmp_path / "cases.xml").getroot())
    assert beside is not None and len(beside) == len(records) and told
    wrong, rejected = [], 0
    for record, label in zip(records, beside, strict=True):
        texts = {etree.QName(each).localname: each.text for each in label} | dict(label.attrib)
        root = etree.Element(drawn.getroot().tag)
        root.append(record)
        good = rules.validate(etree.fromstring(etree.tostring(root)))
        rejected += texts["expected"] == "reject"
        if texts["expected"] == "reject" and good:
            wrong.append((texts["target"], texts["violates"], texts["reason"]))
    assert not [each for each in wrong if each[2].split(" instead")[0] not in LEXICAL] and rejected > 20


DDL = """CREATE TABLE hut (
  code VARCHAR(6) PRIMARY KEY CHECK (code {matches}),
  altitude INTEGER NOT NULL CHECK (altitude BETWEEN 900 AND 3200), beds SMALLINT NOT NULL CHECK (beds >= 8 AND beds < 141),
  price NUMERIC(6,2) NOT NULL CHECK (price > 0), opens DATE NOT NULL, closes DATE, CHECK (closes >= opens));
CREATE TABLE hiker (
  id INTEGER PRIMARY KEY, given_name VARCHAR(40) NOT NULL, email VARCHAR(80) UNIQUE, member BOOLEAN NOT NULL, weight REAL,
  note TEXT CHECK (length(note) <= 200));
CREATE TABLE stay (
  id BIGINT PRIMARY KEY, hiker_id INTEGER NOT NULL REFERENCES hiker (id), hut VARCHAR(6) NOT NULL REFERENCES hut,
  arrival TIMESTAMP NOT NULL, status VARCHAR(9) NOT NULL CHECK (status IN ('booked', 'arrived', 'left')), party INTEGER CHECK (party > 0));
"""
TABLES = ("hut", "hiker", "stay")


def _tried(execute: Callable[[str, list[Any]], Any], mark: str, rows: list[dict[str, Any]], table: str) -> list[bool]:
    """Return which rows a database takes; each is tried on its own."""
    found = []
    for row in rows:
        names, values = ", ".join(row), list(row.values())
        try:
            execute(f"INSERT INTO {table} ({names}) VALUES ({', '.join([mark] * len(values))})", values)
            found.append(True)
        except (psycopg.Error, sqlite3.Error):
            found.append(False)
    return found


@pytest.fixture(scope="module")
def server() -> Iterator[Any]:
    with postgres() as found:
        yield found


@pytest.mark.parametrize("database", ["postgresql", "sqlite"])
@pytest.mark.parametrize("source", ["definitions", "live"])
def test_tables(source: str, database: str, tmp_path: Path, yurt: Run, server: Any) -> None:
    definitions = DDL.format(matches="~ '^[A-Z]{2}-[0-9]{3}$'" if database == "postgresql" else "LIKE '__-%'")
    if database == "postgresql":
        if server is None:
            pytest.skip("PostgreSQL is not installed")
        url = server.fresh()
        connection = psycopg.connect(url, autocommit=True)
        connection.execute(definitions)
    else:
        url = f"sqlite:///{tmp_path}/huts.db"
        connection = sqlite3.connect(tmp_path / "huts.db", isolation_level=None)  # type: ignore[assignment]
        connection.executescript("PRAGMA foreign_keys=ON;" + definitions)  # type: ignore[attr-defined]
    if source == "live":
        yurt("draft", url, "--out", "draft.yaml", "--without-rows")
    else:
        (tmp_path / "huts.sql").write_text(definitions)
        yurt("draft", "huts.sql", "--out", "draft.yaml")
    found = yaml.safe_load((tmp_path / "draft.yaml").read_text("utf-8"))["records"]
    assert sorted(found) == ["hiker", "hut", "stay"]
    assert found["stay"]["fields"]["hiker_id"] == "ref hiker" and found["hut"]["always"] == ["closes >= opens"]
    assert found["hiker"]["fields"]["id"] == "sequence"
    assert found["hut"]["fields"]["beds"] == "integer 8..140" and found["hut"]["fields"]["price"].startswith(
        "decimal 0.01..9999.99"
    )
    assert found["hiker"]["fields"]["email"] == "text 0..80 of any, unique, missing 10%"
    yurt("generate", "draft.yaml", "--format", "json", "--out", "drawn/", "--seed", 4)
    mark = "%s" if database == "postgresql" else "?"

    def execute(statement: str, values: list[Any]) -> None:
        connection.execute(statement, values)

    for table in TABLES:
        rows = json.loads((tmp_path / "drawn" / f"{table}.json").read_text("utf-8"))
        assert all(_tried(execute, mark, rows, table)), table
    yurt("cases", "draft.yaml", *ALL, "--format", "json", "--out", "cases/", "--seed", 4)
    rejected: Counter[str] = Counter()
    for table in TABLES:
        rows = json.loads((tmp_path / "cases" / f"{table}-cases.json").read_text("utf-8"))
        labels = [each.pop("case") for each in rows]
        # Texts are converted to any type by a database, and one without strict types takes any value.
        judged = {"presence", "range", "list", "length", "always"} - (
            {"length", "range"} if database == "sqlite" else set()
        )
        chosen = [
            (row, label) for row, label in zip(rows, labels, strict=True)
            if label["expected"] == "reject" and label["violates"] in judged
            # Keys that are whole numbers are drafted as sequences; in SQLite, a key may be missing.
            and label["target"] != "id" and (database, label["target"]) != ("sqlite", "code") and not any(isinstance(each, list | dict) for each in row.values())
        ]  # fmt: skip
        for (row, label), taken in zip(chosen, _tried(execute, mark, [row for row, _ in chosen], table), strict=True):
            rejected[label["violates"]] += 1
            assert not taken, (table, row, label)
    connection.close()
    assert rejected["presence"] >= 10 and rejected["list"] >= 3


def test_rows_and_structure_of_a_database_together(demo: Path, yurt: Run) -> None:
    yurt("generate", "yurt-demo/huts.yaml", "--out", "sqlite:///huts.db")
    told = yurt("draft", "sqlite:///huts.db", "--out", "draft.yaml").stderr.decode()
    found = yaml.safe_load((demo / "draft.yaml").read_text("utf-8"))["records"]
    # The range of the check, the distribution of the rows.
    assert found["hut"]["fields"]["altitude"] == "integer 900..3200"
    assert found["stay"]["fields"]["party"].startswith("integer 1..12, usually geometric(0.4")
    assert re.match(r"one of booked 5\d% \| arrived \d+% \| left \d+% \| cancelled", found["stay"]["fields"]["status"])
    assert found["stay"]["fields"]["hut"].startswith("ref hut, usually zipf(1")
    assert told.count("100% accepted") == 3


def test_a_schema_and_a_sample_together(tmp_path: Path, yurt: Run) -> None:
    (tmp_path / "order.schema.json").write_text(json.dumps({"type": "object", "required": ["size", "state", "name"], "properties": {
        "size": {"type": "integer", "minimum": 0, "maximum": 500}, "state": {"enum": ["new", "paid", "sent", "lost"]},
        "name": {"type": "string", "maxLength": 80}}}))  # fmt: skip
    names = ["Anna", "Thomas", "Maria", "Lukas", "Sabine", "Andreas", "Julia", "Michael"]
    rows = [f"{50 + at % 7},{'new' if at % 4 else 'paid'},{names[at % 8]}" for at in range(400)]
    (tmp_path / "order.csv").write_text("size,state,name\n" + "\n".join(rows) + "\n")
    yurt("draft", "order.schema.json", "order.csv", "--out", "draft.yaml")
    found = yaml.safe_load((tmp_path / "draft.yaml").read_text("utf-8"))["records"]["order"]
    assert found["count"] == 400
    assert found["fields"]["size"].startswith("integer 0..500, usually ")
    assert found["fields"]["state"].startswith("one of new 7") and "lost" in found["fields"]["state"]
    assert found["fields"]["name"].startswith("text 0..80 of any, usually as")


PAGE = """<!doctype html><title>Book a night</title><h2>Your booking</h2><form id="booking-form">
<label>Name <input name="guest" autocomplete="section-a name" required maxlength="60"></label>
<label for="m">E-mail</label><input id="m" type="email" name="mail" autocomplete="email">
<select name="hut" required><option value="">choose</option><option value="KAR">Kar<option value="TOR">Tor</select>
<input type="number" name="nights" min="1" max="14" required><input type="number" name="deposit" min="0" max="100" step="0.50" required>
<input type="date" name="arrival" min="2026-06-15" max="2026-09-30" required><input type="time" name="supper" min="17:30" max="19:30" step="900" required>
<input type="radio" name="board" value="none" required><input type="radio" name="board" value="half">
<input type="checkbox" name="extras" value="towel"><input type="checkbox" name="extras" value="dog"><input type="checkbox" name="terms" required>
<input name="pass" pattern="[A-Z]{2}-\\d{5}" required><input name="zip" autocomplete="postal-code" required><input type="hidden" name="token"><textarea name="wishes" maxlength="300"></textarea></form>
<table><caption>Prices</caption><tr><th>Size<th>Price</tr>%s</table><script>document.write("<form><input name=evil></form>")</script>"""
FORM = {
    "guest": "full-name", "mail": "email, missing 10%", "hut": "one of KAR | TOR", "nights": "integer 1..14",
    "deposit": "decimal 0..100 step 0.50", "arrival": "date 2026-06-15..2026-09-30",
    "supper": 'time 17:30..19:30 step 15min, as "%H:%M"', "board": "one of none | half",
    "extras": "list 0..2 of (one of towel | dog), distinct", "terms": "one of true", "pass": r"/[A-Z]{2}-\d{5}/",
    "zip": "postal-code", "wishes": "text 0..300 of any, usually as sentence, missing 10%",
}  # fmt: skip


@pytest.mark.parametrize("way", ["file", "url"])
def test_pages(way: str, tmp_path: Path, yurt: Run) -> None:
    rows = "".join(f"<tr><td>{at % 9 + 1}<td>€ {20 + at % 9},50</tr>" for at in range(90))
    (tmp_path / "book.html").write_text(PAGE % rows, "utf-8")
    source = "book.html"
    if way == "url":
        quiet = type("Quiet", (http.server.SimpleHTTPRequestHandler,), {"log_message": lambda *arguments: None})
        host = http.server.ThreadingHTTPServer(("127.0.0.1", 0), functools.partial(quiet, directory=str(tmp_path)))
        threading.Thread(target=host.serve_forever, daemon=True).start()
        source = f"http://127.0.0.1:{host.server_port}/book.html"
    yurt("draft", source, "--out", "draft.yaml")
    whole = yaml.safe_load((tmp_path / "draft.yaml").read_text("utf-8"))
    assert whole["title"] == "Book a night" and whole["records"]["booking"]["fields"] == FORM
    assert whole["records"]["prices"]["fields"]["Size"].startswith("integer 1..9")
    assert "€" in whole["records"]["prices"]["fields"]["Price"] or whole["records"]["prices"]["fields"][
        "Price"
    ].startswith("=")
    drawn = json.loads(yurt("generate", "draft.yaml", "booking", "--format", "json", "--seed", 1).stdout)
    assert len(drawn) == 100 and all(re.fullmatch(r"[A-Z]{2}-\d{5}", each["pass"]) for each in drawn)
    if way == "url":
        assert "404" in yurt("draft", source + "x", code=3).stderr.decode()
        host.shutdown()


def test_metadata_of_tables(demo: Path, yurt: Run) -> None:
    yurt("describe", "yurt-demo/huts.yaml", "--as", "csvw", "--out", "metadata.json")
    yurt("draft", "metadata.json", "--out", "draft.yaml", "--partly")
    found = yaml.safe_load((demo / "draft.yaml").read_text("utf-8"))["records"]
    assert list(found) == ["hut", "hiker", "stay"]
    assert found["hut"]["fields"]["code"] == "/[A-Z]{2}-[0-9]{3}/, unique"
    assert found["hut"]["fields"]["altitude"] == "integer 900..3200" and found["stay"]["fields"]["hiker"] == "ref hiker"
    # Together with the files, the draft accepts all rows.
    yurt("draft", "metadata.json", "yurt-demo/csv", "--out", "both.yaml", "--partly")
    assert "violations" not in yurt("verify", "both.yaml", "yurt-demo/csv", code=None).stdout.decode()


CLASSES = '''
from dataclasses import dataclass
from datetime import date
from typing import Literal, Optional
@dataclass
class Place:
    city: str
@dataclass
class Guest:
    """Somebody who sleeps in a hut."""
    given_name: str
    born: date
    beds: int
    board: Literal["none", "half"]
    home: Place
    mail: Optional[str] = None
print("imported")
'''


def test_classes_are_imported_only_by_name(tmp_path: Path, yurt: Run) -> None:
    (tmp_path / "models.py").write_text(CLASSES)
    yurt("draft", "models:Guest", "--out", "draft.yaml")
    fields = yaml.safe_load((tmp_path / "draft.yaml").read_text("utf-8"))["records"]["guest"]["fields"]
    assert fields["given_name"] == "given-name" and fields["home"] == {"nested": {"city": "city"}}
    assert fields["board"] == 'one of "none" | "half"' and fields["mail"].startswith("email, missing")
    yurt("preview", "draft.yaml")
    assert b"no `Guests`" in yurt("draft", "models:Guests", code=2).stderr
    # A file of Python code is no source, and is not run.
    assert b"imported" not in yurt("draft", "models.py", code=None).stdout


XXE = '<?xml version="1.0"?><!DOCTYPE s [<!ENTITY e SYSTEM "file:///etc/passwd">]><s>&e;</s>'
REFERS = {"type": "object", "properties": {"a": {"$ref": "%s"}}, "required": ["a"]}
HOSTILE: list[tuple[str, str | bytes, int, str]] = [
    ("entity.xsd", XXE, 1, "entity.xsd, line 1: a document type, which is not read"),
    ("bomb.xsd", '<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><x>&b;</x>', 1, "a document type"),
    ("cut.xsd", "<xs:schema xmlns:xs='http://www.w3.org/2001/XMLSchema'><xs:element", 1, "cut.xsd, line 1: not well-formed"),
    ("other.xsd", "<a/>", 1, "no XML Schema: its root is `a`"),
    ("out.json", json.dumps(REFERS) % "http://127.0.0.1:9/x.json", 1, "--follow also reads what a source refers to"),
    ("up.json", json.dumps(REFERS) % "../../secret.json", 1, "--follow also reads"),
    ("lost.json", json.dumps(REFERS) % "#/$defs/none", 1, "`#/$defs/none` leads to nothing (at #/properties/a)"),
    ("loop.json", json.dumps(REFERS) % "#", 1, "`$ref`: `#` contains itself"),
    ("deep.json", '{"$schema": "x", "properties": ' + '{"a":{"properties":' * 500 + "{}" + "}}" * 500 + "}", 1, "deep.json"),
    ("cut.schema.json", '{"$schema": "x", "type": "object", ', 1, "line 1: not JSON"),
    ("alias.yaml", "openapi: 3.1.0\ncomponents: &a\n  schemas: {b: *a}\n", 1, "aliases are not read"),
    ("old.yaml", "openapi: 2.0\n", 1, "old.yaml"),
    ("bad.sql", "CREATE TABLE (a int,", 1, "bad.sql"),
    ("none.sql", "CREATE TABLE t AS SELECT 1;\nDROP TABLE t;", 1, "there is no CREATE TABLE"),
    ("regex.json", json.dumps({"type": "object", "properties": {"a": {"type": "string", "pattern": "(?=x)y"}}}), 1, "`pattern`: look-around"),
    ("runaway.json", json.dumps({"type": "object", "required": ["a"], "properties": {"a": {"type": "string", "pattern": "^(a+)+(b*)*$"}}}), 0, ""),
    ("nothing.html", "<p>hello</p>", 1, "no form with fields, and no table with rows"),
    ("bits.html", bytes(range(256)) * 50, 1, "bits.html"),
    ("some.json", json.dumps({"type": "object", "properties": {"a": {"type": ["string", "integer"]}, "b": {"not": {}, "type": "string"}}}),
     1, "a schema cannot say 2 rules; --partly drafts the rest and lists them"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "data", "code", "told"), HOSTILE, ids=[each[0] for each in HOSTILE])
def test_hostile_structures_are_refused(
    name: str, data: str | bytes, code: int, told: str, tmp_path: Path, yurt: Run
) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "secret.json").write_text('{"type": "string"}')
    (tmp_path / "in" / name).write_bytes(data if isinstance(data, bytes) else data.encode())
    done = yurt("draft", f"in/{name}", "--out", "draft.yaml", code=code)
    assert told in done.stderr.decode(), done.stderr.decode()
    assert (tmp_path / "draft.yaml").exists() == (code == 0) and len(done.stderr) < 3000


def test_references_are_followed_on_request(tmp_path: Path, yurt: Run) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "code.json").write_text('{"type": "string", "pattern": "^X[0-9]$"}')
    (tmp_path / "in" / "a.json").write_text(json.dumps(REFERS) % "code.json")
    (tmp_path / "in" / "b.json").write_text(json.dumps(REFERS) % "../b.json")
    yurt("draft", "in/a.json", "--follow", "--out", "draft.yaml")
    assert "/X[0-9]/" in (tmp_path / "draft.yaml").read_text("utf-8")
    assert b"outside of its folder" in yurt("draft", "in/b.json", "--follow", code=1).stderr


def test_what_cannot_be_said_is_listed(tmp_path: Path, yurt: Run) -> None:
    (tmp_path / "a.json").write_text(
        json.dumps(
            {
                "type": "object",
                "required": ["a", "b"],
                "properties": {
                    "a": {"type": "integer", "not": {"const": 3}},
                    "b": {"type": "array", "contains": {"const": 1}, "items": {"type": "integer"}},
                },
            }
        )
    )
    done = yurt("draft", "a.json", "--partly", "--out", "draft.yaml").stderr.decode()
    assert "Not said" in done and "`not`" in done and "`contains`" in done
    assert yaml.safe_load((tmp_path / "draft.yaml").read_text())["records"]["a"]["fields"]["a"] == "integer .."
