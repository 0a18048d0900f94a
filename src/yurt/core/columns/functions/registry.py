"""The kernels of the functions of expressions, by name; each computes a whole column."""

from __future__ import annotations

from collections.abc import Callable
from functools import reduce
from typing import TYPE_CHECKING

import numpy as np

from yurt.core.columns.column import Column, Mask

if TYPE_CHECKING:
    from yurt.core.columns.scope import Scope

Kernel = Callable[[list[Column], "Scope"], Column]
KERNELS: dict[str, Kernel] = {}


def kernel(function: Kernel) -> Kernel:
    """Register a kernel under its name; an underscore at the end keeps Python's own names free."""
    KERNELS[function.__name__.rstrip("_")] = function
    return function


def nulls_of(columns: list[Column]) -> Mask | None:
    """Return where any of the columns has no value."""
    masks = [each.nulls for each in columns if each.nulls is not None]
    return reduce(np.logical_or, masks) if masks else None
