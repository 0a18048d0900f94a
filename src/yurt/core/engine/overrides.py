"""Values that a caller fixes; the engine makes everything else around them."""

from __future__ import annotations

from typing import Protocol

from yurt.core.engine.scope import Maker, Ordinals, ReferenceScope, TableScope
from yurt.core.model import Field


class Overrides(Protocol):
    """What replaces the values of one record type, by field and row."""

    # The record type.
    record_name: str

    @property
    def attempts(self) -> int:
        """The number of draws of a row after which no other is expected to meet the conditions."""
        ...

    @property
    def changing(self) -> bool:
        """Whether the values change while the run goes on, so that no rows of the record type may be kept."""
        ...

    @property
    def ordinals(self) -> Ordinals | None:
        """What returns the ordinal of each row among the children of its parent (from 0); None if siblings are
        consecutive rows.
        """
        ...

    def maker(self, field: Field, make: Maker, table: TableScope) -> Maker:
        """Return the maker that replaces a field's own."""
        ...

    def references(self, own: ReferenceScope, table: TableScope) -> ReferenceScope:
        """Return the resolver that replaces a reference's own."""
        ...
