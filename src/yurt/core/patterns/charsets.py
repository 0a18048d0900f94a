"""Sets of characters by name: the classes of POSIX, and the letters of every Unicode script.

`scripts.csv` has the letters (general category L) of each script in the Unicode Character Database, version 15, as
ranges of code points.
"""

from __future__ import annotations

import csv
import string
from functools import lru_cache
from pathlib import Path

PRINTABLE = "".join(map(chr, range(0x20, 0x7F)))
# The classes of IEEE Std 1003.1 (POSIX), section 9.3.5, over ASCII; `cntrl` is left out, because texts never contain
# control characters.
POSIX = {
    "alnum": string.ascii_letters + string.digits,
    "alpha": string.ascii_letters,
    "blank": " \t",
    "digit": string.digits,
    "graph": PRINTABLE[1:],
    "lower": string.ascii_lowercase,
    "print": PRINTABLE,
    "punct": string.punctuation,
    "space": " \t\n\r\f\v",
    "upper": string.ascii_uppercase,
    "xdigit": string.hexdigits,
}


@lru_cache(maxsize=1)
def scripts() -> dict[str, str]:
    """Return the ranges of letters of each script, as written in the data file."""
    lines = Path(__file__).with_name("scripts.csv").read_text("utf-8").splitlines()
    return {line["script"]: line["letters"] for line in csv.DictReader(lines)}


@lru_cache(maxsize=64)
def charset(name: str) -> str | None:
    """Return the characters of a POSIX class or a script, sorted; None for an unknown name."""
    if name in POSIX:
        return "".join(sorted(POSIX[name]))
    if name not in scripts():
        return None
    ends = [[int(end, 16) for end in part.split("-")] for part in scripts()[name].split(" ")]
    return "".join(chr(code) for each in ends for code in range(each[0], each[-1] + 1))
