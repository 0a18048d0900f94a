"""Telephone numbers, by the plan that the facts of a locale have.

A plan has the `code` of the country, the `trunk` prefix dialled at home, and patterns of national numbers, in groups
with blanks or hyphens between them: `safe` and `safe-mobile` for those that reach nobody, `landline` and `mobile` for
all. `{area}` in a pattern is the area code of the city; `landline` has a pattern for each length of it, or for one
of them alone (`=3`).
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yurt.core.arrays import flags, joined, numbers, word
from yurt.core.columns.column import Column, merge
from yurt.core.engine.matching import drawn
from yurt.core.patterns.parse import parse
from yurt.core.types import TEXT

if TYPE_CHECKING:
    from yurt.core.engine.world.world import World

# The share of mobile numbers among those that are said to be either.
MOBILE = 0.6


def phone(world: World, form: str, mobile: bool) -> Column:
    """Return a number for each row; the forms of one record are of one number."""
    return world.by_locale(
        lambda number, places: _of_locale(world.at(places), world.agreed.facts[number]["tel"], form, mobile)
    )


def _of_locale(world: World, plan: dict[str, Any], form: str, mobile: bool) -> Column:
    number = world.once(f"tel {mobile} {world.live} {plan['code']}", lambda: _national(world, plan, mobile))
    text = number.text(world.rows)
    if form == "e164":
        plain = pc.replace_substring(pc.replace_substring(text, pattern=" ", replacement=""), "-", "")
        return Column(TEXT, joined(f"+{plan['code']}", plain))
    return Column(TEXT, joined(plan["trunk"] if form == "national" else f"+{plan['code']} ", text))


def _national(world: World, plan: dict[str, Any], mobile: bool) -> Column:
    """Return the part of the number behind the code of the country."""
    if not world.live:
        return _drawn(world, plan["safe-mobile"] if mobile else plan["safe"], "safe")
    kinds = np.ones(world.rows, dtype=np.bool_) if mobile else world.unit("tel", "sort") < MOBILE
    parts = []
    for wanted, name in ((True, "mobile"), (False, "landline")):
        places = np.flatnonzero(kinds == wanted)
        if len(places):
            parts.append((places, _drawn(world.at(places), plan[name], name)))
    return merge(parts, world.rows, TEXT)


def _drawn(world: World, pattern: str | dict[str, str], name: str) -> Column:
    """Return texts of a pattern; one for each length of the area code, where there are several."""
    areas = world.pick("cities").text("area") if isinstance(pattern, dict) or "{area}" in pattern else None
    if areas is None:
        assert isinstance(pattern, str)
        return drawn(parse(pattern), world.batch, *world.path, "tel", name)
    if isinstance(pattern, str):
        return _behind(world, areas, pattern, name)
    texts = areas.text(world.rows)
    lengths = numbers(pc.binary_length(texts), np.int32)
    left = np.ones(world.rows, dtype=np.bool_)
    parts = []
    for key, each in sorted(pattern.items(), key=lambda line: line[0].isdecimal()):
        wanted = lengths == int(key) if key.isdecimal() else flags(pc.equal(texts, word(key[1:])))
        places = np.flatnonzero(wanted & left)
        left &= ~wanted
        if len(places):
            parts.append((places, _behind(world.at(places), areas.take(places), each, name)))
    return merge(parts, world.rows, TEXT)


def _behind(world: World, areas: Column, pattern: str, name: str) -> Column:
    rest = drawn(parse(pattern.removeprefix("{area}")), world.batch, *world.path, "tel", name)
    found: pa.Array = joined(areas.text(world.rows), rest.text(world.rows))
    return Column(TEXT, found)
