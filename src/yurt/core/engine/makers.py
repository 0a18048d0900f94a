"""The makers of heads.

A factory takes the field, the phrase, and the table, does everything that is needed only once, and returns the function
that makes a column for a batch.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from importlib import import_module
from pkgutil import iter_modules

from yurt.core.engine import heads
from yurt.core.engine.scope import Maker, TableScope
from yurt.core.model import Field, Head, Phrase

Factory = Callable[[Field, Phrase, TableScope], Maker]


@cache
def factories() -> dict[type[Head], Factory]:
    """Return the factory of each head."""
    modules = [import_module(f"{heads.__name__}.{each.name}") for each in iter_modules(heads.__path__)]
    return {head: factory for module in modules for head, factory in module.MAKES.items()}


def maker_of_head(field: Field, phrase: Phrase, table: TableScope) -> Maker:
    """Return the function that makes the values of a head."""
    return factories()[type(phrase.head)](field, phrase, table)
