"""Defines a distribution."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Literal

from yurt.core.base.data_classes import dataclass

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

# What an argument must be.
ANY, POSITIVE, CHANCE = "any", "above 0", "above 0 and at most 1"


class OutOfReach(ValueError):
    """A distribution with practically no probability inside the allowed range."""


@dataclass(frozen=True)
class Argument:
    """One argument: what it must be, and its unit.

    A `position` is a value of the range, a `distance` the difference of two, a `number` has no unit. On the grid the
    first two are counted in steps, positions from the minimum.
    """

    rule: str = POSITIVE
    unit: Literal["position", "distance", "number"] = "number"


@dataclass(frozen=True)
class Distribution:
    """A distribution by its name in the language; `shape` is its written form, with the meaning of its arguments.

    `inverse` gets uniform numbers, the number of positions, and the arguments on the grid; if the distribution is
    `from_zero`, then also the position of the value 0, where it begins. `cumulative` gives the share up to positions
    (with the same arguments for all rows) and serves distributions that are slow to invert. `scipy` is the name of the
    same distribution in SciPy before truncation, which the tests compare with.
    """

    name: str
    shape: str
    inverse: Callable[..., Array]
    scipy: str
    arguments: tuple[Argument, ...] = ()
    cumulative: Callable[..., Array] | None = None
    from_zero: bool = False
    # The ranges that it fits: all, only numbers, or only whole numbers with step 1; and whether it can order a list.
    fits: Literal["all", "numbers", "counts"] = "all"
    over_a_list: bool = False
    # Whether its argument must be the same for all rows.
    fixed: bool = False
