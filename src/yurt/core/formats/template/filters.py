"""The filters of a template: those that no text or list can grow beyond bounds with, and two of our own."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable
from datetime import date, datetime, time
from decimal import ROUND_HALF_UP, Context, Decimal

from jinja2.exceptions import TemplateRuntimeError

from yurt.core.base.types import DATE, DATETIME, TIME
from yurt.core.formats.template.limits import LONGEST, too_long
from yurt.core.text.display import Example, NotShown, calendar_like, number_like, words_like

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
    """Return a value in the form of the clause `as`: a date by a pattern, a number like an example, yes or no."""
    if value is None:
        return ""
    if len(pattern) > WIDEST:
        raise too_long()
    try:
        if isinstance(value, bool):
            return words_like(pattern)[not value]
        if isinstance(value, date | time):
            kind = DATETIME if isinstance(value, datetime) else DATE if isinstance(value, date) else TIME
            calendar_like(pattern, kind)
            return value.strftime(pattern)
        if isinstance(value, int | float | Decimal):
            return _number(Decimal(str(value)), number_like(pattern))
    except NotShown as wrong:
        raise TemplateRuntimeError(f"`{value}` has no form `{pattern}`: {wrong}") from None
    raise TemplateRuntimeError(f"`{value}` has no form `{pattern}`")


def _number(value: Decimal, like: Example) -> str:
    """Return a number like an example; halves are rounded away from zero."""
    exact = Context(prec=max(60, len(value.as_tuple().digits) + 20))
    places = Decimal(1).scaleb(-like.places)
    units = value.scaleb(2 if like.percent else 0, exact).quantize(places, ROUND_HALF_UP, exact)
    whole, _, rest = f"{abs(units):f}".partition(".")
    whole = whole.rjust(like.width, "0")
    if like.group:
        whole = f"{int(whole):,}".replace(",", like.group)
    sign = "-" if units < 0 else ""
    return f"{sign}{like.before}{whole}{like.point if like.places else ''}{rest}{like.after}"


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
