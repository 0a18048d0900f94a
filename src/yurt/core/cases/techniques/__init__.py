"""The techniques, one module each. A technique is found by the name of its module, which holds one `TECHNIQUE`."""

from __future__ import annotations

from functools import cache
from importlib import import_module
from pkgutil import iter_modules
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from yurt.core.cases.technique import Technique

NAMES = tuple(each.name for each in iter_modules(__path__))


@cache
def by_name() -> dict[str, Technique]:
    """Return all techniques by name, in the order of their cases; they are imported only here."""
    found = {name: import_module(f"{__name__}.{name}").TECHNIQUE for name in NAMES}
    return dict(sorted(found.items(), key=lambda each: int(each[1].order)))
