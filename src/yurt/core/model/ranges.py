"""A range between two expressions, and the values that lists of a schema hold."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from yurt.core.model.expressions import Expression

ItemValue = str | int | Decimal | bool | date


@dataclass(frozen=True, slots=True)
class Range:
    """Both ends belong to it. An end may be an expression over other fields."""

    low: Expression
    high: Expression
