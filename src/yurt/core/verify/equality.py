"""Whether a condition is true of a row, and whether a value is the one that an expression gives."""

from __future__ import annotations

import numpy as np

from yurt.core.base import compute as pc
from yurt.core.base.arrays import flags
from yurt.core.base.types import REAL, TEXT
from yurt.core.columns.column import Column, Mask

# The tolerance of floating-point numbers, relative to the result of the expression: 15 digits, as sheets keep them.
NEAR = 5e-15


def true_of(column: Column, size: int) -> Mask:
    """Return where a condition is true."""
    if column.type.name == "null":
        return np.zeros(size, dtype=np.bool_)
    found: Mask = np.broadcast_to(column.true(), (size,))
    return found


def differs(found: Column, right: Column, size: int) -> Mask:
    """Return where two columns of one type have different values; a missing value equals a missing one."""
    left_nulls = np.zeros(size, dtype=bool) if found.nulls is None else np.broadcast_to(found.nulls, (size,))
    right_nulls = np.zeros(size, dtype=bool) if right.nulls is None else np.broadcast_to(right.nulls, (size,))
    if right.type.name == "null":
        return ~left_nulls
    if found.type == TEXT:
        same = flags(pc.equal(found.text(size), right.text(size)))
    elif found.type == REAL:
        same = np.isclose(found.values, right.values, rtol=NEAR, atol=0)
    else:
        same = found.values == right.values
    different: Mask = np.where(left_nulls | right_nulls, left_nulls != right_nulls, ~same)
    return different
