"""Differences between countries besides language and people: rates of value added tax, number plates.

Rates are those of 2026 in percent, the standard one first; for the United States, sales taxes of some places.
"""

from __future__ import annotations

import csv
from decimal import Decimal
from functools import cache
from pathlib import Path

from yurt.core.base.data_classes import dataclass


@dataclass(frozen=True)
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
    """Return the facts of a country; those of Germany for an unknown one."""
    return _countries().get(code) or _countries()["DE"]
