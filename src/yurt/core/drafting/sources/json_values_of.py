"""The values that a JSON Schema allows, as lines: numbers, texts with their formats, lists of values."""

from __future__ import annotations

import re
from decimal import Decimal

from yurt.core.base.types import TEXT
from yurt.core.drafting.sources import lines
from yurt.core.drafting.sources.json_schema_merge import Rules
from yurt.core.drafting.sources.json_values import Json
from yurt.core.drafting.sources.lines import Unwritable, ValueLine
from yurt.core.kinds.catalogue import KINDS, suggested

# The kind that is usual for texts of a format; a validator may check formats, but need not.
FORMATS = {
    "email": "email", "idn-email": "email", "hostname": "hostname", "uri": "url", "url": "url", "iri": "url",
    "uri-reference": "url", "iri-reference": "url", "ipv4": "ipv4", "ipv6": "ipv6", "phone": "tel",
    "password": "password",
}  # fmt: skip
OFFSET = r"([Zz]|[+-]([01]\d|2[0-3]):[0-5]\d)"
HEX = "[0-9a-fA-F]"
# The lines of formats that say all there is.
EXACT = {
    "date": "date ..",
    "date-time": "datetime .. step 0.001ms zone utc",
    "time": rf"/([01]\d|2[0-3]):[0-5]\d:[0-5]\d{OFFSET}/",
    "duration": "duration .. step 0.001ms",
    "uuid": f"/{HEX}{{8}}-{HEX}{{4}}-{HEX}{{4}}-{HEX}{{4}}-{HEX}{{12}}/",
}
# Formats that any text has, in effect.
FREE = ("binary", "byte", "int32", "int64", "float", "double", "decimal")
# Days that a pattern takes if it only repeats what the format says.
SOME_DAYS = ("0001-01-01", "1899-12-31", "1999-10-20", "2024-02-29", "2038-01-19", "9999-12-31")
PLAIN_GROUPS = ("records", "dates", "technical")


def number_line(rules: Rules, whole: bool) -> ValueLine:
    """Return the line of a number. Raises Unwritable."""
    low, high = _number(rules.get("minimum")), _number(rules.get("maximum"))
    above, below = rules.get("exclusiveMinimum"), rules.get("exclusiveMaximum")
    step = _number(rules.get("multipleOf"))
    # Before draft 6, `exclusiveMinimum` was a Boolean beside `minimum`.
    above = low if above is True else None if above is False else _number(above)
    below = high if below is True else None if below is False else _number(below)
    if whole:
        if above is not None:
            low = max(low if low is not None else above.to_integral_value(), _next(above, 1))
        if below is not None:
            high = min(high if high is not None else below.to_integral_value(), _next(below, -1))
            high = min(high, _next(below, -1))
        return ValueLine(lines.integer(low, high, step))
    if step is not None and above is None and below is None:
        return ValueLine(lines.decimal(low, high, step))
    if step is not None:
        raise Unwritable("`multipleOf` beside an excluded end")
    if above is None and below is None:
        return ValueLine(lines.decimal(low, high))
    return ValueLine(_between(low, high, above, below))


def _between(low: Decimal | None, high: Decimal | None, above: Decimal | None, below: Decimal | None) -> str:
    """Return numbers without an end: the nearest one with as many places as possible takes its place."""
    ends = [each for each in (low, high, above, below) if each is not None]
    digits = max(len(str(int(abs(each)))) for each in ends)
    places = min(12, 18 - digits)
    least = Decimal(1).scaleb(-places)
    if above is not None and (low is None or above >= low):
        low = above + least
    if below is not None and (high is None or below <= high):
        high = below - least
    return lines.decimal(low, high, None, places)


def _next(end: Decimal, way: int) -> Decimal:
    """Return the nearest whole number beyond an excluded end."""
    whole = end.to_integral_value(rounding="ROUND_FLOOR" if way > 0 else "ROUND_CEILING")
    return whole + way


def _number(value: Json) -> Decimal | None:
    if value is None or isinstance(value, bool):
        return None
    if not isinstance(value, int | Decimal):
        raise Unwritable("it is no number")
    return Decimal(value)


def text_line(rules: Rules, name: str) -> ValueLine:
    """Return the line of a text; its name, or its format, tells the kind that is usual. Raises Unwritable."""
    low, high = int(rules.get("minLength", 0)), rules.get("maxLength")
    high = int(high) if high is not None else None
    form, pattern = rules.get("format"), rules.get("pattern")
    limited = low > 0 or high is not None
    if form == "date" and pattern is not None and all(re.search(pattern, each) for each in SOME_DAYS):
        pattern = None
    if form in EXACT and pattern is None:
        head = EXACT[form]
        if limited and head.startswith("/"):
            return ValueLine(head, (rf"matching /[^\uffff]{{{low},{'' if high is None else high}}}/",))
        if limited and not _fits(form, low, high):
            raise Unwritable("a length that is not that of its format")
        return ValueLine(head)
    if form is not None and form not in FORMATS and form not in EXACT and form not in FREE and form in UNKNOWN:
        raise Unwritable("no kind draws texts of this format")
    if form is not None and pattern is not None and form not in FREE:
        raise Unwritable("a format beside a pattern")
    found = lines.text(low, high, [pattern] if pattern is not None else [])
    kind = FORMATS.get(form or "") or kind_by_name(name) or plain_kind(low, high)
    if kind is not None and KINDS[kind].phrase and pattern is None and form is not None and not limited:
        # A kind that is a pattern says what the format does.
        return ValueLine(kind)
    if kind is not None and not KINDS[kind].phrase and pattern is None and _long_enough(kind, low, high):
        return ValueLine(found.head, (f"usually as {kind}",))
    return found


# Formats of the standard whose texts would have to be drawn by a kind that there is none of.
UNKNOWN = ("regex", "json-pointer", "relative-json-pointer", "uri-template", "idn-hostname")
SIZES = {"date": (10, 10), "date-time": (20, 25), "duration": (2, 30)}


def _fits(form: str, low: int, high: int | None) -> bool:
    first, last = SIZES[form]
    return low <= first and (high is None or high >= last)


def _long_enough(kind: str, low: int, high: int | None) -> bool:
    """Return whether a kind has values of a length, as far as is easily seen."""
    needed = {"email": 24, "url": 30, "full-name": 14, "hostname": 16, "ipv6": 39, "street-address": 20}.get(kind, 10)
    return low <= 4 and (high is None or high >= needed)


def plain_kind(low: int, high: int | None) -> str | None:
    """Return the kind of texts of which only the length is known; None where they are codes rather than words."""
    if low > 2 or (high is not None and high < 12):
        return None
    return "sentence" if high is None or high >= 200 else "word"


def kind_by_name(name: str) -> str | None:
    """Return the kind of texts that the name of a field suggests; None for none."""
    found = suggested(name.rpartition(".")[2])
    if found is None or found not in KINDS or KINDS[found].phrase or KINDS[found].type != TEXT:
        return None
    return found if KINDS[found].group not in PLAIN_GROUPS else None
