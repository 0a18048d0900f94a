"""A range between two expressions, and the values in lists of a schema."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from yurt.core.model.expressions import Expression

ItemValue = str | int | Decimal | bool | date


@dataclass(frozen=True, slots=True)
class Range:
    """Both ends are included. An end may be an expression over other fields."""

    low: Expression
    high: Expression
