"""What is wrong with a record that somebody wants to write: its rules, its references, its unique values."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import date

from yurt.core.base.data_classes import dataclass, replace
from yurt.core.collections.collection import Collection, text_of_key, value_at
from yurt.core.collections.filters import Filter
from yurt.core.collections.state import Tree
from yurt.core.collections.within_lists import values_at
from yurt.core.formats.common.raw import NOTHING, written
from yurt.core.model import Field, Record, Reference, Schema
from yurt.core.verify.of_records import RecordValidator
from yurt.core.verify.referring import ReferringValidator

# The characters of a wrong value that are shown.
SHOWN = 200


@dataclass(frozen=True)
class Objection:
    """One reason why a record is not accepted: the path of the field, the rule, the value, and what was expected."""

    path: tuple[str, ...]
    rule: str
    value: str
    expected: str

    @property
    def sentence(self) -> str:
        """The reason in words."""
        where = ".".join(self.path) or "the record"
        return f"{where}: {self.value} breaks the rule `{self.rule}`; expected {self.expected}"


class Judge:
    """Judges records against a schema and all the records that are there."""

    def __init__(self, schema: Schema, collections: Mapping[str, Collection], today: date) -> None:
        self.schema, self.collections, self.today = schema, collections, today
        self._validators = {name: RecordValidator(schema, record, today) for name, record in schema.records.items()}
        # Made when they are first needed.
        self._referring: dict[str, ReferringValidator] = {}

    def not_checked(self, name: str) -> dict[str, str]:
        """Return the rules of a record type that cannot be checked, with the reasons."""
        return dict(self._with_targets(name).unjudged)

    def _with_targets(self, name: str) -> ReferringValidator:
        """Return what checks a record together with those that it refers to."""
        if name not in self._referring:
            self._referring[name] = ReferringValidator(self.schema, self.schema.records[name], self.today)
        return self._referring[name]

    def objections(self, name: str, tree: Tree, own: int | None) -> list[Objection]:
        """Return what is wrong with a record; `own` is the number of the one that it replaces."""
        record = self.schema.records[name]
        found = [
            Objection(
                tuple(each.split(".")), "unknown", written(value_at(tree, each.split("."))), near or "no such field"
            )
            for each, near in self._validators[name].strangers([tree]).items()
        ]
        found += self._references(record, tree)
        if not found:
            found += self._broken(record, tree)
        if not found:
            found += self._repeated(record, tree, own)
        return [each if len(each.value) <= SHOWN else replace(each, value=each.value[:SHOWN] + "…") for each in found]

    def _broken(self, record: Record, tree: Tree) -> Iterator[Objection]:
        """Yield the rules that a record breaks, together with the records that it refers to."""
        trees: dict[str, dict[str, Tree]] = {}
        self._collect(record, tree, trees)
        targets = {name: list(each.values()) for name, each in trees.items()}
        before = targets.pop(record.name, [])
        for each in self._with_targets(record.name).broken([*before, tree], targets):
            if each.row == len(before):
                path = record.titles(each.field) if each.field in record.by_name else ()
                yield Objection(path, each.rule, each.value, each.expected)

    def _collect(self, record: Record, tree: Tree, found: dict[str, dict[str, Tree]]) -> None:
        """Collect the records that a record refers to, and those that they refer to."""
        for field in _references(record):
            assert isinstance(field.head, Reference)
            collection, known = self.collections[field.head.record], found.setdefault(field.head.record, {})
            for value in values_at(tree, record.titles(field.name)):
                key = text_of_key(value)
                number = None if isinstance(value, dict | list | bool) else collection.number(key)
                if number is not None and key not in known:
                    known[key] = collection.tree(number)
                    self._collect(collection.record, known[key], found)

    def _references(self, record: Record, tree: Tree) -> Iterator[Objection]:
        """Yield references to records that are not there."""
        for field in _references(record):
            path = record.titles(field.name)
            assert isinstance(field.head, Reference)
            target = field.head.record
            for value in values_at(tree, path):
                if isinstance(value, dict | list | bool) or self.collections[target].number(text_of_key(value)) is None:
                    yield Objection(path, "reference", written(value), f"the key of a {target}")

    def _repeated(self, record: Record, tree: Tree, own: int | None) -> Iterator[Objection]:
        """Yield values that must not repeat and do. The key is looked up before."""
        collection = self.collections[record.name]
        groups = [(each.name,) for each in record.shown if each.never_repeats and each is not record.key]
        for group in (*groups, *record.unique):
            if any(record.by_name[name].helper or record.list_around(name) is not None for name in group):
                continue
            values = [value_at(tree, record.titles(name)) for name in group]
            if any(value is None or value is NOTHING for value in values):
                continue
            told = [Filter(name, (text_of_key(value),), exact=True) for name, value in zip(group, values, strict=True)]
            numbers, count = collection.select(told, (), 0, 2)
            if count and (own is None or count > 1 or int(numbers[0]) != own):
                path = record.titles(group[0]) if len(group) == 1 else ()
                shown = ", ".join(written(value) for value in values)
                yield Objection(path, "unique", shown, "a value that no other record has")


def _references(record: Record) -> list[Field]:
    return [each for each in record.shown if isinstance(each.head, Reference)]
