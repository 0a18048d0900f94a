"""All sources, and which of them a file is."""

from __future__ import annotations

from functools import cache
from importlib import import_module
from pkgutil import iter_modules

from yurt.core.drafting import sources
from yurt.core.drafting.sources.source import Source

# The bytes of a file that tell what it is.
HEAD = 65_536
# A document of an interface has schemas inside.
FIRST = ("openapi", "csvw")


@cache
def all_sources() -> tuple[Source, ...]:
    """Return every source that is a document, those first that others could be taken for."""
    names = sorted((each.name for each in iter_modules(sources.__path__)), key=lambda name: (name not in FIRST, name))
    modules = (import_module(f"{sources.__name__}.{name}") for name in names)
    return tuple(module.SOURCE for module in modules if hasattr(module, "SOURCE"))


def source_of(suffix: str, head: bytes) -> Source | None:
    """Return the source that a file is, by its suffix and its first bytes; None for data."""
    return next((each for each in all_sources() if each.matches(suffix.lower(), head[:HEAD])), None)
