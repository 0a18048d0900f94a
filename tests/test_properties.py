"""Random schemas: generated records satisfy their schema, in full or in slices, on any number of workers."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

import yurt as library
from yurt.core.base.errors import YurtError
from yurt.core.language.reader import read
from yurt.core.source.diagnostics import Source

from .composer import composed, spoiled
from .conftest import FULL, schema_of

SCHEMAS = 320 if FULL else 70
ROWS = 150


def test_records_of_random_schemas_satisfy_their_contracts(tmp_path: Path, yurt: Any) -> None:
    made = {seed: composed(seed) for seed in range(SCHEMAS)}
    records = [schema_of(lines, ROWS, head=None, name=f"r{seed}") for seed, (lines, _) in made.items()]
    (tmp_path / "all.yaml").write_text("yurt: 1\nseed: 11\ntoday: 2026-06-01\nrecords:\n" + "".join(records))
    yurt("generate", "all.yaml", "--out", "one/", "--format", "json", "--workers", 1)
    yurt("generate", "all.yaml", "--out", "three/", "--format", "json", "--workers", 3)
    yurt("verify", "all.yaml", "one/")
    for seed, (lines, predicates) in made.items():
        data = (tmp_path / f"one/r{seed}.json").read_bytes()
        assert data == (tmp_path / f"three/r{seed}.json").read_bytes()
        rows = json.loads(data)
        assert len(rows) == ROWS
        for name, predicate in predicates.items():
            for row in rows:
                assert predicate(row), (seed, name, row, lines)
            if f"\n{name}: datetime" in f"\n{lines}" and "hours(" in lines:
                # Usual values are drawn even if the range allows more.
                line = next(each for each in lines.splitlines() if each.startswith(f"{name}:"))
                hours = {row[name][11:13] for row in rows if row[name]}
                assert "hours(" not in line or hours <= {"08", "09", "10", "11", "20"}
        if "\nkey: " in lines:
            assert len({row["key"] for row in rows}) == ROWS


@pytest.mark.parametrize("start", range(0, SCHEMAS, 40))
def test_slices_of_random_schemas_equal_the_whole(start: int) -> None:
    for seed in range(start, start + 40):
        schema, _ = read(Source("s", schema_of(composed(seed)[0], ROWS, head="seed: 4\ntoday: 2026-06-01\n")))
        whole = library.table(schema, "row")
        first = seed % 130 + 1
        assert library.table(schema, "row", rows=(first, first + 9)).equals(whole.slice(first - 1, 10)), seed


@pytest.mark.parametrize("start", range(0, 600, 100))
def test_a_changed_schema_is_refused_or_makes_records(start: int) -> None:
    told = 0
    for seed in range(start, start + 100):
        text = schema_of(spoiled(composed(seed)[0], seed), 20, head="seed: 4\ntoday: 2026-06-01\n")
        try:
            schema, _ = read(Source("s", text))
            assert library.table(schema, "row").num_rows == 20
        except YurtError:
            told += 1
    assert told > 40


# Fields on which `verify` or another command once failed for generated records; at the top, lists.
ROUND = {
    "an empty record in a list": "a:\n  list: 1..3\n  nested:\n    b: integer 1..9, optional",
    "a kind or nothing": "a:\n  when:\n    row > 4: email\n    else: = null",
    "a text by the row": 'a: sequence\nb: text "{a}", present if row > 2\nc: = row * 2, present if row > 5',
    "gaps and an optional column": "a: from routes.name\nb: from routes.km, optional\nc: = a is null",
    "a list or nothing": "a: list 1..2 of integer 1..9\nb: = if row > 3 then a else null\nc: = if row > 99 then a else null",
    "nested gaps": "a: from routes.name\nb:\n  nested:\n    km: from routes.km\n  missing: 40%",
    "a parent that is no column": "id: sequence",
    "a field named like the elements of a list": "value: integer 1..9",
    "records of such a field": "a:\n  list: 1..2\n  nested:\n    value: integer 1..9\nb:\n  nested:\n    value: boolean\nc: list 1 of boolean",
    "a nested record of nothing": "a:\n  nested:\n    b:\n      when:\n        row > 4: boolean\n        else: = null\n  present if: row > 2",
    "a condition on the row inside a list": "a:\n  list: 1..3\n  nested:\n    b: integer 1..9\n    c: = b + 1, present if row > 2",
}
LISTS = (
    'value-lists:\n  routes:\n    - {name: Ridge, km: 12.5}\n    - {name: Lake, km: 7.0}\n    - {name: Way, km: ""}\n'
)


def test_whatever_generate_makes_is_valid(tmp_path: Path, yurt: Any) -> None:
    records = [schema_of(lines, 40, head=None, name=f"r{at}") for at, lines in enumerate(ROUND.values())]
    child = "  child:\n    count: 0..3 per r6\n    fields:\n      r6: ref r6, helper\n      n: integer 1..r6.id\n      a: integer 1..9, helper\n      b: = running(a)\n"
    (tmp_path / "s.yaml").write_text(f"yurt: 1\nseed: 4\ntoday: 2026-06-01\n{LISTS}records:\n{''.join(records)}{child}")
    for form in ("csv", "json", "xml"):
        yurt("generate", "s.yaml", "--out", f"{form}/", "--format", form)
        yurt("verify", "s.yaml", f"{form}/")
        yurt("coverage", "s.yaml", f"{form}/")
    yurt("cases", "s.yaml", "--out", "cases/")
