"""File formats, one module each: how they are written and read, what they can express, how their files are malformed.

A format is found by the name of its module, which holds one `FORMAT`.
"""

from __future__ import annotations

from functools import cache
from importlib import import_module
from pkgutil import iter_modules
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from yurt.core.formats.common.format import Format

NAMES = tuple(each.name for each in iter_modules(__path__) if not each.ispkg)


@cache
def by_name() -> dict[str, Format]:
    """Return all formats by name; their modules are imported only here."""
    return {name: import_module(f"{__name__}.{name}").FORMAT for name in NAMES}


@cache
def by_suffix() -> dict[str, Format]:
    """Return all formats by the suffixes of their files."""
    return {suffix: form for form in by_name().values() for suffix in form.suffixes}
