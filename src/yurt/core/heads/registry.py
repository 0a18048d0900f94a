"""All heads, by their class and by the rules of the grammar."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from functools import cache
from importlib import import_module
from pkgutil import iter_modules
from typing import Any

from yurt.core import heads
from yurt.core.base.types import Type
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.head import HeadRule, NotUnique, TypeScope
from yurt.core.model import Field, Head, Phrase, Record, Schema


@cache
def rules() -> dict[type[Head], HeadRule[Any]]:
    """Return the rule of each head."""
    modules = (import_module(f"{heads.__name__}.{each.name}") for each in iter_modules(heads.__path__))
    found = [module.HEAD for module in modules if hasattr(module, "HEAD")]
    return {each.model: each for each in found}


@cache
def _builders() -> dict[str, Callable[[Builder, Tree], Head]]:
    return {name: build for rule in rules().values() for name, build in rule.build.items()}


def built(tree: Tree, builder: Builder) -> Head:
    """Return the head of a tree."""
    return _builders()[str(tree.data)](builder, tree)


def data_type(head: Head, scope: TypeScope, record: Record) -> Type | None:
    """Return the data type of a head's values, or None once a mistake in it has been noted."""
    return rules()[type(head)].data_type(head, scope, record)


def cardinality(field: Field, today: date, schema: Schema) -> int:
    """Return the maximum number of different values of a unique field; raise NotUnique if it cannot be unique.

    A reference has as many values as there are parents, which only a run knows: it counts as ENDLESS here.
    """
    if field.head is None:
        raise NotUnique("a `when` table draws each row on its own; make the parts unique in a field of their own")
    phrase: Phrase = field.phrases[0]
    usually = phrase.usually
    if usually is not None and usually.name != "uniform":
        raise NotUnique(f"`usually {usually.name}` favours some values, and `unique` takes each at most once")
    if phrase.outliers or phrase.tracks:
        raise NotUnique("`outliers` and `tracks` favour some values, and `unique` takes each at most once")
    return rules()[type(phrase.head)].cardinality(phrase.head, phrase, today, schema)
