"""A violation: what is wrong in some rows, and by which rule."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

# Every rule, in the order in which a record's first fault is named.
RULES = (
    "presence", "type", "length", "pattern", "check digit", "list", "range", "step", "weekday", "distinct", "agreement",
    "rejected", "unique", "reference", "count", "condition", "value", "always",
)  # fmt: skip
# What stands between the partitions of several faults in one record.
TOGETHER = "; "


@dataclass(frozen=True, slots=True)
class Violation:
    """Rows of one record type that break one rule at one field (for `always`: the condition as it is written).

    `rows` are row numbers of the file, counted from 0; `shown` gives the value in the n-th of them, `expected` what is
    allowed there.
    """

    record: str
    field: str
    rule: str
    rows: NDArray[np.int64]
    shown: Callable[[int], str]
    expected: Callable[[int], str]
