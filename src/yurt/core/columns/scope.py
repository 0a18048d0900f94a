"""What an expression can ask of the rows that it is evaluated for."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Protocol

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from yurt.core.columns.column import Column, Places
    from yurt.core.model.expressions import Call, Draw


class Scope(Protocol):
    """Rows of a record type: rows that are generated, or rows of a file that is validated."""

    # The numbers of the rows, counted from 0.
    rows: NDArray[np.uint64]

    def named(self, name: str) -> Column:
        """Return a field, or `today`, `now` or `row`."""
        ...

    def member(self, reference: str, name: str) -> Column:
        """Return a field of the rows that a reference points to; missing if the reference is."""
        ...

    def select(self, places: Places) -> Any:
        """Return the scope of some of these rows."""
        ...

    def siblings(self, call: Call) -> Column:
        """Return the value of `ordinal()`, `previous(field)` or `running(field)` for each row."""
        ...

    def drawn(self, draw: Draw) -> Column:
        """Return the values of a `draw(…)`."""
        ...
