"""Shares in percent, as they are written: added up as decimals, and compared with the whole."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal

# How far the sum of rounded shares may be from 100, in points.
MOST_OFF = Decimal("0.1")


def amount(text: str) -> Decimal:
    """Return the number of a share, such as 33.3 for `33.3 %`."""
    return Decimal(text.rstrip("% "))


def faulty_sum(shares: Sequence[str], *, rest: bool = False) -> str:
    """Return the sum of shares that do not add up to 100%, as a message shows it; empty if they do.

    Each share may be rounded, so the sum may be off by half a last place for each of them. With a `rest` that others
    get, it may be less than 100.
    """
    amounts = [amount(each) for each in shares]
    total = sum(amounts, Decimal(0))
    off = sum((Decimal(1).scaleb(int(each.as_tuple().exponent)) / 2 for each in amounts), Decimal(0))
    least = -Decimal("Infinity") if rest else -min(off, MOST_OFF)
    return "" if least <= total - 100 <= min(off, MOST_OFF) else f"{_plain(total)}%"


def _plain(number: Decimal) -> str:
    text = f"{number:f}"
    return text.rstrip("0").rstrip(".") if "." in text else text
