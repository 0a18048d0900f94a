"""The kinds whose numbers end with check characters, and the rule of these: for numbers that change and stay right."""

from __future__ import annotations

from collections.abc import Callable

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


# The number of characters before the check characters (0 for any number), the number of these, and their rule, which
# gets the former as cells: 0 to 9 for digits, 10 to 35 for letters. The value 10 of a single character is X.
Rule = tuple[int, int, Callable[[Cells], Digits]]
CHECKED: dict[str, Rule | None] = {
    "cc-number": (0, 1, luhn), "imei": (14, 1, luhn), "iccid": (0, 1, luhn),
    "gtin-13": (12, 1, gs1), "gtin-8": (7, 1, gs1), "gtin-12": (11, 1, gs1), "gtin-14": (13, 1, gs1),
    "sscc": (17, 1, gs1), "gln": (12, 1, gs1), "isbn-13": (12, 1, gs1),
    "isbn-10": (9, 1, _isbn_10), "issn": (7, 1, _issn),
    "routing-number": (8, 1, _routing), "lei": (18, 2, _lei),
    # Its check digits are the third and the fourth character, and the country in front of them stays.
    "iban": None,
}  # fmt: skip
