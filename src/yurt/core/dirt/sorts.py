"""The kinds of errors that people and programs make, one function each.

Each takes a value as text, random numbers, and the type of the value, and returns the value with the error, or None if
the error cannot occur in it.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date
from decimal import Decimal
from random import Random

from yurt.core.base.types import Type

Sort = Callable[[str, Random, Type], str | None]
# Neighbouring keys on the common keyboards of the Latin script.
ROWS = ("1234567890", "qwertzuiop", "asdfghjkl", "yxcvbnm")
NEIGHBOURS = {
    row[at]: "".join(row[other] for other in (at - 1, at + 1) if 0 <= other < len(row))
    for row in ROWS
    for at in range(len(row))
}
DATE = re.compile(r"(\d{4})-(\d\d)-(\d\d)(.*)", re.DOTALL)
NUMBER = re.compile(r"-?\d+(\.\d+)?")


def slip(text: str, dice: Random, kind: Type) -> str | None:
    """A neighbouring key, or a letter that is repeated, left out, or swapped with the next."""
    if not text:
        return None
    at = dice.randrange(len(text))
    match dice.randrange(4):
        case 0:
            near = NEIGHBOURS.get(text[at].lower(), "")
            if not near:
                return None
            found = dice.choice(near)
            return text[:at] + (found.upper() if text[at].isupper() else found) + text[at + 1 :]
        case 1:
            return text[: at + 1] + text[at:]
        case 2:
            return text[:at] + text[at + 1 :] if len(text) > 2 else None
        case _:
            return text[:at] + text[at + 1 : at + 2] + text[at] + text[at + 2 :] if at + 1 < len(text) else None


def case(text: str, dice: Random, kind: Type) -> str | None:
    """All capitals, all small letters, or the opposite case."""
    return dice.choice((text.upper(), text.lower(), text.swapcase())) if kind.name in ("text", "boolean") else None


def spaces(text: str, dice: Random, kind: Type) -> str | None:
    """Spaces around a value, two between its words, or a no-break space."""
    inside = [text.replace(" ", "  ", 1), text.replace(" ", "\u00a0", 1)] if " " in text else []
    return dice.choice([" " + text, text + " ", text + "\t", *inside])


def truncated(text: str, dice: Random, kind: Type) -> str | None:
    """Cut off, as by a column that is too short."""
    return text[: dice.randrange(len(text) // 2, len(text))] if kind.name == "text" and len(text) >= 6 else None


def mojibake(text: str, dice: Random, kind: Type) -> str | None:
    """UTF-8 that was read as the Windows code page of Western Europe."""
    if text.isascii() or kind.name != "text":
        return None
    return text.encode().decode("cp1252", errors="replace")


def date_order(text: str, dice: Random, kind: Type) -> str | None:
    """Day and month swapped, or a date in the form of another country."""
    found = DATE.fullmatch(text)
    if found is None:
        return None
    year, month, day, rest = found.groups()
    swapped = [f"{year}-{day}-{month}{rest}"] if day != month and int(day) <= 12 else []
    return dice.choice(
        [*swapped, f"{day}.{month}.{year}{rest}", f"{month}/{day}/{year}{rest}", f"{day}/{month}/{year[2:]}{rest}"]
    )


def unit(text: str, dice: Random, kind: Type) -> str | None:
    """A number in another unit: a thousandth, a hundredth, feet for metres, pounds for kilograms."""
    if not kind.numeric or not NUMBER.fullmatch(text) or Decimal(text) == 0:
        return None
    factor = dice.choice(
        (Decimal(1000), Decimal("0.001"), Decimal(100), Decimal("0.01"), Decimal("3.28084"), Decimal("2.20462"))
    )
    return _like(Decimal(text) * factor, text)


def outlier(text: str, dice: Random, kind: Type) -> str | None:
    """Far outside the usual values: a digit too many, another sign, another century."""
    if kind.numeric and NUMBER.fullmatch(text):
        value = Decimal(text)
        return _like(dice.choice((value * 10, value * 1000, -value, Decimal(0), Decimal(9999999))), text)
    found = DATE.fullmatch(text)
    if found is None:
        return None
    year = dice.choice((1900, 1970, int(found[1]) - 100, int(found[1]) + 100, 9999))
    try:
        return date(max(year, 1), int(found[2]), int(found[3])).isoformat() + found[4]
    except ValueError:
        return None


def _like(value: Decimal, text: str) -> str:
    """Write a number with as many places as another one."""
    places = len(text.partition(".")[2])
    return f"{value:.{places}f}"


# The weight with which each kind of error is tried first.
SORTS: dict[str, tuple[Sort, int]] = {
    "typing slip": (slip, 6),
    "case": (case, 3),
    "spaces": (spaces, 3),
    "truncated": (truncated, 2),
    "mojibake": (mojibake, 4),
    "date order": (date_order, 6),
    "unit": (unit, 3),
    "outlier": (outlier, 3),
}
SWAPPED, DUPLICATE, NEAR = "swapped", "duplicate", "near-duplicate"
# The weight of swapping two fields of a record, compared with the kinds above.
SWAPS = 2


def wrong(text: str, dice: Random, kind: Type) -> tuple[str, str] | None:
    """Return a value with an error, and the kind of error; None for a value that no error fits."""
    names = list(SORTS)
    weights = [weight for _, weight in SORTS.values()]
    for _ in range(12):
        name = dice.choices(names, weights)[0]
        found = SORTS[name][0](text, dice, kind)
        if found is not None and found != text:
            return found, name
    return None
