"""Defines a technique."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from yurt.core.base.data_classes import dataclass
from yurt.core.cases.case import Case
from yurt.core.cases.subject import Subject


@dataclass(frozen=True)
class Technique:
    """A way to derive cases. Techniques with a lower `order` come first in files; an `asked` one is used only on
    request.
    """

    order: int
    derive: Callable[[Subject], Iterator[Case]]
    asked: bool = False
