"""Matches texts against a pattern, and removes characters from a pattern.

The match follows all paths at once (K. Thompson, "Regular expression search algorithm", 1968), so that no pattern can
make it slow: its time is bounded by the length of the text times the size of the pattern.
"""

from __future__ import annotations

from functools import reduce
from operator import or_

from yurt.core.patterns.tree import Characters, Options, Pattern, Repeat, Series, Tree


def matches(pattern: Pattern, text: str) -> bool:
    """Return whether the whole text follows the pattern."""
    low, high = pattern.lengths
    if len(text) < low or (high is not None and len(text) > high):
        return False
    return bool(_Places(text).ends(pattern.tree, 1) >> len(text) & 1)


class _Places:
    """Sets of positions in one text, each an integer whose bits are the positions: many positions cost one step
    together.
    """

    def __init__(self, text: str) -> None:
        self.text = text
        self._accepted: dict[Characters, int] = {}

    def accepted(self, tree: Characters) -> int:
        """Return the positions of the characters that the tree accepts."""
        if tree not in self._accepted:
            bits = "".join("1" if tree.accepts(char) else "0" for char in reversed(self.text))
            self._accepted[tree] = int(bits or "0", 2)
        return self._accepted[tree]

    def ends(self, tree: Tree, starts: int) -> int:
        """Return the positions where the tree may end in the text if it begins at one of `starts`."""
        if not starts:
            return 0
        if isinstance(tree, Characters):
            return (starts & self.accepted(tree)) << 1
        if isinstance(tree, Series):
            for part in tree.parts:
                starts = self.ends(part, starts)
            return starts
        if isinstance(tree, Options):
            return reduce(or_, (self.ends(part, starts) for part in tree.parts))
        return self._repeated(tree, starts)

    def _repeated(self, tree: Repeat, starts: int) -> int:
        for _ in range(tree.low):
            starts = self.ends(tree.part, starts)
            if not starts:
                return 0
        found, latest = starts, starts
        times = tree.low
        while latest and (tree.endless or times < tree.high):
            latest = self.ends(tree.part, latest) & ~found
            found |= latest
            times += 1
        return found


def without(pattern: Pattern, chars: str) -> Pattern | None:
    """Return the pattern of the texts without any of the characters; None if no text remains."""
    tree = _without(pattern.tree, set(chars))
    return Pattern(f"{pattern.source} without {chars}", tree) if tree is not None else None


def _without(tree: Tree, chars: set[str]) -> Tree | None:
    if isinstance(tree, Characters):
        left = "".join(each for each in tree.chars if each not in chars)
        return Characters(left, tree.but) if left else None
    if isinstance(tree, Series):
        parts = [_without(part, chars) for part in tree.parts]
        return Series(tuple(part for part in parts if part is not None)) if None not in parts else None
    if isinstance(tree, Options):
        kept = tuple(part for part in (_without(each, chars) for each in tree.parts) if part is not None)
        return Options(kept) if kept else None
    inside = _without(tree.part, chars)
    if inside is not None:
        return Repeat(inside, tree.low, tree.high, tree.endless)
    return Series(()) if tree.low == 0 else None
