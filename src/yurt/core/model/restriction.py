"""Whether a value is among those that `matching` and `without` leave."""

from __future__ import annotations

from yurt.core.model.clauses import Restriction
from yurt.core.patterns.match import matches
from yurt.core.patterns.parse import parse


def fits(narrowed: Restriction, value: object) -> bool:
    """Return whether a value is among those that are left."""
    text = str(value).lower() if isinstance(value, bool) else str(value)
    if any(char in text for char in narrowed.without):
        return False
    return narrowed.matching is None or matches(parse(narrowed.matching), text)
