"""The lists behind the kinds: CSV files in `locales/LOCALE/`, read when first needed.

A line further up is more common, unless the list has a `weight` column; where there is a `sex` column, among the lines
of the same sex. A postal code cell may hold several codes
separated by `|`, which share the weight of the line.
"""

from __future__ import annotations

import csv
import json
import unicodedata
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any

FIRST_RANK = 8
SEVERAL = "postal-code"
UMLAUTS = str.maketrans({"ä": "ae", "ö": "oe", "ü": "ue", "Ä": "Ae", "Ö": "Oe", "Ü": "Ue"})
LETTERS = str.maketrans({"ß": "ss", "đ": "d", "Đ": "D", "ø": "o", "Ø": "O", "ł": "l", "Ł": "L", "æ": "ae", "œ": "oe"})


@dataclass(frozen=True)
class Entries:
    """The lines of one list in several locales: cells by column, weights, and the number of each line's locale."""

    cells: dict[str, list[str]]
    weights: list[float]
    locale: list[int]


@lru_cache(maxsize=256)
def entries(name: str, locales: tuple[str, ...]) -> Entries:
    """Return a list in these locales, one after the other."""
    cells: dict[str, list[str]] = {}
    weights: list[float] = []
    numbers: list[int] = []
    for number, locale in enumerate(locales):
        path = resources.files(__package__).joinpath("locales", locale, f"{name}.csv")
        ranks = dict.fromkeys(("", "female", "male"), FIRST_RANK)
        for line in csv.DictReader(path.read_text("utf-8").splitlines()):
            rank = ranks[line.get("sex", "")]
            ranks[line.get("sex", "")] += 1
            weight = float(line["weight"]) if "weight" in line else 1 / rank
            variants = line.get(SEVERAL, "").split("|")
            for variant in variants:
                for column, cell in line.items():
                    cells.setdefault(column, []).append(variant if column == SEVERAL else cell)
                weights.append(weight / len(variants))
                numbers.append(number)
    return Entries(cells, weights, numbers)


@lru_cache(maxsize=64)
def facts(locale: str) -> dict[str, Any]:
    """Return the facts of a locale: its country, its forms, its telephone numbers."""
    found: dict[str, Any] = json.loads(
        resources.files(__package__).joinpath("locales", locale, "facts.json").read_text("utf-8")
    )
    return found


def ascii_of(name: str, locale: str) -> str:
    """Return a name as it is written in addresses of the net: small Latin letters, hyphens for blanks."""
    if facts(locale).get("umlauts"):
        name = name.translate(UMLAUTS)
    plain = unicodedata.normalize("NFKD", name.translate(LETTERS)).encode("ascii", "ignore").decode().lower()
    return "-".join("".join(char if char.isalnum() else " " for char in plain.replace("'", "")).split())
