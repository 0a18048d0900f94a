"""Lines for what a structure allows: numbers, texts, and lists of values, with open ends where it has no limit."""

from __future__ import annotations

import math
from collections.abc import Sequence
from decimal import Decimal

from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.types import MAX_PLACES
from yurt.core.drafting.quoting import item, quoted
from yurt.core.patterns.parse import MAX_LENGTH, PatternFault, parse

MOST_DIGITS = 18
# Every character, as a pattern.
ANYTHING = r"[^\uffff]*"


@dataclass(frozen=True)
class ValueLine:
    """A type with its clauses."""

    head: str
    clauses: tuple[str, ...] = field(default_factory=tuple)


class Unwritable(ValueError):
    """What a line cannot say: the reason."""


def integer(low: Decimal | None, high: Decimal | None, step: Decimal | None = None) -> str:
    """Return the line for whole numbers between two ends, each of which may be open."""
    first = None if low is None else math.ceil(low)
    last = None if high is None else math.floor(high)
    if first is not None and last is not None and first > last:
        raise Unwritable("no whole number is between its ends")
    if max(abs(each or 0) for each in (first, last)) >= 10**MOST_DIGITS:
        raise Unwritable("a number of more than 18 digits")
    size = 1
    if step is not None and step != 1:
        if step != step.to_integral_value() or step < 1:
            # A multiple of 0.5 that is whole is any whole number; one of 1.5 is a multiple of 3.
            size = int(step * (10 ** -min(int(step.as_tuple().exponent), 0)))
            size //= math.gcd(size, 10 ** -min(int(step.as_tuple().exponent), 0))
        else:
            size = int(step)
        first = _aligned(first, size)
    step_text = f" step {size}" if size > 1 else ""
    return f"integer {_end(first)}..{_end(last)}{step_text}"


def _aligned(first: int | None, size: int) -> int | None:
    return None if first is None else -(-first // size) * size


def _end(value: int | Decimal | None) -> str:
    return "" if value is None else str(value)


def decimal(
    low: Decimal | None, high: Decimal | None, step: Decimal | None = None, places: int | None = None
) -> str:  # fmt: skip
    """Return the line for numbers between two ends; without `places` or a `step`, of as many places as possible."""
    ends = [each for each in (low, high, step) if each is not None]
    needed = max((max(-int(each.normalize().as_tuple().exponent), 0) for each in ends), default=0)
    if step is not None:
        places = max(needed, 1)
        if low is not None and low % step:
            # Steps are counted from the minimum.
            low = (low / step).to_integral_value(rounding="ROUND_CEILING") * step
    most = places if places is not None else MAX_PLACES
    if needed > MAX_PLACES:
        raise Unwritable(f"more than {MAX_PLACES} places")
    if low is not None and high is not None and low > high:
        raise Unwritable("no number is between its ends")
    digits = max((len(str(int(abs(each)))) for each in (low, high) if each is not None), default=1)
    if digits + max(most, needed) > MOST_DIGITS:
        if places is not None:
            raise Unwritable("a number of more than 18 digits")
        most = max(MOST_DIGITS - digits, needed)
    most = max(most, needed, 1)
    step_text = f" step {step:f}" if step is not None else ""
    written = "" if needed == most else f" places {most}"
    return f"decimal {_plain(low)}..{_plain(high)}{step_text}{written}"


def _plain(value: Decimal | None) -> str:
    return "" if value is None else f"{value:f}"


def text(low: int, high: int | None, patterns: Sequence[str] = (), *, whole: bool = False) -> ValueLine:
    """Return the line for texts of a length that contain a pattern, or are a `whole` one. Raises Unwritable."""
    if low > MAX_LENGTH:
        raise Unwritable(f"texts of more than {MAX_LENGTH:,} characters")
    high = None if high is not None and high > MAX_LENGTH else high
    if high is not None and low > high:
        raise Unwritable("no text has such a length")
    if not patterns:
        return ValueLine(f"text {low}..{_end(high)} of any")
    if len(patterns) > 1:
        raise Unwritable("more than one pattern")
    source = patterns[0] if whole else whole_pattern(patterns[0])
    try:
        shortest, longest = parse(source).lengths
    except PatternFault as fault:
        raise Unwritable(str(fault)) from None
    limits = []
    if low > shortest or (high is not None and (longest is None or longest > high)):
        limits.append(rf"matching /[^\uffff]{{{low},{_end(high)}}}/")
    return ValueLine(f"/{slashed(source)}/", tuple(limits))


def whole_pattern(source: str) -> str:
    """Return a pattern that stands for the whole text, for one that a text only has to contain."""
    begins, ends = source.startswith("^"), source.endswith("$") and not source.endswith("\\$")
    inner = source[begins : len(source) - ends]
    split = _has_choice(inner)
    if split and (begins or ends):
        raise Unwritable("an anchor beside a choice")
    inner = f"({inner})" if split else inner
    return ("" if begins else ANYTHING) + inner + ("" if ends else ANYTHING)


def _has_choice(source: str) -> bool:
    """Return whether there is a `|` outside of groups and classes."""
    depth, in_class, at = 0, False, 0
    while at < len(source):
        char = source[at]
        if char == "\\":
            at += 1
        elif in_class:
            in_class = char != "]"
        elif char == "[":
            in_class = True
        elif char in "()":
            depth += 1 if char == "(" else -1
        elif char == "|" and not depth:
            return True
        at += 1
    return False


def slashed(source: str) -> str:
    """Return a pattern as it stands between slashes."""
    found, in_class, at = [], False, 0
    while at < len(source):
        char = source[at]
        if char == "\\" and at + 1 < len(source):
            found.append(source[at : at + 2])
            at += 2
            continue
        in_class = (char == "[" or in_class) and char != "]"
        found.append("\\/" if char == "/" and not in_class else char)
        at += 1
    return "".join(found)


def one_of(values: Sequence[object]) -> str:
    """Return the line for listed values of one type. Raises Unwritable."""
    if not values:
        raise Unwritable("a list without values")
    if all(isinstance(each, bool) for each in values):
        return "one of " + " | ".join(str(each).lower() for each in values)
    if all(isinstance(each, int | Decimal) and not isinstance(each, bool) for each in values):
        return "one of " + " | ".join(_number(each) for each in values)
    if all(isinstance(each, str) for each in values):
        return "one of " + " | ".join(_item(str(each)) for each in values)
    raise Unwritable("values of several types")


def _number(value: object) -> str:
    assert isinstance(value, int | Decimal)
    if isinstance(value, Decimal) and value == value.to_integral_value():
        return str(int(value))
    return f"{value:f}" if isinstance(value, Decimal) else str(value)


def _item(value: str) -> str:
    return item(value) if value else quoted(value)
