"""Finds the nearest known word for an unknown one."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from difflib import get_close_matches

# Longer words are not misspellings.
LONGEST = 100
# How many more words may be searched for, since each takes some milliseconds; None is unlimited.
_left: ContextVar[list[int] | None] = ContextVar("left", default=None)


@contextmanager
def limited(words: int) -> Iterator[None]:
    """Limit the number of words that are searched for, because every line of a file may be wrong."""
    token = _left.set([words])
    try:
        yield
    finally:
        _left.reset(token)


def nearest(word: str, known: Iterable[str]) -> str | None:
    """Return the known word most similar to `word`, or None if there is no similar one.

    Case and the difference between `_`, `-`, and a space do not count.
    """
    left = _left.get()
    if left is not None:
        left[0] -= 1
    if len(word) > LONGEST or (left is not None and left[0] < 0):
        return None

    def plain(text: str) -> str:
        return text.casefold().replace("_", "-").replace(" ", "-")

    by_plain = {plain(each): each for each in known}
    found = get_close_matches(plain(word), by_plain, n=1, cutoff=0.6)
    return by_plain[found[0]] if found else None


def no_record_type(name: str, known: Iterable[str]) -> str:
    """Return the message that a schema has no record type with a name, with the nearest name or all names."""
    return f"there is no record type `{name}`; " + (did_you_mean(name, known) or f"the schema has {', '.join(known)}")


def did_you_mean(word: str, known: Iterable[str]) -> str | None:
    """Return the hint `did you mean …?` for an unknown word, or None."""
    found = nearest(word, known)
    return f"did you mean `{found}`?" if found else None
