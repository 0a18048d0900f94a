"""The makers of heads.

A factory takes the field, the phrase, and the table, does everything that is needed only once, and returns the function
that makes a column for a batch. It stands in the module of the same name as the rule of the head, or in `ranged`.
"""

from __future__ import annotations

from collections.abc import Callable

from yurt.core.base.by_name import ByName
from yurt.core.engine import heads
from yurt.core.engine.scope import Maker, TableScope
from yurt.core.heads.registry import module_of
from yurt.core.model import Field, Head, Phrase

Factory = Callable[[Field, Phrase, TableScope], Maker]
FACTORIES: ByName[dict[type[Head], Factory]] = ByName(heads.__name__, heads.__path__, "MAKES")


def factories() -> dict[type[Head], Factory]:
    """Return the factory of each head."""
    return {head: factory for makes in FACTORIES.values() for head, factory in makes.items()}


def maker_of_head(field: Field, phrase: Phrase, table: TableScope) -> Maker:
    """Return the function that makes the values of a head."""
    head = type(phrase.head)
    name = module_of(head)
    return FACTORIES[name if name in FACTORIES else "ranged"][head](field, phrase, table)
