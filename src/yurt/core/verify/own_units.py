"""Values in the units of one line, where the lines of a table give their field a wider type.

Beside `decimal 0.00..9.99`, the values of `integer 0..10 step 5` are decimals too: 7.50 must not be read as 750.
"""

from __future__ import annotations

import numpy as np

from yurt.core import model
from yurt.core.base import exact
from yurt.core.base.arrays import Values
from yurt.core.base.types import DATE, DATETIME, DAYS, DURATION, INTEGER, REAL, Type, decimal
from yurt.core.columns.column import Column, Mask
from yurt.core.verify.equality import NEAR

DAY = 86_400_000_000


def own_type(head: model.Head, wider: Type) -> Type:
    """Return the type of the values of a line by itself; that of its field where it cannot differ."""
    match head:
        case model.Integer() | model.Sequence():
            return INTEGER
        case model.DecimalNumber(places=places):
            return decimal(places)
        case model.Date():
            return DATE
        case model.DurationRange(in_days=True):
            return DAYS
        case _:
            return wider


def in_units_of(column: Column, own: Type) -> tuple[Values, Mask]:
    """Return values in units of a type that is no wider than theirs, rounded down, and where something is left."""
    values = np.asarray(column.values)
    if column.type == own:
        return values, np.zeros(values.shape, dtype=np.bool_)
    if column.type == REAL:
        scaled = values * 10.0**own.places
        near = np.isclose(scaled, np.rint(scaled), rtol=NEAR, atol=0)
        return exact.from_real(np.where(near, np.rint(scaled), np.floor(scaled))), ~near
    days = column.type in (DATETIME, DURATION) and own in (DATE, DAYS)
    whole, rest = exact.divided(values, DAY if days else 10 ** (column.type.places - own.places))
    return whole, np.asarray(rest != 0, dtype=np.bool_)
