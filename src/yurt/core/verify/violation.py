"""A violation: the broken rule and the rows that break it."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.data_classes import dataclass, replace

# Every rule, in the order in which a record's first fault is named.
RULES = (
    "presence", "type", "length", "pattern", "check digit", "list", "range", "step", "month", "weekday", "holiday",
    "distinct", "agreement",
    "rejected", "unique", "reference", "count", "condition", "value", "always", "safe range",
)  # fmt: skip
# The separator between the partitions of several faults in one record.
TOGETHER = "; "


@dataclass(frozen=True)
class Violation:
    """Rows that break one rule at one field, in the same shape from the check to the report.

    `rows` are positions in the block during the check, and row numbers of the file (counted from 0) afterwards; each
    occurs once. `expected` describes what is allowed in the n-th row of the check, which is `at`; `value` gives the
    value of the n-th of `rows`. `elements` are the faulty elements of lists, counted from 0.
    """

    rule: str
    rows: NDArray[np.int64]
    at: NDArray[np.int64]
    expected: Callable[[int], str]
    record: str = ""
    field: str = ""
    value: Callable[[int], str] = lambda at: ""
    elements: NDArray[np.int64] | None = None

    def __len__(self) -> int:
        return len(self.rows)

    def keep(self, mask: NDArray[np.bool_]) -> Violation:
        """Return the violation restricted to the rows where `mask`, one entry per row of the block, holds."""
        chosen = mask[self.rows]
        if chosen.all():
            return self
        elements = None if self.elements is None else self.elements[chosen]
        return replace(self, rows=self.rows[chosen], at=self.at[chosen], elements=elements)

    def moved(self, rows: NDArray[np.int64]) -> Violation:
        """Return the same in a larger block, in which the rows of this one are `rows`."""
        return replace(self, rows=rows[self.rows])

    def around(self, rows: NDArray[np.int64], starts: NDArray[np.int64]) -> Violation:
        """Return the rows whose lists contain these elements, only the first of each row.

        `rows` has the row of each element, `starts` the first element of each row.
        """
        found, first = np.unique(rows[self.rows], return_index=True)
        return replace(self, rows=found, at=self.at[first], elements=self.rows[first] - starts[found])

    def named(self, record: str, field: str, value: Callable[[int], str]) -> Violation:
        """Return the violation of a field; `value` gives the value in a row of the block."""
        rows = self.rows
        return replace(self, record=record, field=field, value=lambda at: value(int(rows[at])))

    def examples(self, start: int, stop: int) -> Iterator[Example]:
        """Yield some of the rows in full."""
        for at in range(start, min(stop, len(self.rows))):
            element = None if self.elements is None else int(self.elements[at])
            yield Example(int(self.rows[at]), element, self.value(at), self.expected(int(self.at[at])))


@dataclass
class Example:
    """One row of a violation in full; rows and elements are counted from 0."""

    row: int
    element: int | None
    value: str
    expected: str
    line: int | None = None
    # Whether no other row begins on the line.
    alone: bool = True


def violation(rule: str, where: NDArray[np.bool_], expected: str | Callable[[int], str]) -> Violation:
    """Return the rows of a block that break a rule; `expected` is the same for all, or a function of the row."""
    rows = np.flatnonzero(where)
    return Violation(rule, rows, rows, expected if callable(expected) else _same(expected))


def _same(text: str) -> Callable[[int], str]:
    return lambda at: text
