"""Facts that follow from a schema and are computed once: the type of every field, and the order in which all can be
made.
"""

from __future__ import annotations

from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import Type

# A field by its record type and name.
Node = tuple[str, str]


@dataclass(frozen=True)
class Plan:
    """Facts about every field, by record and field name, in an order in which all can be made.

    `needs` are the fields of the same record that a field uses directly, `others` the record types that it uses.
    """

    types: dict[Node, Type]
    needs: dict[Node, tuple[str, ...]]
    others: dict[str, set[str]]

    def records_for(self, name: str) -> set[str]:
        """Return the record types that the rows of one depend on, including itself."""
        found, waiting = {name}, [name]
        while waiting:
            more = self.others[waiting.pop()] - found
            found |= more
            waiting += more
        return found
