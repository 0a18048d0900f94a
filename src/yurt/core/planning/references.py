"""The order of record types by their references."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from yurt.core.model import Reference, Schema


def referenced_first(schema: Schema, names: Iterable[str]) -> list[str]:
    """Return record types and all that they refer to, each after those that it refers to, as far as there is such an
    order: record types may refer to each other.
    """
    order: list[str] = []

    def add(name: str, above: tuple[str, ...]) -> None:
        if name in order or name in above:
            return
        for target in _targets(schema, name):
            add(target, (*above, name))
        order.append(name)

    for name in names:
        add(name, ())
    return order


def parents_first(schema: Schema, names: Sequence[str]) -> list[str]:
    """Return record types in an order in which each comes after those that it refers to."""
    return [each for each in referenced_first(schema, names) if each in names]


def referred_later(schema: Schema, order: Sequence[str]) -> set[tuple[str, str]]:
    """Return the pairs of record types of which the first refers to the second, and comes before it in an order."""
    pairs = ((name, target) for name in order for target in _targets(schema, name) if target in order)
    return {(name, target) for name, target in pairs if order.index(name) < order.index(target)}


def _targets(schema: Schema, name: str) -> list[str]:
    """Return the other record types that one refers to."""
    heads = (each.head for each in schema.records[name].fields)
    return [each.record for each in heads if isinstance(each, Reference) and each.record != name]
