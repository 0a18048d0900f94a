"""What a technique is."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from yurt.core.cases.case import Case
from yurt.core.cases.subject import Subject


@dataclass(frozen=True, slots=True)
class Technique:
    """A way to derive cases. Their files have those of a lower `order` first; an `asked` one is used on demand only."""

    order: int
    derive: Callable[[Subject], Iterator[Case]]
    asked: bool = False
