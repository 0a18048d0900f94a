"""Mutated files of every format that is read, under the commands that read data."""

from __future__ import annotations

import random
import shutil
import tempfile
from functools import cache
from pathlib import Path

from attacks.mutation import DATA_TOKENS, mutated, mutated_bytes, mutated_zip
from attacks.process import Input, program

SCHEMA = """yurt: 1
seed: 1
today: 2026-06-01
records:
  row:
    count: 20
    fields:
      i: integer 1..9
      d: decimal 0.50..2.00
      t: text 1..8
      b: boolean, optional
      day: date 2026-01-01..2026-12-31
      at: datetime 2026-01-01T00:00..2026-12-31T23:59
      who: person
      card: cc-number
      tags: list 0..3 of one of rare | usual
"""
TEXTS = ("csv", "tsv", "json", "jsonl", "xml", "yaml", "fixed")
BINARY = ("parquet", "arrow", "xlsx", "sqlite", "duckdb")
LAYOUT = "layout=i 1, d 4, t 8, b 5, day 10, at 19, card 19"
# Cells of one level, for files that have no more.
FLAT = {"fixed", "sqlite", "duckdb"}
NEW = ("n: = row", "t: = upper(t)", "i: integer 1..3", "m: = if i > 3 then t else null", "e: email")
TREATED = ("t: scrub", "card: substitute cc-number", "i: noise 10%", "day: shift 30 days", "t: encrypt", "d: keep 1")


@cache
def samples() -> dict[str, bytes]:
    """Return a valid file of each format, made by the program."""
    folder = Path(tempfile.mkdtemp(prefix="samples-"))
    flat = "\n".join(line for line in SCHEMA.splitlines() if "who" not in line and "tags" not in line) + "\n"
    try:
        (folder / "s.yaml").write_text(SCHEMA)
        (folder / "flat.yaml").write_text(flat)
        for each in (*TEXTS, *BINARY):
            url = f"{each}:///row.{each}"
            out = ["--out", url] if each in ("sqlite", "duckdb") else ["--out", f"row.{each}", "--format", each]
            out += ["--with", LAYOUT] if each == "fixed" else []
            ended = program(["generate", "flat.yaml" if each in FLAT else "s.yaml", *out], folder)
            assert ended.code == 0, (each, ended)
        return {each: (folder / f"row.{each}").read_bytes() for each in (*TEXTS, *BINARY)}
    finally:
        shutil.rmtree(folder)


def data_input(chance: random.Random) -> Input:
    """Return a mutated data file and a command that reads it."""
    form = chance.choice((*TEXTS, *BINARY))
    name, data = f"row.{form}", samples()[form]
    if form in TEXTS:
        content = mutated(data.decode(), chance, DATA_TOKENS).encode("utf-8", "surrogatepass")
        data = mutated_bytes(content, chance) if chance.random() < 0.2 else content
    else:
        data = mutated_zip(data, chance) if form == "xlsx" and chance.random() < 0.8 else mutated_bytes(data, chance)
    source = f"{form}:///{name}" if form in ("sqlite", "duckdb") else name
    out = f"out.{form}"
    target = f"{form}:///{out}" if form in ("sqlite", "duckdb") else out
    as_format = ["--format", "fixed", "--with", LAYOUT] if form == "fixed" else []
    suggested = ["--read-format", "fixed", "--read-with", LAYOUT] if form == "fixed" else []
    read = [*suggested, *as_format]
    command = chance.choice(
        (
            ["verify", "s.yaml", source, *as_format],
            ["coverage", "s.yaml", source, *as_format],
            ["draft", source, *as_format],
            ["disguise", source, "--suggest", *suggested],
            ["extend", source, "--field", chance.choice(NEW), "--out", target, *read],
            ["disguise", source, "--field", chance.choice(TREATED), "--out", target, *read],
        )
    )
    if form == "xlsx" and chance.random() < 0.15:
        command = ["generate", "s.yaml", "--with", f"workbook={name}", "--out", out]
    made = out if "--out" in command else ""
    return Input({"s.yaml": SCHEMA.encode(), name: data}, command, made=made)
