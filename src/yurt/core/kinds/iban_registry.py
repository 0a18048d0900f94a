"""The structure of the account numbers of every country in the IBAN registry (ISO 13616)."""

from __future__ import annotations

import csv
import re
from functools import cache
from pathlib import Path

HERE = Path(__file__).parent
SORTS = {"n": "[0-9]", "a": "[A-Z]", "c": "[A-Z0-9]"}
# Countries without IBANs (empty for any other): the shape of a bank number and an account (see `numbered`) with a bank
# that does not exist, its written form, and the pattern of all such numbers.
DOMESTIC = {
    "US": ("39######=##########", "xxxxxxxxx xxxxxxxxxx", "[0-9]{9} [0-9]{4,17}"),
    "AU": ("99############", "xxx-xxx xxxxxxxx", "[0-9]{3}-[0-9]{3} [0-9]{5,9}"),
    "CA": ("#####999#######", "xxxxx-xxx xxxxxxx", "[0-9]{5}-[0-9]{3} [0-9]{7,12}"),
    "CN": ("99#################", "", "[0-9]{16,19}"),
    "IN": ("ZZZZ0#################", "xxxxxxxxxxx xxxxxxxxxxx", "[A-Z]{4}0[A-Z0-9]{6} [0-9]{9,18}"),
    "JP": ("9999##########", "xxxx-xxx xxxxxxx", "[0-9]{4}-[0-9]{3} [0-9]{7}"),
    "KR": ("999###########", "xxx-xxxxxx-xx-xxx", "[0-9]{3}-[0-9]{2,6}-[0-9]{2,6}(-[0-9]{1,3})?"),
    "MX": ("999##############=", "", "[0-9]{18}"),
    "": ("##########", "", "[0-9]{10}"),
}


@cache
def structures() -> dict[str, tuple[tuple[tuple[int, str], ...], str]]:
    """Return, for each country, the parts of its account number and the rule of its own check digits.

    A part is a number of characters and their class: `n` digits, `a` capital letters, `c` both.
    """
    lines = csv.DictReader(HERE.joinpath("ibans.csv").read_text("utf-8").splitlines())
    return {
        line["country"]: (
            tuple((int(size), sort) for size, sort in re.findall(r"(\d+)([nac])", line["account"])),
            line["check"],
        )
        for line in lines
    }


def account_pattern(country: str) -> str:
    """Return the pattern of the account numbers of a country, in the form of its banks."""
    if country in structures():
        return "".join(f"{SORTS[sort]}{{{size}}}" for size, sort in structures()[country][0])
    return DOMESTIC.get(country, DOMESTIC[""])[2]


def pattern_of(country: str, groups: bool = False) -> str:
    """Return the pattern of the IBANs of a country; with `groups`, a space follows every four characters."""
    parts, _ = structures()[country]
    cells = [*country, *["[0-9]"] * 2, *(SORTS[sort] for size, sort in parts for _ in range(size))]
    if not groups:
        return country + "[0-9]{2}" + "".join(f"{SORTS[sort]}{{{size}}}" for size, sort in parts)
    return "".join(f" {each}" if at and at % 4 == 0 else each for at, each in enumerate(cells))
