"""Telephone numbers, by the plan in the facts of a locale.

A plan has the `code` of the country, the `trunk` prefix of national calls, and patterns of national numbers, in groups
with spaces or hyphens between them: `safe` and `safe-mobile` for those that never reach real people, `landline` and
`mobile` for all. `{area}` in a pattern is the area code of the city; `landline` has a pattern for each length of it, or
for one of them only (`=3`).
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import flags, joined, numbers, word
from yurt.core.base.json_object import JsonObject
from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column, merge

if TYPE_CHECKING:
    from yurt.core.kinds.context import KindContext

# The share of mobile numbers among those that may be either.
MOBILE = 0.6


def phone(context: KindContext, form: str, mobile: bool) -> Column:
    """Return a number for each row; all forms in one record show the same number."""
    return context.by_locale(
        lambda number, places: _of_locale(context.at(places), context.facts[number]["tel"], form, mobile)
    )


def _of_locale(context: KindContext, plan: JsonObject, form: str, mobile: bool) -> Column:
    # The parts of a number have no clause `live` of their own.
    live = context.live or (form in ("area", "local") and any(each.startswith("tel") for each in context.lifted))
    number = context.once(f"tel {mobile} {live} {plan['code']}", lambda: _national(context, plan, mobile, live))
    text = number.text(context.rows)
    if form == "country":
        return context.join(context.choose(f"+{plan['code']}"))
    if form in ("area", "local"):
        if form == "area":
            return Column(TEXT, pc.replace_substring_regex(text, r"[ -].*$", ""))
        rest = pc.replace_substring_regex(text, r"^[0-9]+[ -]", "")
        return Column(TEXT, pc.replace_substring_regex(rest, "[ -]", ""))
    if form == "e164":
        plain = pc.replace_substring(pc.replace_substring(text, pattern=" ", replacement=""), "-", "")
        return Column(TEXT, joined(f"+{plan['code']}", plain))
    return Column(TEXT, joined(plan["trunk"] if form == "national" else f"+{plan['code']} ", text))


def _national(context: KindContext, plan: JsonObject, mobile: bool, live: bool) -> Column:
    """Return the part of the number after the code of the country."""
    if not live:
        return _drawn(context, plan["safe-mobile"] if mobile else plan["safe"], "safe")
    kinds = np.ones(context.rows, dtype=np.bool_) if mobile else context.unit("tel", "sort") < MOBILE
    parts = []
    for wanted, name in ((True, "mobile"), (False, "landline")):
        places = np.flatnonzero(kinds == wanted)
        if len(places):
            parts.append((places, _drawn(context.at(places), plan[name], name)))
    return merge(parts, context.rows, TEXT)


def _drawn(context: KindContext, pattern: str | dict[str, str], name: str) -> Column:
    """Return texts of a pattern, or of one per length of the area code."""
    areas = context.pick("cities").text("area") if isinstance(pattern, dict) or "{area}" in pattern else None
    if areas is None:
        assert isinstance(pattern, str)
        return context.matching(pattern, "tel", name)
    if isinstance(pattern, str):
        return _behind(context, areas, pattern, name)
    texts = areas.text(context.rows)
    lengths = numbers(pc.binary_length(texts), np.int32)
    left = np.ones(context.rows, dtype=np.bool_)
    parts = []
    for key, each in sorted(pattern.items(), key=lambda line: line[0].isdecimal()):
        wanted = lengths == int(key) if key.isdecimal() else flags(pc.equal(texts, word(key[1:])))
        places = np.flatnonzero(wanted & left)
        left &= ~wanted
        if len(places):
            parts.append((places, _behind(context.at(places), areas.take(places), each, name)))
    return merge(parts, context.rows, TEXT)


def _behind(context: KindContext, areas: Column, pattern: str, name: str) -> Column:
    rest = context.matching(pattern.removeprefix("{area}"), "tel", name)
    found: pa.Array = joined(areas.text(context.rows), rest.text(context.rows))
    return Column(TEXT, found)
