"""The written form of a value in a schema: `as "%d.%m.%Y"`, `as "1.234,50 €"`, `as "yes | no"`.

Dates, date-times, and times take a pattern with the conversions of strftime (POSIX). Numbers take an example, which
shows the number of places, the mark between thousands, leading zeros, and the signs around it. Booleans take two words.
All work on whole Arrow arrays.
"""

from __future__ import annotations

import re

from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import Type

CONVERSIONS = "YymdHMSfjpIaAbBuV%"
GROUPING = " '.,\u00a0\u202f_"
NUMBER = re.compile(rf"\d[\d{re.escape(GROUPING)}]*\d|\d")


class NotShown(ValueError):
    """A pattern that does not fit the values, with one that would."""


@dataclass(frozen=True)
class Example:
    """The written form of a number."""

    before: str
    after: str
    width: int
    group: str
    point: str
    places: int
    percent: bool


def number_like(example: str) -> Example:
    """Read the example of a number.

    The last mark that occurs once and has digits after it is the decimal mark; marks before it, one that occurs several
    times, and the one in `1,234` separate thousands (`0.000` requests three places). Raises NotShown.
    """
    found = NUMBER.findall(example)
    if len(found) != 1:
        raise NotShown('an example has one number in it: "1,234.50", "0001", "12.5 %", "€ 0.00"')
    core = found[0]
    before, _, after = example.partition(core)
    marks = re.findall(r"\D", core)
    point, group = "", ""
    if marks and marks.count(marks[-1]) == 1 and not marks[-1].isspace() and marks[-1] not in "'_":
        thousands = len(marks) == 1 and core[0] != "0" and re.fullmatch(r"\d{1,3}\D\d{3}", core)
        point = "" if thousands else marks.pop()
    if marks:
        group = marks[0]
        whole = core.split(point)[0] if point else core
        if (
            set(marks) != {group}
            or group == point
            or [len(each) for each in whole.split(group)[1:]] != [3] * len(marks)
        ):
            raise NotShown("thousands have one mark, every three digits: 1,234,567.00 or 1 234 567,00")
    digits = core.split(point)[0] if point else core
    width = len(digits.replace(group, "")) if group else len(digits)
    # Leading zeros request that many digits; any other example has no minimum.
    width = width if digits.startswith("0") else 1
    places = len(core.split(point)[1]) if point else 0
    if places > 12 or width > 30:
        raise NotShown("at most 12 places and 30 digits")
    return Example(before, after, width, group, point, places, "%" in after or "%" in before)


def words_like(pattern: str) -> tuple[str, str]:
    """Read the two words of a Boolean; raise NotShown."""
    words = tuple(each.strip() for each in pattern.split("|"))
    if len(words) != 2 or not all(words) or words[0] == words[1]:
        raise NotShown('two words, that for true first: "yes | no"')
    return words[0], words[1]


def calendar_like(pattern: str, kind: Type) -> list[str]:
    """Return the parts of a strftime pattern: conversions, and the text between them; raise NotShown."""
    parts = [each for each in re.split(r"(%.)", pattern) if each]
    allowed = {"date": "YymdjaAbBuV%", "time": "HMSfIp%"}.get(kind.name, CONVERSIONS)
    for part in parts:
        if part[0] == "%" and (len(part) < 2 or part[1] not in allowed):
            raise NotShown(
                f"`{part}` is not known for {kind.name}; there are " + " ".join(f"%{each}" for each in allowed)
            )
    if not any(part[0] == "%" for part in parts):
        raise NotShown('a pattern such as "%d.%m.%Y"')
    return parts


def check(pattern: str, kind: Type) -> None:
    """Raise NotShown if a pattern does not fit the values of a type."""
    if kind.numeric:
        number_like(pattern)
    elif kind.name == "boolean":
        words_like(pattern)
    elif kind.name in ("date", "datetime", "time"):
        calendar_like(pattern, kind)
    else:
        raise NotShown(f"`as` shows numbers, dates, times and Booleans, not {kind}")
