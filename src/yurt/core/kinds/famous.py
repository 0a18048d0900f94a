"""Names of famous people, which no made-up person gets. The pairs are in `famous.csv`."""

from __future__ import annotations

import csv
from functools import cache
from itertools import product
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.caches import kept
from yurt.core.kinds.picks import Codes, Lines, Pick
from yurt.core.sampling.streams import Unit

# How often another family name is drawn; if a schema leaves only one pair, that pair stays.
TURNS = 8
GOLDEN = 0.6180339887498949
GIVEN, FAMILY = ("name", "latin"), ("name", "latin", "feminine", "latin-feminine")


@cache
def pairs() -> frozenset[tuple[str, str]]:
    """Return given and family names of famous people."""
    text = Path(__file__).with_name("famous.csv").read_text("utf-8")
    (_, *rows) = csv.reader(text.splitlines())
    return frozenset((given, family) for given, family in rows)


def another_family(given: Pick, family: Pick, u: Unit, group: Codes | int) -> Pick:
    """Return family names that do not make a famous name with the given names; `u` and `group` are what drew them."""
    risky, keys = _barred(given.source, family.source)
    at, size = family.at, len(family.source.entries.weights)
    places = np.flatnonzero(risky[given.at])
    for turn in range(1, TURNS + 1):
        code = given.at[places] * size + at[places]
        places = places[keys[np.minimum(np.searchsorted(keys, code), len(keys) - 1)] == code] if len(keys) else places
        if not len(keys) or not len(places):
            break
        at = at.copy()
        own = group if isinstance(group, int) else group[places]
        at[places] = family.source.draw((u[places] + turn * GOLDEN) % 1.0, own)
    return Pick(family.source, at)


@kept(64)
def _barred(given: Lines, family: Lines) -> tuple[NDArray[np.bool_], NDArray[np.int64]]:
    """Return the given names that famous people have, and the sorted codes of the pairs: given line and family line."""
    firsts = _by_name(given, GIVEN, {one for one, _ in pairs()})
    lasts = _by_name(family, FAMILY, {other for _, other in pairs()})
    size = len(family.entries.weights)
    found = {
        first * size + last
        for one, other in pairs()
        if one in firsts and other in lasts
        for first, last in product(firsts[one], lasts[other])
    }
    keys = np.array(sorted(found), dtype=np.int64)
    risky = np.zeros(len(given.entries.weights), dtype=np.bool_)
    risky[keys // size] = True
    return risky, keys


def _by_name(source: Lines, columns: tuple[str, ...], names: set[str]) -> dict[str, set[int]]:
    """Return the lines of a list that have some of these names, by name."""
    found: dict[str, set[int]] = {}
    for column in columns:
        for at, name in enumerate(source.entries.cells.get(column, ())):
            if name in names:
                found.setdefault(name, set()).add(at)
    return found
