"""Values and names as a schema writes them."""

from __future__ import annotations

import re
from datetime import date, datetime, timedelta

from yurt.core.base.types import DATE, DATETIME, TIME, Type

PLAIN_ITEM = re.compile(r"[^\s|,%*\"'()#:{}\[\]&!>@`][^|,%*\"'()\n]*")
TYPED = re.compile(r"-?\d+(\.\d+)?|true|false|\d{4}-\d\d-\d\d")
EPOCH, DAY, MINUTE = date(1970, 1, 1), 86_400_000_000, 60_000_000
UNITS = ((DAY, "d"), (3_600_000_000, "h"), (MINUTE, "min"), (1_000_000, "s"), (1000, "ms"))


def quoted(text: str) -> str:
    """Return a text in double quotes, with escapes."""
    found = (
        text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n").replace("\t", "\\t").replace("\r", "\\r")
    )
    return '"' + "".join(each if each.isprintable() else f"\\u{{{ord(each):X}}}" for each in found) + '"'


def item(text: str, typed: bool = False) -> str:
    """Return a value as an item of `one of`; a text that looks like a number is quoted, unless it is `typed`."""
    plain = PLAIN_ITEM.fullmatch(text) and text == text.strip() and text.isprintable()
    plain = plain and "  " not in text and ": " not in text and " #" not in text and not text.endswith(":")
    return text if plain and (typed or not TYPED.fullmatch(text)) else quoted(text)


def escaped(char: str) -> str:
    """Return a character as a pattern has it outside of classes."""
    return "\\" + char if char in r"\/.^$*+?()[]{}|" else char


def cell(text: str, typed: bool) -> str:
    """Return a value as a cell of a value list in YAML."""
    plain = re.fullmatch(r"[^\W_][\w .+-]*", text) and text == text.strip() and text.isprintable()
    if typed or (plain and not re.fullmatch(r"[-+.\d]+|(?i:true|false|yes|no|null|on|off|~)", text)):
        return text
    return "'" + text.replace("'", "''") + "'"


def line_value(text: str) -> str:
    """Return the value of a line as YAML has it: in single quotes where it would be cut or misread."""
    if re.search(r": | #|:$|^[-?:,\[\]{}#&*!|>'\"%@`]", text):
        return "'" + text.replace("'", "''") + "'"
    return text


def literal(number: int, kind: Type) -> str:
    """Return a whole number in units of a type as the language writes its value."""
    if kind == DATE:
        return (EPOCH + timedelta(number)).isoformat()
    if kind == DATETIME:
        moment = datetime(1970, 1, 1) + timedelta(microseconds=number)
        return moment.isoformat(timespec="seconds" if moment.second or moment.microsecond else "minutes")
    if kind == TIME:
        seconds = number // 1_000_000
        clock = f"{seconds // 3600:02}:{seconds // 60 % 60:02}"
        return clock + (f":{seconds % 60:02}" if seconds % 60 else "")
    if kind.places:
        sign, digits = "-" * (number < 0), f"{abs(number):0{kind.places + 1}}"
        return f"{sign}{digits[: -kind.places]}.{digits[-kind.places :]}"
    return str(number)


def duration(microseconds: float) -> str:
    """Return a length of time in the unit that needs few digits."""
    for size, unit in UNITS:
        if abs(microseconds) >= 2 * size or (abs(microseconds) >= size and microseconds % size == 0):
            return f"{round(microseconds / size)}{unit}"
    return "1ms" if microseconds else "0d"


def few_digits(number: float, digits: int = 2) -> str:
    """Return a number rounded to some significant digits, without an exponent."""
    if not number:
        return "0"
    rounded = float(f"{number:.{digits}g}")
    return f"{rounded:.12f}".rstrip("0").rstrip(".")
