"""Lines for single values: numbers, texts, dates, by their constraints and by the name of the field."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from ipaddress import IPv4Address, IPv6Address
from pathlib import Path
from typing import Any
from uuid import UUID

from yurt.core.base.python_values import Annotation, Conversion
from yurt.core.base.types import TEXT, Type
from yurt.core.classes.constraints import Constraints
from yurt.core.classes.part import Part, same
from yurt.core.kinds.catalogue import KINDS, suggested

# How far a range without a second end goes.
FAR = 1000
PLACES = 2
FORMATS = {
    "email": "email", "idn-email": "idn-email", "hostname": "hostname", "ipv4": "ipv4", "ipv6": "ipv6", "uri": "url",
    "url": "url", "uuid": "uuid", "date": "date today-1y..today+1y", "date-time": "iso-timestamp",
    "time": "time 00:00..23:59", "iri": "iri", "json-pointer": "json-pointer", "regex": "regular-expression",
}  # fmt: skip
# An anchored pattern is one of the whole text; the others are found in what they match.
ANCHORS = re.compile(r"^(?:\^|\\A)|(?:(?<!\\)\$|\\[Zz])$")


def simple(annotation: Annotation, name: str, told: Constraints) -> Part | None:
    """Return the part of a type for single values; None for another type."""
    found = MAKES.get(annotation)
    return found(name, told) if found is not None else None


def _kind(name: str, *types: str) -> str | None:
    """Return the kind that a field's name suggests, if its values are of one of these types."""
    kind = suggested(name)
    known = KINDS[kind].type if kind is not None else None
    return kind if isinstance(known, Type) and known.name in types else None


def _boolean(name: str, told: Constraints) -> Part:
    return Part("boolean", accepts=(bool,), expected="a Boolean")


def _whole(name: str, told: Constraints) -> Part:
    bounded = any(each is not None for each in (told.ge, told.gt, told.le, told.lt, told.multiple_of))
    if not bounded and name.casefold() == "id":
        return Part("sequence", accepts=(int,), expected="a whole number")
    kind = None if bounded else _kind(name, "integer")
    step = int(told.multiple_of) if told.multiple_of is not None else 1
    low, high = _ends(told, Decimal(1))
    first = math.ceil(low / step) * step
    stepped = f" step {step}" if step > 1 else ""
    return Part(kind or f"integer {first}..{math.floor(high)}{stepped}", int, accepts=(int,), expected="a whole number")


def _decimal(name: str, told: Constraints, build: Conversion = same) -> Part:
    bounds = [each for each in (told.ge, told.gt, told.le, told.lt, told.multiple_of) if each is not None]
    kind = None if bounds or told.max_digits else _kind(name, "decimal", "real")
    expected, accepts = "a number", (int, float, Decimal)
    if kind is not None:
        return Part(kind, build, accepts=accepts, expected=expected)
    finest = max((_places(each) for each in bounds), default=0)
    places = told.decimal_places if told.decimal_places is not None else max(PLACES, finest)
    low, high = _ends(told, Decimal(1).scaleb(-places))
    if told.max_digits is not None:
        most = Decimal(10) ** (told.max_digits - places) - Decimal(1).scaleb(-places)
        low, high = max(low, -most), min(high, most)
    step = Decimal(str(told.multiple_of)) if told.multiple_of is not None else None
    if step is not None:
        low = (low / step).to_integral_value("ROUND_CEILING") * step
    stepped = f" step {step:.{places}f}" if step is not None else ""
    return Part(f"decimal {low:.{places}f}..{high:.{places}f}{stepped}", build, accepts=accepts, expected=expected)


def _float(name: str, told: Constraints) -> Part:
    return _decimal(name, told, float)


def _places(number: Any) -> int:
    exponent = Decimal(str(number)).as_tuple().exponent
    return max(0, -exponent) if isinstance(exponent, int) else 0


def _ends(told: Constraints, step: Decimal) -> tuple[Decimal, Decimal]:
    """Return the ends of a range; one that is not told is FAR away from the other."""
    low = _end(told.ge, told.gt, step)
    high = _end(told.le, told.lt, -step)
    if low is None and high is None:
        return Decimal(0), Decimal(FAR)
    if low is None:
        assert high is not None
        return min(Decimal(0), high - FAR), high
    return low, high if high is not None else low + FAR


