"""Which parent the record of each case belongs to: any that has room, so that none has more children than it may."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yurt.core.columns.column import Places

# A step through the parents that visits them in an order without a pattern.
STRIDE = 0.618033988749895


class ParentRows:
    """The row of the parent of each case; cases of one group are children of one parent, which has no others."""

    def __init__(self, leaders: Places, parents: int, high: int, meant: dict[int, Places]) -> None:
        """`leaders` has the first case of each case's group, `high` is how many children a parent has at most.

        `meant` has the parents that a case may have, where not any will do.
        """
        self.leaders, self.high, self.meant = leaders, max(high, 1), meant
        self.used: NDArray[np.int64] = np.zeros(max(parents, 1), dtype=np.int64)
        self.rows: NDArray[np.int64] = np.zeros(len(leaders), dtype=np.int64)
        sizes = np.bincount(leaders, minlength=len(leaders))

        # Groups come first: each needs a parent without other children.
        # Then those that cannot take any.
        def order(each: int) -> tuple[bool, int]:
            return bool(sizes[each] == 1), len(meant[each]) if each in meant else parents

        for leader in sorted(np.flatnonzero(sizes).tolist(), key=order):
            free = np.flatnonzero(self.used == 0) if sizes[leader] > 1 else self._with_room(leader)
            self._take(leader, int(free[0]) if len(free) else leader % len(self.used), int(sizes[leader]))
        self.rows = self.rows[leaders]

    def _with_room(self, case: int) -> NDArray[np.intp]:
        # Those without children first.
        room = self._room(case)
        return room[np.argsort(self.used[room], kind="stable")]

    def _room(self, case: int) -> NDArray[np.intp]:
        """Return the parents that a case may have and that have room."""
        room = np.flatnonzero(self.used < self.high)
        return np.intersect1d(room, self.meant[case]) if case in self.meant else room

    def _take(self, case: int, parent: int, size: int) -> None:
        self.rows[case] = parent
        # A group leaves no room beside it.
        self.used[parent] += size if size == 1 else max(size, self.high)

    def moved(self, cases: Places, turn: int) -> None:
        """Give cases that are no part of a group other parents."""
        for case in cases.tolist():
            if (self.leaders == self.leaders[case]).sum() > 1:
                continue
            room = self._room(case)
            if len(room):
                self.used[self.rows[case]] -= 1
                at = int(((case + 1) * (turn + 1) * STRIDE) % 1.0 * len(room))
                self._take(case, int(room[at]), 1)
