"""The simple types of XML Schema (https://www.w3.org/TR/xmlschema-2/): built-in ones and their facets, as lines."""

from __future__ import annotations

import re
from decimal import Decimal

from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.types import MAX_PLACES
from yurt.core.drafting.sources import lines
from yurt.core.drafting.sources.json_values_of import kind_by_name, plain_kind
from yurt.core.drafting.sources.lines import Unwritable

# Whole numbers by their ranges.
INTEGERS: dict[str, tuple[int | None, int | None]] = {
    "integer": (None, None), "nonNegativeInteger": (0, None), "positiveInteger": (1, None),
    "nonPositiveInteger": (None, 0), "negativeInteger": (None, -1), "long": (None, None), "unsignedLong": (0, None),
    "int": (-(2**31), 2**31 - 1), "unsignedInt": (0, 2**32 - 1), "short": (-(2**15), 2**15 - 1),
    "unsignedShort": (0, 2**16 - 1), "byte": (-128, 127), "unsignedByte": (0, 255),
}  # fmt: skip
TEXTS = ("string", "normalizedString", "token", "anyURI")
# Types of texts with a form.
FORMS = {
    "gYear": r"[1-9]\d{3}", "gYearMonth": r"[1-9]\d{3}-(0[1-9]|1[0-2])",
    "gMonthDay": r"--(0[1-9]|1[0-2])-(0[1-9]|1\d|2[0-8])",
    "gDay": r"---(0[1-9]|[12]\d|3[01])", "gMonth": r"--(0[1-9]|1[0-2])",
    "language": r"[a-zA-Z]{1,8}(-[a-zA-Z0-9]{1,8})*", "NMTOKEN": r"[A-Za-z0-9._:-]+",
    "Name": r"[A-Za-z_:][A-Za-z0-9._:-]*", "NCName": r"[A-Za-z_][A-Za-z0-9._-]*", "ID": r"[A-Za-z_][A-Za-z0-9._-]*",
    "IDREF": r"[A-Za-z_][A-Za-z0-9._-]*",
}  # fmt: skip
WHOLE = {
    "date": "date ..",
    "dateTime": "datetime .. step 0.001ms",
    "time": "time .. step 0.001ms",
    "duration": "duration .. step 1s",
}


@dataclass
class Simple:
    """A simple type: the built-in one that it rests on, and its facets."""

    base: str
    values: list[str] | None = None
    patterns: list[list[str]] = field(default_factory=list)
    facets: dict[str, str] = field(default_factory=dict)


def line_of(simple: Simple, name: str) -> tuple[str, list[str]]:
    """Return the line of a simple type. Raises Unwritable."""
    base, facets = simple.base, simple.facets
    if simple.values is not None:
        if simple.patterns and not (base in INTEGERS or base == "decimal"):
            raise Unwritable("a list of values beside a pattern")
        numbers = base in INTEGERS or base in ("decimal", "double", "float")
        return lines.one_of([_number(each) if numbers else each for each in simple.values]), []
    if base in INTEGERS:
        return _integer(simple), []
    if base in ("decimal", "double", "float"):
        return _decimal(simple), []
    if base not in TEXTS and not all(_usual_form(base, each) for each in simple.patterns):
        raise Unwritable("a pattern of a value that is no text")
    if base == "boolean":
        return "boolean", []
    if base in WHOLE:
        return _timed(base, facets), []
    if base in FORMS:
        return f"/{FORMS[base]}/", ["unique"] if base == "ID" else []
    if base in TEXTS:
        return _text(simple, name)
    raise Unwritable("no type holds its values")


