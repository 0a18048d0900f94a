"""The nearest right word for a wrong one."""

from __future__ import annotations

from collections.abc import Iterable
from difflib import get_close_matches


def nearest(word: str, known: Iterable[str]) -> str | None:
    """Return the known word most like `word`, or None when nothing is near.

    Case and the difference between `_`, `-` and a blank do not count.
    """

    def plain(text: str) -> str:
        return text.casefold().replace("_", "-").replace(" ", "-")

    by_plain = {plain(each): each for each in known}
    found = get_close_matches(plain(word), by_plain, n=1, cutoff=0.6)
    return by_plain[found[0]] if found else None


def did_you_mean(word: str, known: Iterable[str]) -> str | None:
    """Return the hint `did you mean …?` for a wrong word, or None."""
    found = nearest(word, known)
    return f"did you mean `{found}`?" if found else None
