"""Lists from the Unicode CLDR, by the Babel package: months, weekdays, countries, currencies."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

# Codes of territories that are not countries: regions of the world, and codes for private use.
NO_COUNTRY = ("EU", "EZ", "UN", "QO", "XA", "XB", "ZZ", "AC", "CP", "CQ", "DG", "EA", "IC", "TA", "XK", "HM", "BV")


@lru_cache(maxsize=64)
def _locale(name: str) -> Any:
    from babel import Locale, UnknownLocaleError

    try:
        return Locale.parse(name, sep="-")
    except (UnknownLocaleError, ValueError):
        return Locale.parse("en-GB", sep="-")


def lines(name: str, locale: str) -> list[dict[str, str]]:
    """Return the rows of a list; none if it does not come from the CLDR."""
    if name == "months":
        return [{"text": each} for each in months(locale, "stand-alone")]
    if name == "weekdays":
        days = _locale(locale).days["stand-alone"]["wide"]
        return [{"text": str(days[each])} for each in range(7)]
    if name == "territories":
        known = _locale(locale).territories
        codes = sorted(each for each in known if len(each) == 2 and each.isalpha() and each not in NO_COUNTRY)
        return [{"code": each, "text": str(known[each]), "weight": "1"} for each in codes]
    if name == "currencies":
        from babel.core import get_global

        inuse = {
            code for entries in get_global("territory_currencies").values()
            for code, start, end, tender in entries if end is None and tender and start is not None
        }  # fmt: skip
        known = _locale(locale).currencies
        return [{"code": each, "text": str(known.get(each, each)), "weight": "1"} for each in sorted(inuse)]
    return []


def months(locale: str, context: str) -> list[str]:
    """Return the names of the months; `context` is `format` inside a date, or `stand-alone`."""
    names = _locale(locale).months[context]["wide"]
    return [str(names[each]) for each in range(1, 13)]
