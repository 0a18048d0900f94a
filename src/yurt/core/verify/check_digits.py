"""Check digits, judged one text at a time, straight from the definitions: apart from the columns that make them.

Every rule takes the name of the kind and a text that has the kind's shape already.
"""

from __future__ import annotations

import csv
import re
from collections.abc import Callable
from functools import cache
from importlib import resources

Rule = Callable[[str, str], bool]


def _digits(text: str) -> list[int]:
    return [int(each) for each in text if each.isdigit()]


def luhn(_: str, text: str) -> bool:
    """ISO/IEC 7812-1, annex B: from the right, every second digit counts double, a double of two digits their sum."""
    total = 0
    for place, digit in enumerate(reversed(_digits(text))):
        total += digit if place % 2 == 0 else digit * 2 - 9 * (digit > 4)
    return total % 10 == 0


def gs1(_: str, text: str) -> bool:
    """GS1 General Specifications, 7.9: weights 3 and 1 from the right, the last digit weighs 1."""
    return sum(digit * (3 if place % 2 else 1) for place, digit in enumerate(reversed(_digits(text)))) % 10 == 0


def as_number(text: str) -> int:
    """Return a text with its letters as the numbers 10 to 35 (ISO 7064)."""
    return int("".join(str(int(each, 36)) for each in text if each.isalnum()))


def mod97(name: str, text: str) -> bool:
    """ISO 7064, MOD 97-10; ISO 11649 and ISO 13616 move the first four characters to the end."""
    moved = text[4:] + text[:4] if name in ("creditor-reference", "iban") or text[:2] == "RF" else text
    return as_number(moved) % 97 == 1


@cache
def iban_lengths() -> dict[str, int]:
    """Return the length of an IBAN in each country of the registry."""
    with resources.files("yurt.core.kinds").joinpath("ibans.csv").open(encoding="utf-8") as lines:
        return {row["country"]: 4 + sum(map(int, re.findall(r"\d+", row["account"]))) for row in csv.DictReader(lines)}


def iban(name: str, text: str) -> bool:
    """ISO 13616: the length of the country and MOD 97-10; the country's own digits are not judged."""
    return iban_lengths().get(text[:2], len(text)) == len(text) and mod97(name, text)


def isin(_: str, text: str) -> bool:
    """ISO 6166: letters as two digits, then as ISO/IEC 7812-1."""
    return luhn("", "".join(str(int(each, 36)) for each in text))


def isbn10(_: str, text: str) -> bool:
    """ISO 2108: weights 10 to 1, modulo 11, X for ten."""
    values = [10 if each == "X" else int(each) for each in text if each.isalnum()]
    return sum(value * (len(values) - place) for place, value in enumerate(values)) % 11 == 0


def vin(_: str, text: str) -> bool:
    """49 CFR 565.15: letters by a table, weights by place, modulo 11; the ninth character is the rest, X for ten."""
    letters = dict(zip("ABCDEFGHJKLMNPRSTUVWXYZ", "12345678123457923456789", strict=True))
    weights = (8, 7, 6, 5, 4, 3, 2, 10, 0, 9, 8, 7, 6, 5, 4, 3, 2)
    rest = sum(int(letters.get(each, each)) * weight for each, weight in zip(text, weights, strict=True)) % 11
    return text[8] == ("X" if rest == 10 else str(rest))


RULES: dict[str, Rule] = {
    "Luhn": luhn,
    "GS1 modulo 10": gs1,
    "ISO 7064, MOD 97-10": mod97,
    "ISO 7064, MOD 97-10, and that of the country": iban,
    "Luhn, letters as two digits": isin,
    "weights 10 to 2, modulo 11": isbn10,
    "weights 8 to 2, modulo 11": isbn10,
    "weights of 49 CFR 565, modulo 11": vin,
}
