"""All collections of a schema, with the writes that keep its contract."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from threading import RLock

import numpy as np

from yurt.core.base.data_classes import replace
from yurt.core.base.errors import UsageFault, YurtError
from yurt.core.base.python_values import PythonValue
from yurt.core.collections.collection import Collection, text_of_key, value_at
from yurt.core.collections.filters import Filter
from yurt.core.collections.judging import Judge, Objection
from yurt.core.collections.rendered import Rendered
from yurt.core.collections.saving import Saved
from yurt.core.collections.state import Tree
from yurt.core.engine.run import Run, RunOptions
from yurt.core.formats.common.raw import Number
from yurt.core.given.records import Records
from yurt.core.given.values import python_of, tree_of
from yurt.core.model import Derived, Field, Record, Reference, Schema, Sequence, Uuid
from yurt.core.sampling.streams import stream

# Written records are not free, unlike generated ones.
MOST_WRITTEN = 100_000


# The objections that are told in a sentence.
TOLD = 20


class Refused(YurtError):
    """A write that the contract does not allow, with every objection."""

    def __init__(self, objections: list[Objection]) -> None:
        self.objections = objections
        more = f"; and {len(objections) - TOLD:,} more" if len(objections) > TOLD else ""
        super().__init__("; ".join(each.sentence for each in objections[:TOLD]) + more)


class Conflict(YurtError):
    """A write that contradicts the records that are there."""


class Library:
    """The collections of a schema. Reads and writes are one at a time, under `lock`."""

    def __init__(self, schema: Schema, options: RunOptions, saved: Path | None = None) -> None:
        # The records are plain JSON, whatever the settings of files are; runs write files.
        self.schema, self.of_files = replace(schema, output={}), schema
        seed = options.seed if options.seed is not None else schema.seed
        options = replace(options, seed=schema.drawn_seed if seed is None else seed)
        self.options = options
        self.run = Run(self.schema, options)
        self.records = Records(self.schema, options)
        rendered = Rendered()
        self.collections = {name: Collection(self.run, name, rendered) for name in self.schema.records}
        self.judge = Judge(self.schema, self.collections, self.run.today)
        self.lock = RLock()
        self.saved: Saved | None = None
        # What happened to written records of another schema.
        self.notes: list[str] = []
        if saved is not None:
            belongs = {"schema": schema.source.text, "seed": self.run.seed, "today": str(self.run.today)}
            belongs |= {"counts": {name: each.state.count for name, each in self.collections.items()}}
            self.saved = Saved(saved, belongs)
            self._load(self.saved)

    def _load(self, saved: Saved) -> None:
        if saved.changed:
            self._load_fitting(saved)
            return
        for name, number, tree in saved.rows():
            if tree is not None:
                self.collections[name].put(number, tree)
            elif number < self.collections[name].state.count:
                self.collections[name].remove(number)

    def _load_fitting(self, saved: Saved) -> None:
        """Keep what was written for another schema as far as it fits this one, and note the rest."""
        waiting = list(saved.rows())
        kept: list[tuple[str, int, Tree | None]] = []
        total, reasons = len(waiting), dict[tuple[str, int], str]()
        before = -1
        # A record may refer to another one that was written.
        while before != len(waiting):
            before, later = len(waiting), []
            for name, number, tree in waiting:
                told = self._misfit(name, number, tree, saved.counts.get(name, 0))
                if isinstance(told, int):
                    kept.append((name, told, tree))
                else:
                    later.append((name, number, tree))
                    reasons[name, number] = told
            waiting = later
        saved.replace(kept)
        note = f"{saved.path} was written for another schema: {saved.changed}; kept are {len(kept)} of {total} writes"
        left = [f"{name} {number + 1} ({reasons[name, number]})" for name, number, _ in waiting]
        more = f", and {len(left) - TOLD} more" if len(left) > TOLD else ""
        self.notes.append(note + (f"; left out are {'; '.join(left[:TOLD])}{more}" if left else ""))

    def _misfit(self, name: str, number: int, tree: Tree | None, count: int) -> int | str:
        """Put a record of another schema, in which `count` rows were generated: return its number, or why not."""
        collection = self.collections.get(name)
        if collection is None:
            return "there is no such record type"
        if tree is None:
            if count != collection.state.count or not collection.state.there(number):
                return "the deleted record is another one"
            collection.remove(number)
            return number
        own = collection.number(self._key_in(collection, tree)) if collection.record.key is not None else None
        if collection.record.key is None and number < count:
            own = number if number < collection.state.count else None
        if number >= count and own is not None:
            return "there is such a key"
        if found := self.judge.objections(name, tree, own):
            return found[0].sentence
        put = collection.state.next if own is None else own
        collection.put(put, tree)
        return put

    def close(self) -> None:
        """Close the file of written records."""
        if self.saved is not None:
            self.saved.close()

    # ---- relationships --------------------------------------------------------------------------------------------

    def children_of(self, name: str) -> dict[str, Field]:
        """Return the record types that refer to one, with the first field that does."""
        found: dict[str, Field] = {}
        for record in self.schema.records.values():
            for field in record.shown:
                refers = isinstance(field.head, Reference) and field.head.record == name
                if refers and record.list_around(field.name) is None:
                    found.setdefault(record.name, field)
        return found

    def _referring(self, name: str, key: str) -> Iterator[tuple[str, int]]:
        """Yield the record types with records that refer to a key, and how many they are."""
        for record in self.schema.records.values():
            collection = self.collections[record.name]
            for field in record.shown:
                if not isinstance(field.head, Reference) or field.head.record != name:
                    continue
                own = collection.children(field, key)
                told = Filter(field.name, (key,), exact=True)
                count = len(own) if own is not None else collection.select([told], (), 0, 1)[1]
                if count:
                    yield record.name, count

    # ---- writing --------------------------------------------------------------------------------------------------

    def create(self, name: str, body: Tree, key: str | None = None) -> int:
        """Add a record and return its number; what the schema makes itself may be left out.

        Raises Refused for a record that breaks the schema, and Conflict for a key that is taken.
        """
        collection = self.collections[name]
        if len(collection.state.written) >= MOST_WRITTEN:
            raise UsageFault(f"{MOST_WRITTEN:,} records of `{name}` have been written; no more are kept")
        tree = self._completed(collection, body)
        own = self._key_in(collection, tree)
        if key is not None and own != key:
            raise Refused([self._other_key(collection, own, key)])
        if collection.record.key is not None and own and collection.number(own) is not None:
            raise Conflict(f"there is a {name} with the key {own} already")
        if found := self.judge.objections(name, tree, None):
            raise Refused(found)
        number = collection.state.next
        self._put(collection, number, tree)
        return number

    def replace(self, name: str, number: int, body: Tree) -> None:
        """Replace a record. Raises Refused."""
        collection = self.collections[name]
        key = collection.key(number)
        tree = self._completed(collection, body, key)
        if collection.record.key is not None and self._key_in(collection, tree) != key:
            raise Refused([self._other_key(collection, self._key_in(collection, tree), key)])
        if found := self.judge.objections(name, tree, number):
            raise Refused(found)
        self._put(collection, number, tree)

    def merged(self, name: str, number: int, patch: Tree) -> Tree:
        """Return a record with a JSON merge patch (RFC 7396); what is derived is left out unless the patch has it."""
        collection = self.collections[name]
        tree: Tree = _merge(collection.tree(number), patch)
        for field in collection.record.shown:
            path = collection.record.titles(field.name)
            if isinstance(field.head, Derived) and len(path) == 1 and path[0] not in patch:
                tree.pop(path[0], None)
        return tree

    def delete(self, name: str, number: int) -> None:
        """Delete a record. Raises Conflict if others refer to it."""
        collection = self.collections[name]
        key = collection.key(number)
        if collection.record.key is not None:
            for child, count in self._referring(name, key):
                refer = "record refers" if count == 1 else "records refer"
                raise Conflict(f"{count:,} {child} {refer} to the {name} {key}; delete {child} records first")
        collection.remove(number)
        if self.saved is not None:
            self.saved.put(name, number, None)

    def _put(self, collection: Collection, number: int, tree: Tree) -> None:
        ordered = {title: tree[title] for title in _titles(collection.record) if title in tree}
        if self.saved is not None:
            self.saved.put(collection.name, number, ordered)
        collection.put(number, ordered)

    def _key_in(self, collection: Collection, tree: Tree) -> str:
        key = collection.record.key
        return text_of_key(value_at(tree, collection.record.titles(key.name))) if key is not None else ""

    def _other_key(self, collection: Collection, own: str, key: str) -> Objection:
        record = collection.record
        path = record.titles(record.key.name) if record.key is not None else ()
        return Objection(path, "key", own or "nothing", f"{key}, as in the path")

    def _completed(self, collection: Collection, body: Tree, key: str | None = None) -> Tree:
        """Return a record with what the schema makes itself: numbers, identifiers, and what follows from the rest."""
        record, tree = collection.record, dict(body)
        number = collection.state.next
        for field in record.shown:
            path = record.titles(field.name)
            if len(path) > 1 or path[0] in tree:
                continue
            if field is record.key and key is not None:
                tree[path[0]] = _as_typed(field, key)
            elif isinstance(field.head, Sequence):
                tree[path[0]] = tree_of(field.head.start + field.head.step * number)
            elif isinstance(field.head, Uuid) and field.head.version == 4:
                tree[path[0]] = self._uuid(record, field, number)
        derived = [each for each in record.shown if isinstance(each.head, Derived) and "." not in each.name]
        missing = [each for each in derived if each.title not in tree]
        if missing and collection.state.count:
            tree |= self._derived(collection, tree, missing)
        return tree

    def _derived(self, collection: Collection, tree: Tree, missing: list[Field]) -> Tree:
        """Return the values that follow from a record; nothing if it is too wrong for that."""
        record = collection.record
        given = {
            each.title: tree.get(each.title)
            for each in record.shown
            if "." not in each.name and each not in missing and not isinstance(each.head, Derived)
        }
        try:
            made = self.records.following(record.name, python_of(given), [each.name for each in missing])
        except YurtError:
            return {}
        return {title: tree_of(value) for title, value in made.items()}

    def _uuid(self, record: Record, field: Field, number: int) -> str:
        source = stream(self.run.seed, record.name, field.name, "written")
        bits = "".join(
            f"{int(source.unit(np.array([number * 4 + at], dtype=np.uint64))[0] * 2**32):08x}" for at in range(4)
        )
        return f"{bits[:8]}-{bits[8:12]}-4{bits[13:16]}-{'89ab'[int(bits[16], 16) % 4]}{bits[17:20]}-{bits[20:]}"


def _titles(record: Record) -> list[str]:
    return [each.title for each in record.shown if not each.parent]


def _as_typed(field: Field, key: str) -> PythonValue:
    """Return a key of a path as the value of its field."""
    return Number(key) if isinstance(field.head, Sequence) else key


def _merge(target: PythonValue, patch: PythonValue) -> PythonValue:
    """Return a value with a merge patch."""
    if not isinstance(patch, dict):
        return patch
    found = dict(target) if isinstance(target, dict) else {}
    for name, value in patch.items():
        if value is None:
            found[name] = None
        else:
            found[name] = _merge(found.get(name), value)
    return found
