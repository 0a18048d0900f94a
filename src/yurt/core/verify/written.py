"""Reads back the forms of `as`: dates of a pattern, numbers like an example, two words for Booleans.

What a pattern leaves out (a date without its year, a number with fewer places) cannot be read back; `form_of` tells
whether a text has the form all the same.
"""

from __future__ import annotations

import re
from collections.abc import Callable

import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, flags, joined, nothing, word
from yurt.core.base.types import Type
from yurt.core.columns.writers import MONTHS, WEEKDAYS
from yurt.core.formats.common.raw import CELL, STRING, Raw
from yurt.core.text.display import calendar_like, number_like, words_like

# The form of a conversion of strftime, and the part of a date or time it stands for.
CONVERSIONS = {
    "Y": ("year", r"\d{4}"), "m": ("month", r"\d{2}"), "d": ("day", r"\d{2}"), "H": ("hour", r"\d{2}"),
    "M": ("minute", r"\d{2}"), "S": ("second", r"\d{2}"), "f": ("micro", r"\d{6}"),
}  # fmt: skip
# The form of every conversion, also of those that cannot be read back.
FORMS = {
    "Y": r"\d{4}", "y": r"\d{2}", "m": r"(?:0[1-9]|1[0-2])", "d": r"(?:0[1-9]|[12]\d|3[01])", "j": r"[0-3]\d{2}",
    "H": r"(?:[01]\d|2[0-3])", "I": r"(?:0[1-9]|1[0-2])", "M": r"[0-5]\d", "S": r"[0-5]\d", "f": r"\d{6}",
    "p": "(?:AM|PM)", "u": "[1-7]", "V": r"[0-5]\d",
    "a": f"(?:{'|'.join(each[:3] for each in WEEKDAYS)})", "A": f"(?:{'|'.join(WEEKDAYS)})",
    "b": f"(?:{'|'.join(each[:3] for each in MONTHS)})", "B": f"(?:{'|'.join(MONTHS)})",
}  # fmt: skip
PARTS = {
    "date": ("year", "month", "day"),
    "time": ("hour", "minute"),
    "datetime": ("year", "month", "day", "hour", "minute"),
}


def reader(pattern: str, kind: Type) -> tuple[str, str] | None:
    """Return a regular expression for the written form and its replacement; None if too much is left out."""
    if kind.numeric:
        return _number(pattern, kind)
    if kind.name == "boolean":
        return "", ""
    parts = calendar_like(pattern, kind)
    letters = [each[1] for each in parts if each[0] == "%" and each[1] != "%"]
    names = [CONVERSIONS[each][0] for each in letters if each in CONVERSIONS]
    if len(names) < len(letters) or len(set(names)) < len(names) or not set(PARTS[kind.name]) <= set(names):
        return None
    return _in_parts(parts, lambda letter: "(?P<{}>{})".format(*CONVERSIONS[letter])), ",".join(names)


def _in_parts(parts: list[str], form: Callable[[str], str]) -> str:
    """Return a regular expression for a date or time of these parts, with the form of each conversion."""
    found = (
        form(each[1]) if each[0] == "%" and each[1] != "%" else re.escape(each[:1] if each[0] == "%" else each)
        for each in parts
    )
    return f"^{''.join(found)}$"


def form_of(pattern: str, kind: Type) -> str:
    """Return a regular expression for the written form of a number, date, or time, whatever the form leaves out."""
    if kind.numeric:
        return _number_form(pattern)
    return _in_parts(calendar_like(pattern, kind), lambda letter: FORMS[letter])


def number_of(texts: pa.Array, pattern: str) -> pa.Array:
    """Return what texts of the written form of a number show, as a number in the standard form; missing elsewhere."""
    like = number_like(pattern)
    parts = pc.extract_regex(texts, pattern=_number_form(pattern))
    sign, whole, rest = (pc.struct_field(parts, [at]) for at in range(3))
    if like.group:
        whole = pc.replace_substring(whole, pattern=like.group, replacement="")
    if like.percent:
        whole = pc.utf8_lpad(whole, 3, "0")
        rest = joined(pc.utf8_slice_codeunits(whole, start=-2), rest)
        whole = pc.utf8_slice_codeunits(whole, start=0, stop=-2)
    whole = pc.replace_substring_regex(whole, pattern=r"^0+(\d)", replacement=r"\1")
    return joined(sign, whole, pc.if_else(pc.equal(rest, word("")), word(""), joined(".", rest)))


def _number(pattern: str, kind: Type) -> tuple[str, str] | None:
    like = number_like(pattern)
    if like.places + (2 if like.percent else 0) < kind.places or kind.name == "real":
        return None
    return _number_form(pattern), like.group


def _number_form(pattern: str) -> str:
    """Return a regular expression for the numbers that are written like an example."""
    like = number_like(pattern)
    group = re.escape(like.group)
    whole = rf"\d{{1,3}}(?:{group}\d{{3}})*" if like.group else _digits(like.width)
    rest = re.escape(like.point) + rf"(?P<rest>\d{{{like.places}}})" if like.places else "(?P<rest>)"
    return rf"^(?P<sign>-?){re.escape(like.before)}(?P<whole>{whole}){rest}{re.escape(like.after)}$"


def _digits(width: int) -> str:
    """Return the form of a whole number: without leading zeros, except up to a number of digits."""
    return rf"\d{{{width}}}|[1-9]\d{{{width},}}" if width > 1 else r"0|[1-9]\d*"


def restored(raw: Raw, pattern: str, kind: Type) -> Raw:
    """Return values in the standard form; a text that does not match the pattern stays as it is and is not a value."""
    texts = pc.fill_null(raw.texts, word(""))
    if kind.name == "boolean":
        yes, no = words_like(pattern)
        true, false = pc.equal(texts, word(yes)), pc.equal(texts, word(no))
        found = pc.if_else(true, word("true"), pc.if_else(false, word("false"), word("?")))
        return _as_cells(raw, found)
    read = reader(pattern, kind)
    assert read is not None
    if kind.numeric:
        found = number_of(texts, pattern)
        if not kind.places:
            found = pc.replace_substring_regex(found, pattern=r"\.0*$", replacement="")
        return _as_cells(raw, found)
    parts = pc.extract_regex(texts, pattern=read[0])
    names = [each.name for each in parts.type]
    part = {name: pc.struct_field(parts, [at]) for at, name in enumerate(names)}
    day = joined(part["year"], part["month"], part["day"], between="-") if "year" in part else None
    clock = None
    if "hour" in part:
        seconds = part.get("second", word("00"))
        clock = joined(part["hour"], part["minute"], seconds, between=":")
        if "micro" in part:
            clock = pc.if_else(pc.equal(part["micro"], word("000000")), clock, joined(clock, ".", part["micro"]))
    if day is not None and clock is not None:
        return _as_cells(raw, joined(day, clock, between="T"))
    return _as_cells(raw, day if day is not None else clock)


def _as_cells(raw: Raw, texts: pa.Array) -> Raw:
    """Texts of the standard form, for values that were texts; a value that could not be read keeps its own."""
    sorts = raw.sorts.copy()
    sorts[sorts == STRING] = CELL
    unread = arrow(~flags(pc.is_valid(texts)))
    kept = pc.if_else(unread, word("?"), pc.fill_null(texts, word("?")))
    return Raw(pc.if_else(arrow(raw.missing), nothing(pa.string()), kept), sorts)
