"""Time to make a million people with addresses, compared with twelve plain lists of words.

Each record type has twelve fields. The people (names, sex, birthday, e-mail, telephone, street, postal code, city,
region, country, and occupation) are consistent; the other fields are `one of` eight words. The program writes both as
CSV, in one run on one machine. Run `python bench/people.py`; `--limit 3` makes it fail if the ratio exceeds three.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from pathlib import Path

PROGRAM = Path(sys.executable).with_name("yurt")
ROWS, ROUNDS = 1_000_000, 3
PERSON = (
    "given-name", "family-name", "sex", "birth-date", "email", "tel", "street-address", "postal-code", "city", "region",
    "country-code", "job-title",
)  # fmt: skip
WORDS = "one of one | two | three | four | five | six | seven | eight"
LOCALES = ("de-AT", "{de-AT: 45%, it-IT: 25%, sl-SI: 20%, fr-FR: 10%}", "[ja-JP, uk-UA, cs-CZ, en-US]")


def seconds(head: str, phrases: tuple[str, ...], folder: Path) -> float:
    """Return the best time, in seconds, that the program takes for a file of these fields."""
    path = folder / "schema.yaml"
    lines = "".join(f"      f{number}: {phrase}\n" for number, phrase in enumerate(phrases))
    path.write_text(f"yurt: 1\nseed: 1\n{head}records:\n  row:\n    count: {ROWS}\n    fields:\n{lines}", "utf-8")
    best = float("inf")
    for _ in range(ROUNDS):
        started = time.perf_counter()
        subprocess.run(
            [PROGRAM, "generate", path, "--out", folder / "x.csv", "--force"], check=True, capture_output=True
        )
        best = min(best, time.perf_counter() - started)
    return best


def main() -> None:
    """Measure and print."""
    limit = float(sys.argv[sys.argv.index("--limit") + 1]) if "--limit" in sys.argv else None
    with tempfile.TemporaryDirectory() as folder:
        plain = seconds("", (WORDS,) * len(PERSON), Path(folder))
        print(f"{ROWS:,} records of {len(PERSON)} fields\n  one of eight words    {plain:5.2f} s")
        worst = 0.0
        for locale in LOCALES:
            found = seconds(f"locale: {locale}\n", PERSON, Path(folder))
            worst = max(worst, found / plain)
            print(f"  person and address    {found:5.2f} s   {found / plain:4.2f} times   {locale}")
    if limit is not None and worst > limit:
        sys.exit(f"more than {limit:g} times")


if __name__ == "__main__":
    main()
