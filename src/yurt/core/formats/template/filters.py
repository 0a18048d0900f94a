"""The filters of a template: those that no text or list can grow beyond bounds with, and two of our own."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable
from datetime import date, datetime, time

from jinja2.exceptions import TemplateRuntimeError

from yurt.core.formats.template.limits import LONGEST, too_long

# Filters of Jinja whose results are no larger than what they get.
KEPT = (
    "abs", "capitalize", "count", "d", "default", "e", "escape", "first", "float", "int", "last", "length", "list",
    "lower", "max", "min", "reverse", "round", "sort", "string", "sum", "title", "trim", "unique", "upper",
    "urlencode", "wordcount",
)  # fmt: skip
WIDEST = 1000
SIDES: dict[str, Callable[[str, int, str], str]] = {"left": str.ljust, "right": str.rjust, "center": str.center}


def fixed(value: object, width: int, align: str = "left", filler: str = " ") -> str:
    """Return a value as a text of exactly this width. A value that is too wide is an error."""
    text = "" if value is None else str(value)
    if not 0 < width <= WIDEST or len(filler) != 1 or align not in SIDES:
        raise TemplateRuntimeError(f"fixed(width 1 to {WIDEST}, left | right | center, one character)")
    if len(text) > width:
        raise TemplateRuntimeError(f"`{text}` is wider than {width}")
    return SIDES[align](text, width, filler)


def shown(value: object, pattern: str) -> str:
    """Return a date or time in a pattern of strftime, or a number with as many places as an example: 0.00."""
    if value is None:
        return ""
    if isinstance(value, date | datetime | time):
        if len(pattern) > WIDEST:
            raise too_long()
        return value.strftime(pattern)
    places = len(pattern.partition(".")[2])
    if places > 12 or (not isinstance(value, int | float) and not hasattr(value, "quantize")):
        raise TemplateRuntimeError(f"`{value}` has no form `{pattern}`")
    return f"{value:.{places}f}"


def replace(value: object, old: str, new: str) -> str:
    """Return a text with one part in place of another."""
    text = str(value)
    if len(text) + text.count(old) * len(new) > LONGEST:
        raise too_long()
    return text.replace(old, new)


def join(values: Iterable[object], between: str = "") -> str:
    """Return values as one text."""
    texts = [str(each) for each in values]
    if sum(map(len, texts)) + len(texts) * len(between) > LONGEST:
        raise too_long()
    return between.join(texts)


def tojson(value: object) -> str:
    """Return a value as JSON on one line; dates, times, and decimals as texts."""
    return json.dumps(value, ensure_ascii=False, default=str)


OWN: dict[str, Callable[..., object]] = {
    "fixed": fixed, "shown": shown, "replace": replace, "join": join, "tojson": tojson,
}  # fmt: skip
