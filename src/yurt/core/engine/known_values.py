"""What a value says by itself: the sex of a given name, the locales of a city."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import flags, numbers_or, strings
from yurt.core.base.caches import kept
from yurt.core.kinds.lists import lines_of
from yurt.core.kinds.locales import every_locale

SEXES = {"female": 0, "male": 1}
# The columns of the list of cities that say where a place is, by the kind of a value.
OF_CITIES = {
    "city": ("city", "city-latin"), "region": ("region",), "region-code": ("region-code",),
    "postal-code": ("postal-code",),
}  # fmt: skip


@kept(8)
def _sexes(folder: str) -> tuple[pa.Array, NDArray[np.int64]]:
    """Return the given names of the catalogue in small letters, and the sex of each: -1 for a name that both have."""
    found: dict[str, int] = {}
    for locale in every_locale(folder):
        for line in lines_of("given-names", locale, folder):
            sex = SEXES.get(line.get("sex", ""), -1)
            for name in {line.get("name", ""), line.get("latin", "")} - {""}:
                folded = name.lower()
                found[folded] = sex if found.get(folded, sex) == sex else -1
    # The last one is the sex of a name that is not there.
    return strings(list(found)), np.array([*found.values(), -1], dtype=np.int64)


def sexes_of(names: pa.Array, folder: str) -> NDArray[np.int64]:
    """Return 0 for the given names of women, 1 for those of men, and -1 for all others; the first word counts."""
    known, sexes = _sexes(folder)
    words = pc.utf8_lower(pc.replace_substring_regex(names, "[ -].*$", ""))
    return sexes[numbers_or(pc.index_in(words, value_set=known), np.int32, -1)]


@kept(256)
def _places(kind: str, locale: str, folder: str) -> pa.Array:
    lines = lines_of("cities", locale, folder)
    cells = (line.get(column, "") for line in lines for column in OF_CITIES[kind])
    return strings(sorted({part.lower() for cell in cells for part in cell.split("|") if part}))


def locales_of(values: pa.Array, kind: str, locales: tuple[str, ...], folder: str) -> NDArray[np.int64]:
    """Return the number of the first locale that has each value, and -1 if none has it."""
    found = np.full(len(values), -1, dtype=np.int64)
    folded = pc.utf8_lower(values)
    for number in reversed(range(len(locales))):
        there = flags(pc.is_in(folded, value_set=_places(kind, locales[number], folder)))
        found[there] = number
    return found
