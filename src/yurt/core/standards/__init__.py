"""What a schema allows, as documents of open standards that other programs enforce: one module for each."""

from __future__ import annotations

from functools import cache
from importlib import import_module
from pkgutil import iter_modules
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from yurt.core.standards.common.document import Document

NAMES = tuple(each.name.replace("_", "-") for each in iter_modules(__path__) if each.name != "common")


@cache
def by_name() -> dict[str, Document]:
    """Return all documents by name; their modules are imported only here."""
    return {name: import_module(f"{__name__}.{name.replace('-', '_')}").DOCUMENT for name in NAMES}
