"""The kinds whose numbers end with check characters, and the rule of these: for numbers that change and stay right."""

from __future__ import annotations

from collections.abc import Callable

from yurt.core.base.data_classes import dataclass
from yurt.core.kinds.numbers.digits import Cells, Digits, gs1, luhn, mod_97, weighted_sum


def _isbn_10(cells: Cells) -> Digits:
    return -weighted_sum(cells, range(10, 1, -1)) % 11


def _issn(cells: Cells) -> Digits:
    return -weighted_sum(cells, range(8, 1, -1)) % 11


def _routing(cells: Cells) -> Digits:
    return -weighted_sum(cells, (3, 7, 1, 3, 7, 1, 3, 7)) % 10


def _lei(cells: Cells) -> Digits:
    """Return the two digits of ISO 17442 as one number."""
    return 98 - (mod_97(cells) * 100) % 97


@dataclass(frozen=True)
class Rule:
    """The number of characters before the check characters (0 for any number), the number of these, and their rule.

    The rule gets the former as cells: 0 to 9 for digits, 10 to 35 for letters. The value 10 of a single character is X.
    The first `kept` characters say what the number is.
    """

    size: int
    count: int
    check: Callable[[Cells], Digits]
    kept: int = 0


CHECKED: dict[str, Rule | None] = {
    "cc-number": Rule(0, 1, luhn), "imei": Rule(14, 1, luhn), "iccid": Rule(0, 1, luhn),
    "gtin-13": Rule(12, 1, gs1), "gtin-8": Rule(7, 1, gs1), "gtin-12": Rule(11, 1, gs1), "gtin-14": Rule(13, 1, gs1),
    "sscc": Rule(17, 1, gs1), "gln": Rule(12, 1, gs1), "isbn-13": Rule(12, 1, gs1, kept=3),
    "isbn-10": Rule(9, 1, _isbn_10), "issn": Rule(7, 1, _issn),
    "routing-number": Rule(8, 1, _routing), "lei": Rule(18, 2, _lei),
    # Its check digits are the third and the fourth character, and the country in front of them stays.
    "iban": None,
}  # fmt: skip
