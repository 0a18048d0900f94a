"""A range between two expressions, and the values in lists of a schema."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

from yurt.core.base.data_classes import dataclass
from yurt.core.model.expressions import Expression

ItemValue = str | int | Decimal | bool | date


@dataclass(frozen=True)
class Range:
    """Both ends are included. An end may be an expression over other fields.

    An `open` end has no limit but that of the type, which stands in its place.
    """

    low: Expression
    high: Expression
    open_low: bool = False
    open_high: bool = False
