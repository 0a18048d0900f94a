"""The structure of the account numbers of every country in the registry of IBANs (ISO 13616)."""

from __future__ import annotations

import csv
import re
from functools import cache
from importlib import resources

HERE = resources.files(__package__)
SORTS = {"n": "[0-9]", "a": "[A-Z]", "c": "[A-Z0-9]"}


@cache
def structures() -> dict[str, tuple[tuple[tuple[int, str], ...], str]]:
    """Return, for each country, the parts of its account number and the rule of its own check digits.

    A part is a number of characters and their sort: `n` digits, `a` capital letters, `c` both.
    """
    lines = csv.DictReader(HERE.joinpath("ibans.csv").read_text("utf-8").splitlines())
    return {
        line["country"]: (
            tuple((int(size), sort) for size, sort in re.findall(r"(\d+)([nac])", line["account"])),
            line["check"],
        )
        for line in lines
    }


def pattern_of(country: str, groups: bool = False) -> str:
    """Return the pattern of the IBANs of a country; in `groups`, a space stands behind every four characters."""
    parts, _ = structures()[country]
    cells = [*country, *["[0-9]"] * 2, *(SORTS[sort] for size, sort in parts for _ in range(size))]
    if not groups:
        return country + "[0-9]{2}" + "".join(f"{SORTS[sort]}{{{size}}}" for size, sort in parts)
    return "".join(f" {each}" if at and at % 4 == 0 else each for at, each in enumerate(cells))
