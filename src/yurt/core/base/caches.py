"""Caches of the tester's own files. All are emptied together when a file has changed."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import ParamSpec, TypeVar

P = ParamSpec("P")
T = TypeVar("T")
_EMPTY: list[Callable[[], None]] = []


def kept(size: int) -> Callable[[Callable[P, T]], Callable[P, T]]:
    """Cache the results of a function for this number of arguments, until `forget` is called."""

    def wrap(function: Callable[P, T]) -> Callable[P, T]:
        cached = lru_cache(maxsize=size)(function)
        _EMPTY.append(cached.cache_clear)
        return cached  # type: ignore[return-value]

    return wrap


def forget() -> None:
    """Empty all caches."""
    for empty in _EMPTY:
        empty()
