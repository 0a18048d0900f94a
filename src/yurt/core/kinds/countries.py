"""What differs from country to country besides language and people: rates of value added tax, plates of vehicles.

Rates are those of 2026 in percent, the usual one first; for the United States sales taxes of some places.
"""

from __future__ import annotations

import csv
from dataclasses import dataclass
from decimal import Decimal
from functools import cache
from pathlib import Path


@dataclass(frozen=True, slots=True)
class Country:
    """Rates of tax in percent, and the pattern of the plates of cars."""

    rates: tuple[Decimal, ...]
    plate: str


@cache
def _countries() -> dict[str, Country]:
    lines = csv.DictReader(Path(__file__).with_suffix(".csv").read_text("utf-8").splitlines())
    return {
        line["country"]: Country(tuple(Decimal(each) for each in line["tax-rates"].split()), line["plate"])
        for line in lines
    }


def country(code: str) -> Country:
    """Return what is known of a country; what is known of Germany for one that is not known."""
    return _countries().get(code) or _countries()["DE"]
