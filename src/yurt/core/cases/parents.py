"""The parent of each case's record: one with room, so that no parent gets more children than allowed."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yurt.core.columns.column import Places

# A step that visits all parents in an order without a pattern.
STRIDE = 0.618033988749895


class ParentRows:
    """The row of each case's parent. The cases of one group are the only children of one parent."""

    def __init__(
        self, leaders: Places, followers: Places, parents: int, high: int, meant: dict[int, Places], alone: bool
    ) -> None:
        """`leaders` has the first case of each case's group, `high` is the maximum number of children.

        `followers` are the cases that repeat the parent of the first one, and `meant` has the parents that a case may
        have, if only some qualify. If `alone`, no two cases share a parent but those of a group.
        """
        self.leaders, self.followers, self.high, self.meant = leaders, followers, max(high, 1), meant
        self.used: NDArray[np.int64] = np.zeros(max(parents, 1), dtype=np.int64)
        self.rows: NDArray[np.int64] = np.zeros(len(leaders), dtype=np.int64)
        # The room that each case needs: the first one is moved together with those that follow it.
        self.needed: NDArray[np.int64] = np.ones(len(leaders), dtype=np.int64)
        self.needed[:1] += len(followers)
        self.needed = np.full(len(leaders), self.high) if alone else self.needed
        self.needed[followers] = 0
        sizes = np.bincount(leaders, minlength=len(leaders))
        sizes[followers] = 0

        # Groups come first, because each needs a parent without other children, then cases that only some parents
        # qualify for.
        def order(each: int) -> tuple[bool, bool, int]:
            return bool(sizes[each] == 1), each > 0, len(meant[each]) if each in meant else parents

        for leader in sorted(np.flatnonzero(sizes).tolist(), key=order):
            free = np.flatnonzero(self.used == 0) if sizes[leader] > 1 else self._with_room(leader)
            self._take(leader, int(free[0]) if len(free) else leader % len(self.used), int(sizes[leader]))
        self.rows = self.rows[leaders]
        self.rows[followers] = self.rows[0]

    def _with_room(self, case: int) -> NDArray[np.intp]:
        # Parents without children come first.
        room = self._room(case)
        return room[np.argsort(self.used[room], kind="stable")]

    def _room(self, case: int) -> NDArray[np.intp]:
        """Return the parents that a case may have and that have room."""
        room = np.flatnonzero(self.used + self.needed[case] <= self.high)
        return np.intersect1d(room, self.meant[case]) if case in self.meant else room

    def _take(self, case: int, parent: int, size: int) -> None:
        self.rows[case] = parent
        # A group leaves no room for other children.
        self.used[parent] += self.needed[case] if size == 1 else max(size, self.high)

    def moved(self, cases: Places, turn: int) -> None:
        """Give cases that are not in a group other parents."""
        for case in cases.tolist():
            if not self.needed[case] or (self.leaders == self.leaders[case]).sum() > 1:
                continue
            room = self._room(case)
            if len(room):
                self.used[self.rows[case]] -= self.needed[case]
                at = int(((case + 1) * (turn + 1) * STRIDE) % 1.0 * len(room))
                self._take(case, int(room[at]), 1)
        self.rows[self.followers] = self.rows[0]
