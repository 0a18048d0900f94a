"""Records inside the records that they are counted per: written to any depth, and checked where they stand."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

DEEP = """yurt: 1
seed: 6
today: 2026-06-01
records:
  hut:
    count: 12
    fields:
      code: /[A-Z]{3}/, unique
      beds: integer 5..40
  stay:
    count: 0..3 per hut
    fields:
      number: sequence
      hut:    ref hut
      party:  integer 1..hut.beds
      visit:  = ordinal()
  meal:
    count: 1..2 per stay
    fields:
      id:    uuid
      stay:  ref stay
      price: decimal 4.00..19.50
      note:  one of "" | soup | "a, b", missing 20%
      plate:
        nested:
          size: one of small | large
"""
KINDS = ["json", "jsonl", "yaml", "xml", "parquet", "arrow"]


@pytest.fixture
def deep(yurt: Any, tmp_path: Path) -> Any:
    """Return the records of the schema by type, written apart."""
    (tmp_path / "s.yaml").write_text(DEEP)
    yurt("generate", "s.yaml", "--format", "json", "--out", "apart/")
    return {name: json.loads((tmp_path / "apart" / f"{name}.json").read_text()) for name in ("hut", "stay", "meal")}


@pytest.mark.parametrize("kind", KINDS)
def test_records_inside_others_are_checked(kind: str, deep: Any, yurt: Any) -> None:
    yurt("generate", "s.yaml", "--out", f"hut.{kind}", "hut", "--with", "children=inside")
    told = yurt("verify", "s.yaml", f"hut.{kind}", "--with", "children=inside").stdout.decode()
    assert f"hut.{kind}: 12 hut rows, all valid" in told, told
    assert f"hut.{kind}, inside hut: {len(deep['stay'])} stay rows, all valid" in told
    assert f"hut.{kind}, inside stay: {len(deep['meal'])} meal rows, all valid" in told and "no field" not in told


def test_wrong_records_inside_others_are_found(deep: Any, yurt: Any, tmp_path: Path) -> None:
    yurt("generate", "s.yaml", "--out", "hut.json", "hut", "--with", "children=inside")
    huts = json.loads((tmp_path / "hut.json").read_text())
    assert [stay["number"] for hut in huts for stay in hut["stay"]] == [each["number"] for each in deep["stay"]]
    first = next(each for each in huts if each["stay"])
    first["stay"][0]["party"] = 41
    first["stay"][0]["meal"][0]["price"] = 19.51
    first["stay"][0]["meal"][0]["plate"]["size"] = "huge"
    first["stay"][0]["meal"].append(7)
    first["stay"][0]["extra"] = 1
    huts[-1]["stay"] = {"number": 1}
    (tmp_path / "hut.json").write_text(json.dumps(huts))
    told = yurt("verify", "s.yaml", "hut.json", "--with", "children=inside", code=1).stdout.decode()
    for words in ("stay.party  range", "meal.price  range", "meal.plate.size  list", "a record was expected in `meal`, not 7",
                  "`stay` is not a list of records", "no field for `extra`"):  # fmt: skip
        assert words in told, (words, told)
    # Without the setting, they are only fields that nobody knows.
    assert "the schema has no field for `stay`" in yurt("verify", "s.yaml", "hut.json").stdout.decode()
    told = yurt("coverage", "s.yaml", "hut.json", "--with", "children=inside").stdout.decode()
    assert "meal: " in told


def test_one_document_of_several_record_types(deep: Any, yurt: Any, tmp_path: Path) -> None:
    for workers in (1, 3):
        told = yurt("generate", "s.yaml", "--out", "all.json", "--force", "--workers", workers).stderr.decode()
        assert json.loads((tmp_path / "all.json").read_text()) == deep
    assert "all.json: 12 huts, " in told
    told = yurt("verify", "s.yaml", "all.json").stdout.decode()
    assert all(f"all.json: {len(rows)} {name} rows, all valid" in told for name, rows in deep.items()), told
    assert "12 hut rows, all valid" in yurt("verify", "s.yaml", "hut=all.json").stdout.decode()
    yurt("generate", "s.yaml", "--out", "all.xlsx")
    assert yurt("verify", "s.yaml", "all.xlsx").stdout.decode().count("all valid") == 3
    deep["meal"][1]["price"] = 99
    # The order of the types does not matter, nor does a name with an escape.
    text = json.dumps({"meal": deep["meal"], "hut": deep["hut"], "stay": deep["stay"]}, indent=1).replace(
        '"stay": [', '"st\\u0061y": ['
    )
    (tmp_path / "all.json").write_text(text)
    told = yurt("verify", "s.yaml", "all.json", code=1).stdout.decode()
    assert "1  meal.price  range" in told and told.count("all valid") == 2, told
    for wrong, words in (
        (json.dumps({"hut": deep["hut"], "stay": deep["stay"]}), "the document has no `meal`"),
        (text.replace('"hut": [', '"hut": 7, "x": ['), "`hut` is not a list of records"),
        (text[: len(text) // 2], "not JSON"),
        (text + "7", "text after the end of the document"),
        (text.replace('"st\\u0061y": [', '"meal": [], "stay": ['), "the key `meal` is repeated"),
        (text.replace('"hut": [', '"huts": [], "hut": ['), "no field for `huts`"),
    ):
        (tmp_path / "all.json").write_text(wrong)
        assert words in yurt("verify", "s.yaml", "all.json", code=1).stdout.decode(), words
