"""What the parser makes of a text: a tree of parts, with the words and signs as its leaves."""

from __future__ import annotations

from typing import Any, Self


class Token(str):
    """A word or sign of a text, by the name of its terminal, with its place: `start` to `end` (exclusive)."""

    __slots__ = ("end", "start", "type")
    type: str
    start: int
    end: int

    @classmethod
    def of(cls, kind: str, text: str, start: int) -> Self:
        """Return a token at a place."""
        found = cls(text)
        found.type, found.start, found.end = kind, start, start + len(text)
        return found


class Tree:
    """A part of a text: the rule of the grammar that it follows, and its parts.

    An optional part that is absent is None. `start` and `end` are its place, `outer` the one with the brackets around
    it; a part without any text has none.
    """

    __slots__ = ("children", "data", "end", "outer", "start")

    def __init__(self, data: str, children: list[Any], start: int | None = None, end: int | None = None) -> None:
        self.data = data
        self.children = children
        self.start = start
        self.end = end
        self.outer = (start, end)
