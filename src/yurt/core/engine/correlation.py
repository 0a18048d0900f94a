"""Rank correlations between the fields of one record: `tracks altitude by 0.6`.

Every field is drawn by inverting its distribution at a number in (0, 1), so the rank correlation of two such numbers is
that of the values, whatever the distributions. The numbers come from correlated normal ones (a Gaussian copula).
`yurt.core.planning.correlations` finds the shares.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from yurt.core import model
from yurt.core.base import normal
from yurt.core.base.data_classes import dataclass
from yurt.core.planning.correlations import Shares, shares_of, wanted_of
from yurt.core.sampling.streams import Unit


@dataclass(frozen=True)
class Correlation:
    """How a field's number is made: a share of its own number, and shares of others."""

    field: str
    shares: Shares

    def unit(self, draw: Callable[[str], Unit]) -> Unit:
        """Return the field's numbers in (0, 1); `draw` gives the own number of a field."""

        total = self.shares.own * normal.inverse(draw(self.field))
        for name, share in self.shares.of_others:
            total = total + share * normal.inverse(draw(name))
        found: Unit = np.clip(normal.cumulative(total), 2.0**-54, 1 - 2.0**-53)
        return found


def correlations(record: model.Record) -> dict[str, Correlation]:
    """Return how the number of each tracking field is made."""
    return {name: Correlation(name, shares) for name, shares in shares_of(wanted_of(record)).items()}
