"""Rules for rows: which levels of some factors may occur together."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.data_classes import dataclass

Row = NDArray[np.int64]
FREE = -1
REMEMBERED = 1_000_000


@dataclass(frozen=True)
class Rule:
    """`allowed` has one axis per factor and is true where the levels may occur together.

    `why` is the condition behind the rule. `sure` is true where it is proven that levels that are not allowed cannot
    occur together; None for everywhere.
    """

    factors: tuple[int, ...]
    allowed: NDArray[np.bool_]
    why: str = ""
    sure: NDArray[np.bool_] | None = None

    @property
    def proven(self) -> Rule:
        """The rule without what is not proven."""
        return self if self.sure is None else Rule(self.factors, self.allowed | ~self.sure, self.why)


class Rules:
    """All rules of a space of factors."""

    def __init__(self, levels: Sequence[int], rules: Sequence[Rule] = ()) -> None:
        self.levels = tuple(levels)
        self.rules = tuple(rules)
        self.of_factor: dict[int, list[Rule]] = {}
        # Results so far, by the levels of the factors that rules involve.
        self._known: dict[bytes, bool] = {}
        for rule in rules:
            for factor in rule.factors:
                self.of_factor.setdefault(factor, []).append(rule)

        self._spoken = np.array(sorted(self.of_factor), dtype=np.int64)

    def __bool__(self) -> bool:
        return bool(self.rules)

    def _open(self, rule: Rule, row: Row) -> bool:
        """Return whether a rule can still be followed."""
        at = tuple(slice(None) if row[each] < 0 else int(row[each]) for each in rule.factors)
        return bool(rule.allowed[at].any())

    def completed(self, row: Row) -> Row | None:
        """Return the row with levels for all factors that rules involve; None if no levels follow the rules."""
        if not all(self._open(rule, row) for rule in self.rules):
            return None
        found = row.copy()
        return found if self._complete(found) else None

    def feasible(self, row: Row) -> bool:
        """Return whether a row can be completed."""
        if not self.rules:
            return True
        key = row[self._spoken].tobytes()
        if key not in self._known:
            if len(self._known) > REMEMBERED:
                self._known.clear()
            self._known[key] = self.completed(row) is not None
        return self._known[key]

    def why_not(self, row: Row) -> str:
        """Return the condition that forbids a row; empty if only several together do."""
        return next((rule.why for rule in self.rules if not self._open(rule, row)), "")

    def _complete(self, row: Row) -> bool:
        """Set free factors one by one, the most restricted first; go back at a dead end."""
        best: tuple[int, list[int]] | None = None
        for factor, rules in self.of_factor.items():
            if row[factor] >= 0:
                continue
            left = []
            for level in range(self.levels[factor]):
                row[factor] = level
                if all(self._open(rule, row) for rule in rules):
                    left.append(level)
            row[factor] = FREE
            if not left:
                return False
            if best is None or len(left) < len(best[1]):
                best = factor, left
        if best is None:
            return True
        factor, left = best
        for level in left:
            row[factor] = level
            if self._complete(row):
                return True
        row[factor] = FREE
        return False
