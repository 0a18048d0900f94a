"""Mutated documents that drafts are made from: schemas of other standards, tables, pages."""

from __future__ import annotations

import json
import random
import shutil
import tempfile
from functools import cache
from pathlib import Path

from attacks.mutation import DATA_TOKENS, ROOT, mutated
from attacks.process import Input, program

SUFFIXES = {"csvw": "json", "json-schema": "json", "openapi": "json", "sql": "sql", "xml-schema": "xsd"}
PAGE = """<html><head><title>Huts</title></head><body><form action="/x"><label for="n">Name</label>
<input id="n" name="name" autocomplete="name" required maxlength="40"><input type="number" name="beds" min="1" max="80" step="1">
<input name="code" pattern="[A-Z]{2}-[0-9]{4}"><select name="kind"><option value="a">A<option selected>b</select>
<textarea name="note" maxlength="200"></textarea></form>
<table><thead><tr><th>hut<th>beds<th>opens</thead><tbody><tr><td>Kar<td>12<td>2026-06-01<tr><td>Alm<td>7<td>2026-06-15</table>
</body></html>"""
TABLES = """CREATE TABLE hut (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL UNIQUE, price NUMERIC(8,2) CHECK (price > 0 AND price <= 90));
CREATE TABLE stay (hut INTEGER NOT NULL REFERENCES hut (id), arrival DATE DEFAULT CURRENT_DATE, nights SMALLINT CHECK (nights BETWEEN 1 AND 9),
  status VARCHAR(8) CHECK (status IN ('new', 'paid')), PRIMARY KEY (hut, arrival), CONSTRAINT c CHECK (status <> 'paid' OR nights > 1));
"""


@cache
def documents() -> tuple[tuple[str, str], ...]:
    """Return names and texts of documents: those that the program writes, and those of the test suite of JSON Schema."""
    folder = Path(tempfile.mkdtemp(prefix="documents-"))
    found = [("page.html", PAGE), ("tables.sql", TABLES)] * 3
    try:
        for schema in sorted((ROOT / "src" / "yurt" / "examples").glob("*.yaml"))[:3]:
            for each, suffix in SUFFIXES.items():
                out = folder / f"{schema.stem}.{each}.{suffix}"
                if (
                    program(["describe", str(schema), "--as", each, "--out", str(out)], folder).code == 0
                    and out.is_file()
                ):
                    found.append((f"d.{suffix}", out.read_text("utf-8")))
        assert len(found) > 8, found
    finally:
        shutil.rmtree(folder)
    suite = json.loads((ROOT / "tests" / "data" / "json_schema_suite.json").read_text("utf-8"))
    cases = [json.dumps(case["schema"]) for group in suite.values() for case in group]
    return (*found, *(("d.json", each) for each in cases[:: len(cases) // 40]))


def structure_input(chance: random.Random) -> Input:
    """Return a mutated document, a draft of it, and a check of the draft."""
    name, text = chance.choice(documents())
    content = mutated(text, chance, DATA_TOKENS).encode("utf-8", "surrogatepass")
    command = ["draft", name, "--out", "s.yaml", *chance.choice(([], ["--partly"]))]
    return Input({name: content}, command, ("check", "s.yaml"), made="s.yaml")
