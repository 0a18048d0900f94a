"""What a value says by itself: the sex of a given name, the locales of a city."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

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
def _sexes(folder: str) -> dict[str, int]:
    """Return the sex of each given name of the catalogue: -1 for a name that both have."""
    found: dict[str, int] = {}
    for locale in every_locale(folder):
        for line in lines_of("given-names", locale, folder):
            sex = SEXES.get(line.get("sex", ""), -1)
            for name in {line.get("name", ""), line.get("latin", "")} - {""}:
                folded = name.casefold()
                found[folded] = sex if found.get(folded, sex) == sex else -1
    return found


def sexes_of(names: pa.Array, folder: str) -> NDArray[np.int64]:
    """Return 0 for the given names of women, 1 for those of men, and -1 for all others; the first word counts."""
    known = _sexes(folder)
    words = ((each or "").split(" ")[0].split("-")[0].casefold() for each in names.to_pylist())
    return np.array([known.get(each, -1) for each in words], dtype=np.int64)


@kept(256)
def _places(kind: str, locale: str, folder: str) -> frozenset[str]:
    lines = lines_of("cities", locale, folder)
    cells = (line.get(column, "") for line in lines for column in OF_CITIES[kind])
    return frozenset(part.casefold() for cell in cells for part in cell.split("|") if part)


def locales_of(values: pa.Array, kind: str, locales: tuple[str, ...], folder: str) -> NDArray[np.int64]:
    """Return the number of the first locale that has each value, and -1 if none has it."""
    sets = [_places(kind, each, folder) for each in locales]
    found = []
    for value in values.to_pylist():
        folded = (value or "").casefold()
        found.append(next((number for number, known in enumerate(sets) if folded in known), -1))
    return np.array(found, dtype=np.int64)
