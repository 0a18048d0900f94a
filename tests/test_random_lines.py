"""Random files with random lines: nothing crashes, columns without a line are as they were, equal values stay equal."""

from __future__ import annotations

import csv
import io
import json
import random
import re
from collections import defaultdict
from pathlib import Path
from typing import Any

import pyarrow.feather as feather
import pyarrow.parquet as pq
import pytest
import yaml

from .conftest import FULL

CELLS = ["007", "1.50", "-0", "1e5", "", " a ", 'say "x"', "a,b", "two\nlines", "=1+1", "true", "Žiga", "名", "2026-06-01", "1.234,50",
         "\t", "+43 664 123456", "9" * 20, "2026-02-30", "10:00:00", "2026-06-01T10:00:00", "a@b.c", "AT611904300234573201",
         "4111 1111 1111 1111", "x" * 300, "\\", "-", "ÄÖÜ äöü", "12 (x)", "Anna Hofer", "Wien", "8010"]  # fmt: skip
TITLES = ["a", "First name", "x.y", "b", "city", "given", "email", "ß", "2nd", "sex", "country", "born"]
LINES = [
    "encrypt", "encrypt cc-number", "encrypt iban", "encrypt isbn-13", "encrypt, domain d", "encrypt, unique", "keep first 1",
    'keep first 2 last 2 with "#"', "noise 10%", "coarsen to 10", "coarsen to month", "coarsen to first 2", "shuffle",
    "shuffle within {other}", "scrub", "remove", "substitute given-name", "substitute family-name", "substitute city",
    "substitute email, unique", "substitute tel", "substitute one of a | b", "substitute integer 1..9", 'substitute like "AB-12"',
    "substitute postal-code", "substitute full-name", "substitute given-name, evenly", "substitute date 2026-01-01..2026-02-01",
    "'= upper({own})'", "'= {other} & \"x\"'", "'= normalize_space({own})'", "'= number({own}, \",\")'", "'= phone({own}, \"43\")'",
    "integer 1..9", "shift 3d per {other}", "'substitute given-name, present if {other} is not null'",
]  # fmt: skip
# Lines whose results are a function of the value alone.
BY_VALUE = re.compile(
    r"(encrypt|keep|noise|coarsen|substitute (given|family|city|tel|one|integer|like|full|date))(?!.*present)"
)
KINDS = ("csv", "json", "xml", "parquet", "xlsx", "yaml", "tsv", "arrow")
READERS: dict[str, Any] = {
    "csv": lambda path: list(csv.DictReader(io.StringIO(path.read_bytes().decode(), newline=""))),
    "tsv": lambda path: list(csv.DictReader(io.StringIO(path.read_bytes().decode(), newline=""), delimiter="\t")),
    "json": lambda path: json.loads(path.read_text("utf-8"), parse_float=str, parse_int=str),
    "yaml": lambda path: yaml.load(path.read_text("utf-8"), yaml.BaseLoader) or [],
    "parquet": lambda path: pq.read_table(path).to_pylist(),
    "arrow": lambda path: feather.read_table(path).to_pylist(),
}


def named(title: str, at: int) -> str:
    name = re.sub(r"\W+", "_", title)
    return name if re.fullmatch(r"[^\W\d]\w*", name) else f"column_{at + 1}"


@pytest.mark.parametrize("seed", range(400 if FULL else 40))
def test_random_lines_over_a_random_file(seed: int, yurt: Any, tmp_path: Path) -> None:
    choice = random.Random(seed)
    titles = choice.sample(TITLES, choice.randint(2, 5))
    cells = {title: choice.sample(CELLS, choice.randint(1, 4)) if choice.random() < 0.5 else CELLS for title in titles}
    rows = [{title: choice.choice(cells[title]) for title in titles} for _ in range(choice.choice((0, 1, 3, 40)))]
    with (tmp_path / "t.csv").open("w", newline="", encoding="utf-8") as file:
        out = csv.DictWriter(file, titles)
        out.writeheader()
        out.writerows(rows)
    names = {title: named(title, at) for at, title in enumerate(titles)}
    lines = {
        title: choice.choice(LINES).format(own=names[title], other=names[choice.choice(titles)])
        for title in choice.sample(titles, choice.randint(1, len(titles) - 1))
    }
    kind = KINDS[seed % len(KINDS)]
    call = ("disguise", "t.csv", *(f"--field={names[title]}: {line}" for title, line in lines.items()), "--out", f"o.{kind}",
            "--workers", seed % 3 + 1)  # fmt: skip
    secret = {"YURT_SECRET": "a secret for random lines"}
    done = yurt(*call, code=None, env=secret)
    told = done.stderr.decode()
    assert done.returncode in (0, 1, 2), told
    print(told)
    if done.returncode and "proof of" not in told:
        assert not (tmp_path / f"o.{kind}").exists() and re.search(r"^(yurt: |\d+ mistakes? in )", told, re.MULTILINE)
        return
    if done.returncode:
        # The proof has found an original.
        assert "not written" in told and not (tmp_path / f"o.{kind}").exists()
        yurt(*call, "--no-proof", env=secret)
    if kind not in READERS:
        return
    new = READERS[kind](tmp_path / f"o.{kind}")
    assert len(new) == len(rows)
    for title in titles:
        if title not in lines:
            # A format with types of its own has numbers, dates, and nothing for an empty cell; the texts are the same.
            pairs = [(before[title], after.get(title)) for before, after in zip(rows, new, strict=True)]
            assert [plain(after) for _, after in pairs] == [plain(before) for before, _ in pairs], (title, kind)
        elif BY_VALUE.match(lines[title]):
            found = defaultdict(set)
            for before, after in zip(rows, new, strict=True):
                found[before[title]].add(str(after[title]))
            assert all(len(each) == 1 for each in found.values()), (title, lines[title])


def plain(value: Any) -> str:
    text = "" if value in (None, "null") else str(value).lower() if isinstance(value, bool) else str(value)
    return text.replace("T", " ") if re.match(r"\d{4}-\d\d-\d\d[T ]", text) else text
