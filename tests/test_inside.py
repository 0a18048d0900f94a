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