def _integer(simple: Simple) -> str:
    if simple.patterns and not all(_usual_form("integer", each) for each in simple.patterns):
        raise Unwritable("a pattern of a number")
    low, high = INTEGERS[simple.base]
    bottom, top = _ends(simple.facets, Decimal(1))
    bottom = bottom if bottom is not None else Decimal(low) if low is not None else None
    top = top if top is not None else Decimal(high) if high is not None else None
    if "totalDigits" in simple.facets:
        most = Decimal(10 ** int(simple.facets["totalDigits"]) - 1)
        bottom, top = (
            max(bottom if bottom is not None else -most, -most),
            min(top if top is not None else most, most),
        )
    return lines.integer(bottom, top)


def _decimal(simple: Simple) -> str:
    if simple.patterns and not all(_usual_form("decimal", each) for each in simple.patterns):
        raise Unwritable("a pattern of a number")
    places = int(simple.facets["fractionDigits"]) if "fractionDigits" in simple.facets else None
    if places == 0:
        return _integer(Simple("integer", None, [], simple.facets))
    bottom, top = _ends(simple.facets, Decimal(1).scaleb(-(places or 6)))
    if "totalDigits" in simple.facets:
        # A number with fewer places may have more digits before the point.
        most = (Decimal(10 ** int(simple.facets["totalDigits"])) - 1).scaleb(-(places or MAX_PLACES))
        if bottom is None or top is None or max(abs(bottom), abs(top)) > most:
            raise Unwritable("`totalDigits`, without a range that keeps to it")
    return lines.decimal(bottom, top, None, places)


def _timed(base: str, facets: dict[str, str]) -> str:
    low, high = facets.get("minInclusive", ""), facets.get("maxInclusive", "")
    if any(word in facets for word in ("minExclusive", "maxExclusive")) or (base == "duration" and (low or high)):
        raise Unwritable("an end that is not included")
    word, _, rest = WHOLE[base].partition(" .. ")
    word = word.removesuffix(" ..")
    return f"{word} {low}..{high}" + (f" {rest}" if rest else "")


def _text(simple: Simple, name: str) -> tuple[str, list[str]]:
    facets = simple.facets
    low = int(facets.get("length", facets.get("minLength", 0)))
    high = int(facets["length"]) if "length" in facets else int(facets["maxLength"]) if "maxLength" in facets else None
    sources = ["|".join(f"({one})" for one in each) if len(each) > 1 else each[0] for each in simple.patterns]
    if len(sources) > 1:
        raise Unwritable("more than one pattern")
    if sources:
        found = lines.text(low, high, sources, whole=True)
        return found.head, list(found.clauses)
    kind = kind_by_name(name) or plain_kind(low, high)
    if kind is not None and (high is None or high >= 12) and low <= 4:
        return lines.text(low, high).head, [f"usually as {kind}"]
    return lines.text(low, high).head, []


def _ends(facets: dict[str, str], least: Decimal) -> tuple[Decimal | None, Decimal | None]:
    low = Decimal(facets["minInclusive"]) if "minInclusive" in facets else None
    high = Decimal(facets["maxInclusive"]) if "maxInclusive" in facets else None
    if "minExclusive" in facets:
        low = Decimal(facets["minExclusive"]) + least
    if "maxExclusive" in facets:
        high = Decimal(facets["maxExclusive"]) - least
    return low, high


def _number(text: str) -> Decimal | int:
    found = Decimal(text)
    return int(found) if found == found.to_integral_value() else found


def _usual_form(base: str, patterns: list[str]) -> bool:
    """Return whether patterns only say how values of a type are usually written."""
    samples = {
        "integer": ("0", "7", "-12", "1000"), "decimal": ("0", "7.5", "-12.25", "1000.00"),
        "boolean": ("true", "false"), "date": ("2026-06-15", "1999-12-31"), "time": ("08:30:00", "23:59:59"),
        "dateTime": ("2026-06-15T08:30:00", "1999-12-31T23:59:59"), "duration": ("P3D", "PT2H30M"),
    }.get(base, ())  # fmt: skip
    try:
        return bool(samples) and all(any(re.fullmatch(each, text) for each in patterns) for text in samples)
    except re.error:
        return False
