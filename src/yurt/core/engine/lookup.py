"""Rows that can be asked for their fields: those that a reference points to, or some of them."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from yurt.core.columns.column import Column


class Lookup(Protocol):
    """Rows of another record type that can be asked for their fields."""

    def field(self, name: str) -> Column:
        """Return the values of a field, one for each row that looks it up."""
        ...


class Picked:
    """Rows selected from resolved ones."""

    def __init__(self, source: Lookup, places: NDArray[np.int64]) -> None:
        self.source = source
        self.places = places

    def field(self, name: str) -> Column:
        return self.source.field(name).take(self.places)
