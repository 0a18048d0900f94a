"""Rank correlations between the fields of one record: `tracks altitude by 0.6`.

Every field is drawn by inverting its distribution at a number between 0 and 1, so rank correlation between two of
these numbers is rank correlation between the values, whatever the distributions. The numbers are made of normal ones
that are correlated (a Gaussian copula). `yurt.core.correlations` finds the shares.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from yurt.core import model
from yurt.core.correlations import shares_of, wanted_of
from yurt.core.engine.streams import Unit

if TYPE_CHECKING:
    from yurt.core.engine.batch import Batch


@dataclass(frozen=True, slots=True)
class Correlation:
    """How a field's number is made: a share of each number that it tracks, and of one of its own."""

    field: str
    tracked: tuple[str, ...]
    shares: tuple[float, ...]
    own: float

    def unit(self, batch: Batch) -> Unit:
        """Return the field's numbers in (0, 1)."""
        from scipy.special import ndtr

        found: Unit = np.clip(ndtr(self.normal(batch)), 2.0**-54, 1 - 2.0**-53)
        return found

    def normal(self, batch: Batch) -> NDArray[np.float64]:
        """Return the field's normal numbers."""
        from scipy.special import ndtri

        total = self.own * ndtri(batch.unit(self.field, "value"))
        for name, share in zip(self.tracked, self.shares, strict=True):
            other = batch.table.correlations.get(name)
            total = total + share * (other.normal(batch) if other else ndtri(batch.unit(name, "value")))
        return np.asarray(total)


def correlations(record: model.Record) -> dict[str, Correlation]:
    """Return how the number of each field that tracks others is made."""
    return {
        name: Correlation(
            name,
            tuple(other for other, _ in shares.of_others),
            tuple(share for _, share in shares.of_others),
            shares.own,
        )
        for name, shares in shares_of(wanted_of(record)).items()
    }
