"""Values that a caller fixes; the engine makes everything else around them."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from yurt.core.engine.scope import Maker, ReferenceScope, TableScope
from yurt.core.model import Field
from yurt.core.sampling.streams import Rows


class Overrides(Protocol):
    """What replaces the values of one record type, by field and row."""

    # The record type.
    record_name: str

    def maker(self, field: Field, make: Maker, table: TableScope) -> Maker:
        """Return the maker that replaces a field's own."""
        ...

    def references(self, own: ReferenceScope, table: TableScope) -> ReferenceScope:
        """Return the resolver that replaces a reference's own."""
        ...

    def ordinals(self, rows: Rows) -> NDArray[np.int64]:
        """Return the ordinal of each row among the children of its parent (from 0), if siblings are not consecutive
        rows.
        """
        ...
