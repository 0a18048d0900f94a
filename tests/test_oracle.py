"""An independent validator checks every case and every generated row; it knows the language reference and none of
Yurt's code."""

from __future__ import annotations

import json
from collections import Counter
from pathlib import Path
from typing import Any

import pytest

from .conftest import FULL
from .oracle import Oracle
from .oracle_files import read

HERE = Path(__file__).parent
DOMAINS = {
    each.split("\n", 1)[0].removeprefix("title: "): each
    for each in (HERE / "domains.txt").read_text("utf-8").split("\n---\n")[1:]
}
EVERY = ("partition", "boundary", "syntax", "hostile", "decision", "combinatorial")
FORMS = ("csv", "json", "xml")
# The largest share of derived cases that cannot be made.
LOST = 0.02
# A unique pair of fields can leave no second record for a pair of levels.
LOST_OF = {"weekdays": 0.03}


# The normal run takes every third schema in one format; `make test-full` takes all, in all formats.
@pytest.mark.parametrize("title", list(DOMAINS)[:: 1 if FULL else 3])
def test_the_oracle_agrees_with_every_case_and_every_clean_row(yurt: Any, tmp_path: Path, title: str) -> None:
    text = "yurt: 1\nseed: 7\ntoday: 2026-06-01\n" + DOMAINS[title]
    (tmp_path / "s.yaml").write_text(text)
    at = list(DOMAINS).index(title)
    for form in FORMS if FULL else (FORMS[at % 3],):
        oracle = Oracle(text)
        plain = form != "json"
        yurt("generate", "s.yaml", "--out", f"{form}/", "--format", form)
        for record in oracle.records:
            rows = read((tmp_path / form / f"{record}.{form}").read_bytes(), form)
            oracle.know(record, rows, plain)
            found = [faults for faults, _ in oracle.file(record, rows, plain)]
            assert not any(found), (record, next((row, one) for row, one in zip(rows, found, strict=True) if one))
        lost: Counter[str] = Counter()
        made = 0
        for record in oracle.records:
            options = [part for name in EVERY for part in ("--technique", name)]
            (told,) = json.loads(
                yurt(
                    "cases",
                    "s.yaml",
                    record,
                    *options,
                    "--boundary",
                    3,
                    "--out",
                    f"{record}-cases.{form}",
                    "--json",
                    "--force",
                ).stdout
            )
            lost.update(each["reason"] for each in told["left out"])
            for name, count in told["refers to"].items():
                # There are enough parents that none has too many children.
                yurt("generate", "s.yaml", name, "--count", count, "--out", f"more.{form}", "--force")
                oracle.know(name, read((tmp_path / f"more.{form}").read_bytes(), form), plain)
            made += told["cases"]
            rows = read((tmp_path / f"{record}-cases.{form}").read_bytes(), form)
            labels = [row.pop("case") for row in rows]
            for row, label, (faults, unknown) in zip(rows, labels, oracle.file(record, rows, plain), strict=True):
                _agree(row, label, faults, unknown)
        assert sum(lost.values()) <= LOST_OF.get(title, LOST) * (made + sum(lost.values())), lost


def _agree(row: dict[str, Any], label: dict[str, str], faults: dict[str, str], unknown: set[str]) -> None:
    if label["expected"] != "reject":
        assert not faults, (label, faults, row)
        return
    target = label["target"].partition(".")[0]
    where = {*faults, *unknown}
    assert label["target"] in where or target in where, (label, faults, row)
    # Only the expected rule is broken, and rules that depend on it.
    assert len(faults) <= 1, (label, faults, row)
