"""Time and memory of `yurt disguise` and of `yurt extend`, beside reading and writing the same file without a change.

The file has twelve columns, of which six are treated. The others are a query engine that reads and writes CSV, and data
frames, both with all values as texts. FF1 is measured alone, on one thread. Run `python bench/existing.py`, or with a
number of rows; `--proof` adds the proof.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import pyarrow as pa

from throughput import PROGRAM, peak_memory
from yurt.core.keyed.format_preserving import FormatPreserving

FIELDS = """yurt: 1
seed: 5
today: 2026-06-01
locale: de-AT
records:
  guest:
    count: {rows}
    fields:
      id: sequence from 1000001
      pass: like "HK-402187", unique
      given: given-name
      family: family-name
      mail: email
      born: date 1940-01-01..2008-12-31
      city: city
      zip: postal-code
      card: cc-number
      nights: integer 1..14
      paid: decimal 10.00..990.00
      note: text 10..30
"""
LINES = """yurt: 1
locale: de-AT
records:
  guest:
    fields:
      pass: encrypt
      given: substitute given-name
      family: substitute family-name
      mail: substitute email
      born: shift 30d per pass
      card: encrypt cc-number
"""
ENGINE = (
    "import duckdb; base = duckdb.connect(); base.execute('SET threads=2');"
    "base.execute(\"COPY (SELECT * FROM read_csv('guest.csv', all_varchar=true)) TO 'plain.csv' (HEADER)\")"
)
FRAMES = (
    "import pandas as pd; pd.read_csv('guest.csv', dtype=str, keep_default_na=False).to_csv('plain.csv', index=False)"
)


def main() -> None:
    """Measure everything in one run."""
    numbers = [each for each in sys.argv[1:] if each.isdigit()]
    rows = int(numbers[0]) if numbers else 1_000_000
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        (place / "guest.yaml").write_text(FIELDS.format(rows=rows))
        (place / "lines.yaml").write_text(LINES)
        (place / "key.txt").write_text("a secret for the bench alone")
        made = [PROGRAM, "generate", "guest.yaml", "--out", "guest.csv"]
        subprocess.run(made, cwd=place, check=True, capture_output=True)
        size = (place / "guest.csv").stat().st_size
        print(f"{rows:,} rows of 12 columns, {size / 1e6:,.0f} MB")
        os.chdir(place)
        bare = min(peak_memory(sys.executable, "-c", ENGINE)[0] for _ in range(2))
        print(f"  read and written by a query engine  {bare:6.1f} s")
        if rows <= 2_000_000:
            frames = peak_memory(sys.executable, "-c", FRAMES)[0]
            print(f"  read and written by data frames     {frames:6.1f} s")
        disguise = [str(PROGRAM), "disguise", "guest.csv", "--schema", "lines.yaml", "--secret", "key.txt", "--force"]
        extended = ["--field=region: region", "--locale", "de-AT"]
        runs = {
            "disguise, six columns treated": [*disguise, "--no-proof", "--out", "safe.csv"],
            "extend, one column added": [
                str(PROGRAM),
                "extend",
                "guest.csv",
                *extended,
                "--force",
                "--out",
                "more.csv",
            ],
        }
        if "--proof" in sys.argv:
            runs["disguise with its proof"] = [*disguise, "--out", "safe.csv"]
        for name, command in runs.items():
            taken, memory = peak_memory(*command)
            print(f"  {name:35} {taken:6.1f} s, {taken / bare:.1f} times the engine, {memory:,.0f} MB")
    for form, front, first in (("16 digits", "", 10**15), ("2 letters and 7 digits", "HK", 10**6)):
        found = pa.array([f"{front}{each}" for each in range(first, first + 10**6)])
        cipher = FormatPreserving(b"k" * 16)
        started = time.perf_counter()
        cipher(found)
        print(f"  FF1, {form}: {len(found) / (time.perf_counter() - started):,.0f} values/s on one thread")


if __name__ == "__main__":
    main()