def _end(inclusive: Any, exclusive: Any, step: Decimal) -> Decimal | None:
    if inclusive is not None:
        return Decimal(str(inclusive))
    return Decimal(str(exclusive)) + step if exclusive is not None else None


def _text(name: str, told: Constraints) -> Part:
    return Part(_text_line(name, told), accepts=(str,), expected="a text")


def _text_line(name: str, told: Constraints) -> str:
    least, most = told.min_length or 0, told.max_length
    within = f"{least}..{most if most is not None else least + 20}"
    if told.pattern is not None:
        plain = ANCHORS.sub("", told.pattern).replace("/", "\\/")
        narrowed = f", matching /.{{{least},{most if most is not None else ''}}}/" if told.lengths else ""
        return f"/{plain}/{narrowed}"
    if told.format in FORMATS:
        return FORMATS[told.format]
    kind = _kind(name, "text")
    if name.casefold() in ("id", "uuid"):
        kind = "uuid"
    if kind is not None and (most is None or (kind == "uuid" and most >= 36)) and least <= 1:
        return kind
    if kind is not None and most is not None and most >= 8 and least <= 1 and kind != "uuid":
        return f"{kind}, matching /.{{{least},{most}}}/"
    if told.lengths:
        return f"text {within}"
    return "word"


def _date(name: str, told: Constraints) -> Part:
    kind = None if _bounded(told) else _kind(name, "date")
    low, high = _days(told)
    return Part(kind or f"date {low}..{high}", accepts=(date,), expected="a date")


def _date_time(name: str, told: Constraints) -> Part:
    kind = None if _bounded(told) else _kind(name, "datetime")
    low, high = _days(told)
    return Part(kind or f"datetime {low}..{high}", accepts=(datetime,), expected="a date-time")


def in_utc(part: Part) -> Part:
    """Return the part of a date-time whose offset from UTC must be known."""
    return Part(part.line, lambda value: None if value is None else value.replace(tzinfo=UTC),
                lambda value: value.astimezone(UTC).replace(tzinfo=None) if value.tzinfo else value,
                part.accepts, part.expected, part.clauses)  # fmt: skip


def _bounded(told: Constraints) -> bool:
    return any(each is not None for each in (told.ge, told.gt, told.le, told.lt))


def _days(told: Constraints) -> tuple[str, str]:
    low = told.ge if told.ge is not None else told.gt
    high = told.le if told.le is not None else told.lt
    later = "" if told.gt is None or told.ge is not None else "+1d"
    earlier = "" if told.lt is None or told.le is not None else "-1d"
    start = f"{_iso(low)}{later}" if low is not None else f"{_iso(high)}-1y" if high is not None else "today-1y"
    end = f"{_iso(high)}{earlier}" if high is not None else f"{_iso(low)}+1y" if low is not None else "today+1y"
    return start, end


def _iso(day: date) -> str:
    return day.date().isoformat() if isinstance(day, datetime) else day.isoformat()


def _time(name: str, told: Constraints) -> Part:
    return Part("time 00:00..23:59", accepts=(time,), expected="a time")


def _duration(name: str, told: Constraints) -> Part:
    return Part("duration 0min..24h step 1min", accepts=(timedelta,), expected="a timedelta")


def _uuid(name: str, told: Constraints) -> Part:
    return Part("uuid", lambda value: None if value is None else UUID(value), accepts=(UUID, str), expected="a UUID")


def _bytes(name: str, told: Constraints) -> Part:
    least, most = told.min_length or 1, told.max_length or max(16, told.min_length or 0)
    return Part(f"bytes {least}..{most}", bytes.fromhex, lambda value: value.hex(), (bytes,), "bytes")


def _converted(line: str, build: Conversion) -> Callable[[str, Constraints], Part]:
    return lambda name, told: Part(line, build, str, (object,), "")


MAKES: dict[Any, Callable[[str, Constraints], Part]] = {
    bool: _boolean, int: _whole, float: _float, Decimal: _decimal, str: _text, date: _date, datetime: _date_time,
    time: _time, timedelta: _duration, UUID: _uuid, bytes: _bytes, IPv4Address: _converted("ipv4", IPv4Address),
    IPv6Address: _converted("ipv6", IPv6Address), Path: _converted("pathname", Path),
}  # fmt: skip

__all__ = ["TEXT", "in_utc", "simple"]
