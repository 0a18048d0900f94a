"""The rows of a record type in several files, and on the clipboard."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import Any

import pytest
from lxml import etree

DEMO = Path(__file__).parent.parent / "src" / "yurt" / "examples" / "huts.yaml"


def rows_of(path: Path) -> list[list[str]]:
    return list(csv.reader(io.StringIO(path.read_text("utf-8"), newline="")))


@pytest.mark.parametrize("kind", ["csv", "json", "xml", "jsonl"])
@pytest.mark.parametrize("limit", [700, 4_000, 200_000])
def test_no_file_is_larger_than_asked(kind: str, limit: int, yurt: Any, tmp_path: Path) -> None:
    size = f"{limit}b" if limit < 1000 else f"{limit // 1000}kB"
    rows = "1..2000" if limit > 10_000 else "1..60"
    yurt("generate", DEMO, "hiker", "--rows", rows, "--out", f"whole.{kind}")
    yurt("generate", DEMO, "hiker", "--rows", rows, "--size-per-file", size, "--out", f"p/part.{kind}", code=3)
    (tmp_path / "p").mkdir()
    for workers in (1, 3):
        yurt("generate", DEMO, "hiker", "--rows", rows, "--size-per-file", size, "--out", f"p/part.{kind}", "--force",
             "--workers", workers)  # fmt: skip
        parts = sorted((tmp_path / "p").iterdir())
        assert [each.name for each in parts] == [f"part-{at:04}.{kind}" for at in range(1, len(parts) + 1)] and len(
            parts
        ) > 1
        sizes = [each.stat().st_size for each in parts]
        assert max(sizes) <= limit and min(sizes[:-1]) > limit * 0.4, sizes
    whole = tmp_path / f"whole.{kind}"
    if kind == "csv":
        assert [row for each in parts for row in rows_of(each)[1:]] == rows_of(whole)[1:]
    elif kind == "json":
        assert [row for each in parts for row in json.loads(each.read_text())] == json.loads(whole.read_text())
    elif kind == "jsonl":
        assert "".join(each.read_text() for each in parts) == whole.read_text()
    else:
        found = [etree.tostring(row).strip() for each in parts for row in etree.parse(each).getroot()]
        assert found == [etree.tostring(row).strip() for row in etree.parse(whole).getroot()]


@pytest.mark.parametrize("kind", ["csv", "json", "parquet"])
def test_one_file_for_each_value(kind: str, yurt: Any, tmp_path: Path) -> None:
    for workers in (1, 3):
        told = yurt(
            "generate",
            DEMO,
            "--file-per",
            "stay.status",
            "--format",
            kind,
            "--out",
            f"{workers}/",
            "--workers",
            workers,
        ).stderr.decode()
    names = sorted(each.name for each in (tmp_path / "1").iterdir())
    assert names == sorted(
        [
            *(f"stay-{each}.{kind}" for each in ("arrived", "booked", "cancelled", "left")),
            f"hut.{kind}",
            f"hiker.{kind}",
        ]
    )
    assert all((tmp_path / "1" / each).read_bytes() == (tmp_path / "3" / each).read_bytes() for each in names)
    assert "10,458 rows, 6 files" in told
    yurt("generate", DEMO, "stay", "--out", "stay.json")
    stays = json.loads((tmp_path / "stay.json").read_text())
    if kind == "json":
        for status in ("arrived", "booked"):
            own = json.loads((tmp_path / "1" / f"stay-{status}.json").read_text())
            assert own == [each for each in stays if each["status"] == status]
    if kind == "csv":
        lines = rows_of(tmp_path / "1" / "stay-left.csv")
        assert len(lines) - 1 == sum(each["status"] == "left" for each in stays)


def test_values_make_file_names(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(
        "yurt: 1\nseed: 1\nrecords:\n  a:\n    count: 90\n    fields:\n      x: one of '../up' | 'a b' | 'é', missing 20%\n      y: integer 1..2000\n      z: one of 'a/b' | 'a_b'\n"
    )
    yurt("generate", "s.yaml", "--file-per", "x", "--out", "o/a.csv", code=3)
    yurt("generate", "s.yaml", "--file-per", "x", "--out", "o/")
    assert sorted(each.name for each in (tmp_path / "o").iterdir()) == [
        "a-_up.csv",
        "a-a_b.csv",
        "a-without-x.csv",
        "a-é.csv",
    ]
    assert sum(len(rows_of(each)) - 1 for each in (tmp_path / "o").iterdir()) == 90
    for options, words in (
        (("--file-per", "w"), "has no field `w`"),
        (("--file-per", "z"), "two values of `z` need the same file"),
        (("--file-per", "y", "--count", 3000), "`y` has more than 1,000 values"),
        (("--size-per-file", "1MB", "--format", "parquet"), "needs a format of texts"),
        (("--size-per-file", "10b"), "takes"),
        (("--size-per-file", "1M"), "write it like 500kB"),
        (("--size-per-file", "1MB", "--file-per", "x"), "exclude one another"),
        (("--each-variant",), "needs a schema with variants"),
        (("--size-per-file", "1MB", "--errors", "3%"), "no --errors"),
    ):
        told = yurt("generate", "s.yaml", *options, "--out", "n/", code=2).stderr.decode()
        assert words in told and not (tmp_path / "n").exists(), (told, options)
    assert "several files need --out" in yurt("generate", "s.yaml", "--size-per-file", "1MB", code=2).stderr.decode()
    assert (
        "needs a record type: stay.status"
        in yurt("generate", DEMO, "--file-per", "status", "--out", "x/", code=2).stderr.decode()
    )


def test_files_for_each_variant(yurt: Any, tmp_path: Path) -> None:
    told = yurt("generate", DEMO, "hiker", "--each-variant", "--out", "h.csv.gz").stderr.decode()
    assert sorted(each.name for each in tmp_path.iterdir()) == ["h-peak.csv.gz", "h.csv.gz"]
    assert "h.csv.gz: 3,000 rows" in told and "h-peak.csv.gz: 9,000 rows" in told and "12,000 rows, 2 files" in told
    yurt("generate", DEMO, "hiker", "--variant", "peak", "--out", "own.csv.gz")
    assert (tmp_path / "own.csv.gz").read_bytes() == (tmp_path / "h-peak.csv.gz").read_bytes()
    told = yurt(
        "generate", DEMO, "hiker", "--each-variant", "--variant", "peak", "--out", "x.csv", code=2
    ).stderr.decode()
    assert "no --variant" in told


def test_the_clipboard(yurt: Any, tmp_path: Path) -> None:
    told = yurt("generate", DEMO, "hut", "--copy", env={"DISPLAY": "", "WAYLAND_DISPLAY": ""}, code=3).stderr.decode()
    assert "there is no clipboard here, because there is no screen; write a file with --out" in told
    folder = tmp_path / "bin"
    folder.mkdir()
    empty = {"DISPLAY": ":9", "WAYLAND_DISPLAY": "", "PATH": str(folder)}
    assert (
        "install wl-clipboard, xclip, or xsel"
        in yurt("generate", DEMO, "hut", "--copy", env=empty, code=3).stderr.decode()
    )
    program = folder / "xclip"
    program.write_text(f'#!/bin/sh\n/bin/cat > {tmp_path}/taken\necho "$@" > {tmp_path}/asked\n')
    program.chmod(0o755)
    told = yurt("generate", DEMO, "hut", "--rows", "1..3", "--copy", env=empty).stderr.decode()
    assert "on the clipboard: 3 huts" in told
    lines = (tmp_path / "taken").read_text().splitlines()
    assert lines[0].split("\t")[:2] == ["code", "altitude"] and len(lines) == 4
    assert (tmp_path / "asked").read_text() == "-selection clipboard\n"
    program.write_text("#!/bin/sh\nexit 4\n")
    assert (
        "xclip could not take the records" in yurt("generate", DEMO, "hut", "--copy", env=empty, code=3).stderr.decode()
    )
    for options in (("--out", "x.csv"), ("--format", "json")):
        assert (
            "--copy takes one record type" in yurt("generate", DEMO, "hut", "--copy", *options, code=2).stderr.decode()
        )
