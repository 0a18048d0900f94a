"""What has been written on top of the generated rows of a record type.

A row has a number: generated rows are 0 to `count` - 1, written ones follow. A record keeps its number until it is
deleted, and no number is used twice.
"""

from __future__ import annotations

from bisect import bisect_left, insort

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.python_values import PythonValue

Tree = dict[str, PythonValue]


class State:
    """The replaced, added, and deleted records of a record type."""

    def __init__(self, count: int) -> None:
        self.count = count
        self.written: dict[int, Tree] = {}
        # Deleted generated rows, in order; deleted written ones are just gone.
        self.deleted: list[int] = []
        self.next = count
        # The number of records after the generated ones.
        self.added = 0
        # Changes with every write, so that what was derived before is recognised as old.
        self.version = 0

    @property
    def total(self) -> int:
        """The number of records."""
        return self.count - len(self.deleted) + self.added

    def put(self, number: int, tree: Tree) -> None:
        """Write a record: a new one if its number is the next."""
        self.added += number >= self.count and number not in self.written
        self.written[number] = tree
        self.next = max(self.next, number + 1)
        self.version += 1

    def remove(self, number: int) -> None:
        """Delete a record."""
        self.added -= number >= self.count and number in self.written
        self.written.pop(number, None)
        if number < self.count:
            insort(self.deleted, number)
        self.version += 1

    def there(self, number: int) -> bool:
        """Return whether a record exists."""
        if number >= self.count:
            return number in self.written
        at = bisect_left(self.deleted, number)
        return at == len(self.deleted) or self.deleted[at] != number

    def numbers(self, start: int, stop: int) -> NDArray[np.int64]:
        """Return the numbers of the records at some positions, of all that exist."""
        stop = min(stop, self.total)
        if start >= stop:
            return np.empty(0, dtype=np.int64)
        live = self.count - len(self.deleted)
        places = np.arange(start, stop, dtype=np.int64)
        generated, rest = places[places < live], places[places >= live] - live
        if self.deleted:
            # The n-th row that is left comes after all deleted ones with fewer than n others before them.
            gone = np.array(self.deleted, dtype=np.int64)
            generated = generated + np.searchsorted(gone - np.arange(len(gone)), generated, side="right")
        if not len(rest):
            return generated
        after = np.array(sorted(each for each in self.written if each >= self.count), dtype=np.int64)
        return np.concatenate([generated, after[rest]])
