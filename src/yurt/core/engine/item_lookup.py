"""The values of a list, by their position in it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.base.arrays import strings
from yurt.core.base.types import TEXT, decimal
from yurt.core.columns.column import Column, coded, constant, units


def lookup(listed: tuple[model.ItemValue, ...]) -> Callable[[NDArray[np.int64]], Column]:
    """Return the function from positions in a list to values."""
    types = [constant(each).type for each in listed]
    if TEXT in types:
        words = strings([str(each) for each in listed])
        return lambda places: coded(places, words)
    kind = types[0]
    places_behind_point = max(each.places for each in types)
    scaled: list[Any] = [units(each) for each in listed]
    if kind.numeric and places_behind_point:
        kind = decimal(places_behind_point)
        scaled = [number * 10 ** (kind.places - own.places) for number, own in zip(scaled, types, strict=True)]
    values = np.array(scaled)
    return lambda places: Column(kind, values[places])
