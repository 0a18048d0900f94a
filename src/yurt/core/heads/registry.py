"""All heads, by their class and by the rules of the grammar. Each module is imported when its head is first used."""

from __future__ import annotations

from datetime import date
from functools import cache
from typing import Any

from yurt.core import heads
from yurt.core.base.by_name import ByName
from yurt.core.base.types import Type
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.head import HeadRule, NotUnique, TypeScope
from yurt.core.model import Field, Head, Phrase, Record, Schema

OTHERS = ("head", "ranged", "registry", "treatment")
Rule = HeadRule[Any]
# The rules of the heads by the names of their modules.
RULES: ByName[Rule] = ByName(heads.__name__, heads.__path__, "HEAD", without=OTHERS)
# The names of the modules whose heads have been used.
_USED: dict[type[Head], str] = {}


def rules() -> dict[type[Head], Rule]:
    """Return the rule of each head."""
    return {each.model: each for each in RULES.values()}


def module_of(head: type[Head]) -> str:
    """Return the name of the module of a head, with hyphens."""
    if head not in _USED:
        _USED.update((rule.model, name) for name, rule in RULES.items())
    return _USED[head]


def rule_of(head: Head) -> Rule:
    """Return the rule of a head."""
    return RULES[module_of(type(head))]


@cache
def _built_by(rule: str) -> Rule:
    """Return the rule of the head that a rule of the grammar stands for: it begins with the name of the module."""
    name = max((each for each in RULES if rule.replace("_", "-").startswith(each)), key=len)
    found = RULES[name]
    _USED[found.model] = name
    return found


def built(tree: Tree, builder: Builder) -> Head:
    """Return the head of a tree."""
    found: Head = _built_by(tree.data).build[tree.data](builder, tree)
    return found


def data_type(head: Head, scope: TypeScope, record: Record) -> Type | None:
    """Return the data type of a head's values, or None once a mistake in it has been noted."""
    return rule_of(head).data_type(head, scope, record)


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
    return rule_of(phrase.head).cardinality(phrase.head, phrase, today, schema)
