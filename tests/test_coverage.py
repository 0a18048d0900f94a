"""Coverage of records, and the cases that complete it: after adding the missing cases, everything possible is covered."""

from __future__ import annotations

import csv
import io
import json
import re
from itertools import product
from pathlib import Path
from typing import Any

import pytest

from .composer import composed
from .conftest import FULL, HUTS, schema_of


@pytest.mark.parametrize("form", ["json", "csv"])
@pytest.mark.parametrize("seed", range(40) if FULL else range(1, 40, 13))
def test_what_is_missing_completes_what_records_cover(seed: int, form: str, yurt: Any, tmp_path: Path) -> None:
    """Everything is covered in the end, except what is reported as impossible; the items do not depend on the data."""
    (tmp_path / "s.yaml").write_text(schema_of(composed(seed)[0], 40, "seed: 4\n"))
    yurt("generate", "s.yaml", "--out", f"row.{form}", "--format", form)
    more = f"more.{form}"
    done = yurt("coverage", "s.yaml", f"row.{form}", "--json", "--complete", more)
    before = json.loads(done.stdout)[0]
    after = json.loads(yurt("coverage", "s.yaml", f"row.{form}", f"row={more}", "--json").stdout)[0]
    left = set(re.findall(r"left out: ([^:\s]+): \S", done.stderr.decode()))
    assert [each["id"] for each in after["items"]] == [each["id"] for each in before["items"]]
    assert {each["id"] for each in after["items"] if not each["covered"]} <= left
    assert before["pairs"]["possible"] == after["pairs"]["possible"]
    assert before["pairs"]["impossible"] == after["pairs"]["impossible"]
    if not any("combinatorial" in each for each in left):
        assert after["pairs"]["missing"] == []
        assert after["pairs"]["covered"] == after["pairs"]["possible"]


LINES = "a: integer 0..6\nb: integer 0..6\nc: boolean, present if a > 3\nd:\n  when:\n    b < 2: one of x | y\n    else: one of y | z"


def test_pairs_are_those_that_records_can_have(yurt: Any, tmp_path: Path) -> None:
    """Enumerating all records gives the possible pairs."""
    (tmp_path / "s.yaml").write_text(schema_of(LINES, 5, "seed: 1\n", "    always:\n      - a < b or b == 0\n"))
    rows = [
        {"a": a, "b": b, "c": c, "d": d}
        for a, b in product(range(7), range(7)) if a < b or b == 0
        for c in (("true", "false") if a > 3 else ("",))
        for d in (("x", "y") if b < 2 else ("y", "z"))
    ]  # fmt: skip

    def part(name: str, value: Any) -> str:
        return value if name in "cd" else "inside" if 0 < value < 6 else str(value)

    pairs = {
        ((one, part(one, row[one])), (other, part(other, row[other])))
        for row in rows for one, other in ("ab", "ac", "ad", "bc", "bd", "cd")
    }  # fmt: skip
    write(tmp_path / "row.csv", rows)
    found = json.loads(yurt("coverage", "s.yaml", "row.csv", "--json").stdout)[0]["pairs"]
    assert found["covered"] == found["possible"] == len(pairs)
    assert {"a 6 with b 6": "a < b or b == 0", "b 0 with d z": "the table of d"}.items() <= found["impossible"].items()
    # An invalid record covers no valid item.
    write(tmp_path / "row.csv", [row | {"a": 6, "b": 3} for row in rows])
    found = json.loads(yurt("coverage", "s.yaml", "row.csv", "--json").stdout)[0]
    assert found["pairs"]["covered"] == 0 and found["valid items"]["covered"] == 0
    assert found["pairs"]["possible"] == len(pairs)


def write(path: Path, rows: list[dict[str, Any]]) -> None:
    out = io.StringIO(newline="")
    writer = csv.DictWriter(out, list(rows[0]))
    writer.writeheader()
    writer.writerows(rows)
    path.write_text(out.getvalue(), newline="")


def test_several_files_of_one_record_type(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema_of("a: one of x | y | z", 5))
    for name, value in (("one", "x"), ("two", "y")):
        (tmp_path / f"{name}.csv").write_text(f"a\n{value}\n")
    found = json.loads(yurt("coverage", "s.yaml", "row=one.csv", "row=two.csv", "--json").stdout)[0]
    assert found["rows"] == 2
    assert {each["item"]: each["covered"] for each in found["items"] if each["item"] in "xyz"} == {
        "x": True, "y": True, "z": False,
    }  # fmt: skip
    assert b"there is a file of `row` already" in yurt("verify", "s.yaml", "row=one.csv", "row=two.csv", code=2).stderr
    yurt("generate", HUTS, "--out", "huts/", "--count", "20")
    (tmp_path / "more.csv").write_bytes((tmp_path / "huts" / "hut.csv").read_bytes())
    refused = yurt("coverage", HUTS, "huts/", "hut=more.csv", "--record", "stay", code=2).stderr.decode()
    assert "`stay` refers to `hut`, so there can be one file of it" in refused
    (tmp_path / "two.csv").write_text("b;c\n1;2\n")
    assert b"two.csv: line 1: no column" in yurt("coverage", "s.yaml", "row=one.csv", "row=two.csv").stderr
