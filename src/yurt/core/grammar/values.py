"""Listed values as written: numbers, Booleans, or dates if all of them are, else texts."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from decimal import Decimal

from yurt.core.model import ItemValue


def _canonical_integer(written: str) -> int | None:
    digits = written.removeprefix("-")
    canonical = digits.isascii() and digits.isdecimal() and str(int(digits)) == digits and len(digits) <= 18
    return int(written) if canonical else None


def _canonical_decimal(written: str) -> Decimal | None:
    whole, point, places = written.removeprefix("-").partition(".")
    canonical = _canonical_integer(whole) is not None and (not point or (places.isascii() and places.isdecimal()))
    return Decimal(written) if canonical and len(whole + places) <= 18 else None


def _canonical_truth(written: str) -> bool | None:
    return {"true": True, "false": False}.get(written)


def _canonical_date(written: str) -> date | None:
    try:
        return date.fromisoformat(written) if len(written) == 10 else None
    except ValueError:
        return None


CANONICAL: tuple[Callable[[str], ItemValue | None], ...] = (
    _canonical_integer, _canonical_decimal, _canonical_truth, _canonical_date,
)  # fmt: skip


def canonical(written: list[str]) -> list[ItemValue]:
    """Return numbers, Booleans, or dates if all are in their canonical form, else the texts."""
    for read in CANONICAL:
        values = [read(each) for each in written]
        if all(value is not None for value in values):
            return [value for value in values if value is not None]
    return list(written)


def table_values(keys: list[str]) -> list[tuple[ItemValue, ...]]:
    """Return the values that the rows of a `by` table name, separated by `|`, by the rules of `one of`."""
    parts = [[each.strip() for each in key.split("|")] for key in keys]
    flat = iter(canonical([each for row in parts for each in row]))
    values = [tuple(next(flat) for _ in row) for row in parts]
    return [
        tuple(
            each[1:-1] if isinstance(each, str) and each[:1] == each[-1:] and each[:1] in "\"'" else each
            for each in row
        )
        for row in values
    ]
