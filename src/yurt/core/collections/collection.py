"""The records of one type: pages of them, one by its key, filters, and what changes them."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterable, Sequence
from threading import Lock
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import strings, word
from yurt.core.base.errors import UsageFault
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.python_values import PythonValue
from yurt.core.base.types import TEXT, Type, list_of_type
from yurt.core.collections.filters import Filter, containing, equal, matching, of_list
from yurt.core.collections.rendered import ROWS, Rendered, texts_of
from yurt.core.collections.state import State, Tree
from yurt.core.collections.within_lists import LISTS, outermost_list, texts_within, values_at
from yurt.core.columns.writers import written as as_shown
from yurt.core.engine.resolved import Resolved
from yurt.core.engine.run import BLOCK, Run
from yurt.core.engine.structs import titles
from yurt.core.formats import text_format
from yurt.core.formats.common.format import TextFormat
from yurt.core.formats.common.raw import NOTHING, Cell, Value, of_values, written
from yurt.core.formats.json.reading import DECODER
from yurt.core.given.keys import KeyIndex
from yurt.core.model import DateTime, Field, ListOf, Reference
from yurt.core.model import Sequence as Numbered
from yurt.core.text.forms import text_of
from yurt.core.verify.typed import typed

Numbers = NDArray[np.int64]
# Larger collections are not searched or sorted.
SEARCHED = 5_000_000
# The format of records as trees.
LINES = "jsonl"
KEPT_COLUMNS, KEPT_SELECTIONS = 32, 64
# The name of the filter that looks at all texts of a record.
ANYWHERE = "*"


class TooLarge(UsageFault):
    """A collection has too many records to be searched or sorted."""


class Collection:
    """The records of a type. The caller sees to it that nobody reads while somebody writes."""

    def __init__(self, run: Run, name: str, rendered: Rendered) -> None:
        self.run, self.name, self.rendered = run, name, rendered
        self.record = run.schema.records[name]
        self.state = State(run.table(name).count)
        self.keys = KeyIndex(run, name)
        self._parents: KeyIndex | None = None
        self._by_key: dict[str, int] = {}
        self._columns: OrderedDict[str, pa.ChunkedArray] = OrderedDict()
        self._selections: OrderedDict[Any, Numbers] = OrderedDict()
        self._making = Lock()

    # ---- reading --------------------------------------------------------------------------------------------------

    def number(self, key: str) -> int | None:
        """Return the number of the record with a key; None if there is none."""
        if (found := self._by_key.get(key)) is not None:
            return found
        if self.record.key is None:
            row = int(key) - 1 if key.isdecimal() and len(key) < 19 and not key.startswith("0") else None
        else:
            if not isinstance(self.record.key.head, Numbered) and self.state.count > SEARCHED:
                raise TooLarge(f"`{self.name}` has {self.state.count:,} records, whose keys are not in order")
            row = self.keys.row(key)
        if row is None or not self.state.there(row) or (self.record.key is None and row >= self.state.next):
            return None
        return row

    def ready(self, form: TextFormat, start: int, stop: int) -> bool:
        """Return whether the records at some positions can be told at once: nothing has to be generated."""
        if self.state.version or start > self.state.count:
            return False
        blocks = range(start // ROWS, (min(stop, self.state.count) - 1) // ROWS + 1)
        return all(self.rendered.has(self.name, form, (), each) for each in blocks)

    def has_key(self, key: str, form: TextFormat) -> bool:
        """Return whether the record with a key can be told at once."""
        if not self.keys.ready:
            return False
        number = self.number(key)
        return number is None or number in self.state.written or self.rendered.has(self.name, form, (), number // ROWS)

    def key(self, number: int) -> str:
        """Return the key of a record as a text."""
        if self.record.key is None:
            return str(number + 1)
        if number in self.state.written:
            return text_of_key(value_at(self.state.written[number], self.record.titles(self.record.key.name)))
        rows = np.array([number], dtype=np.uint64)
        found = Resolved(self.run.table(self.name), rows).field(self.record.key.name)
        return str(found.text(1)[0].as_py())

    def tree(self, number: int) -> Tree:
        """Return a record as a tree of values."""
        if number in self.state.written:
            return self.state.written[number]
        form = text_format(LINES)
        found: Tree = DECODER.decode(self.texts(form, [number])[0].decode())
        return found

    def texts(self, form: TextFormat, numbers: Iterable[int], fields: tuple[str, ...] = ()) -> list[bytes]:
        """Return records as texts of a format, with some columns only if `fields` names them."""
        found: list[bytes] = []
        at, block = -1, []
        for number in numbers:
            if number in self.state.written:
                found.append(self._written_text(form, self.state.written[number], fields))
                continue
            if number // ROWS != at:
                at = number // ROWS
                block = self.rendered.texts(self.run, self.name, form, fields, at)
            found.append(block[number % ROWS])
        return found

    def titles(self, form: TextFormat) -> list[str]:
        """Return the columns of a format."""
        return titles(self.record, nests=form.nests)

    def select(self, filters: Sequence[Filter], sort: Sequence[str], start: int, stop: int) -> tuple[Numbers, int]:
        """Return the numbers of records at some positions, of those that match, and how many match.

        `sort` are fields, with a hyphen in front for the descending order. Raises UsageFault for unknown fields.
        """
        if not filters and not sort:
            return self.state.numbers(start, stop), self.state.total
        key = (tuple(filters), tuple(sort))
        if key not in self._selections:
            if len(self._selections) >= KEPT_SELECTIONS:
                self._selections.popitem(last=False)
            self._selections[key] = self._selected(filters, sort)
        found = self._selections[key]
        return found[start:stop], len(found)

    def children(self, field: Field, key: str) -> Numbers | None:
        """Return the numbers of the records whose reference has a key; None if only a search can tell."""
        table = self.run.table(self.name)
        if table.family is None or field is not self.record.parent_field:
            return None
        assert isinstance(field.head, Reference)
        parent = self._parent_row(field.head.record, key)
        path = self.record.titles(field.name)
        more = [number for number, tree in self.state.written.items() if text_of_key(value_at(tree, path)) == key]
        own: list[int] = []
        if parent is not None:
            rows = range(table.family.of_first(parent), table.family.of_first(parent + 1))
            own = [row for row in rows if row not in self.state.written and self.state.there(row)]
        return np.array(sorted([*own, *more]), dtype=np.int64)

    def _parent_row(self, name: str, key: str) -> int | None:
        if self._parents is None:
            self._parents = KeyIndex(self.run, name)
        return self._parents.row(key)

    def prepare(self, filters: Sequence[Filter], sort: Sequence[str]) -> None:
        """Generate the columns that a search needs. The written records do not matter for that."""
        if self.state.count > SEARCHED:
            return
        for told in (*(each.field for each in filters), *(each.removeprefix("-") for each in sort)):
            for field in self._texts() if told == ANYWHERE else (self.field(told),):
                self._whole(field)

    # ---- writing --------------------------------------------------------------------------------------------------

    def put(self, number: int, tree: Tree) -> None:
        """Write a record."""
        self.state.put(number, tree)
        self._by_key[self.key(number)] = number
        self._selections.clear()

    def remove(self, number: int) -> None:
        """Delete a record."""
        self._by_key.pop(self.key(number), None)
        self.state.remove(number)
        self._selections.clear()

    # ---- searching ------------------------------------------------------------------------------------------------

    def field(self, told: str) -> Field:
        """Return a field by its name or title. Raises UsageFault."""
        for each in self.record.shown:
            if told in (each.name, self.record.column(each.name)):
                return each
        known = [self.record.column(each.name) for each in self.record.shown]
        raise UsageFault(
            f"`{self.name}` has no field `{told}`; {did_you_mean(told, known) or 'it has ' + ', '.join(known)}"
        )

    def _selected(self, filters: Sequence[Filter], sort: Sequence[str]) -> Numbers:
        if self.state.count > SEARCHED:
            raise TooLarge(f"`{self.name}` has {self.state.count:,} records; more than {SEARCHED:,} are not searched")
        mask: PythonValue = None
        overlay = sorted(self.state.written)
        for each in filters:
            if each.field == ANYWHERE:
                found = self._anywhere(each.told, overlay)
                mask = found if mask is None else pc.and_(mask, found)
                continue
            field = self.field(each.field)
            if each.exact and self._kind(field).name == "list":
                (told,) = each.told
                found = of_list(equal(word(told)), told)(self._column(field, overlay))
            elif each.exact:
                column = self._column(field, overlay)
                found = equal(pc.cast(self._values(field, [Cell(told) for told in each.told]), column.type)[0])(column)
            else:
                test = matching(field, self._kind(field), each.told)
                found = test(self._column(field, overlay))
            mask = found if mask is None else pc.and_(mask, found)
        live = self._live(overlay)
        mask = live if mask is None else pc.and_(mask, live)
        names = [(each.removeprefix("-"), "descending" if each.startswith("-") else "ascending") for each in sort]
        numbers = pa.array(np.concatenate([np.arange(self.state.count), np.array(overlay, dtype=np.int64)]))
        columns = [numbers, *(self._column(self._sortable(name), overlay) for name, _ in names)]
        keys = [f"key_{at}" for at in range(len(names))]
        table = pa.table(columns, names=["number", *keys]).filter(mask)
        order = [*((key, how) for key, (_, how) in zip(keys, names, strict=True)), ("number", "ascending")]
        found_rows: Numbers = table.sort_by(order)["number"].to_numpy()
        return found_rows

    def _texts(self) -> list[Field]:
        """Return the fields that hold a text."""
        types = self.run.plan.types
        return [
            each for each in self.record.shown
            if types[self.name, each.name] == TEXT and self.record.list_around(each.name) is None
        ]  # fmt: skip

    def _anywhere(self, told: tuple[str, ...], overlay: list[int]) -> pa.ChunkedArray:
        """Return which records have one of these texts in one of their fields."""
        found = pa.chunked_array([pa.array(np.zeros(self.state.count + len(overlay), dtype=np.bool_))])
        for field in self._texts():
            column = self._column(field, overlay)
            for each in told:
                found = pc.or_(found, containing(each)(column))
        return found

    def _sortable(self, told: str) -> Field:
        field = self.field(told)
        kind = self._kind(field)
        if kind.name in ("list", "nested", "boolean"):
            raise UsageFault(f"`{told}` is a {kind.name}, which has no order; sort by a number, a text, or a date")
        return field

    def _live(self, overlay: list[int]) -> pa.ChunkedArray:
        """Return which rows are there: not deleted, and each written one once."""
        live = np.ones(self.state.count + len(overlay), dtype=np.bool_)
        live[self.state.deleted] = False
        live[[number for number in overlay if number < self.state.count]] = False
        return pa.chunked_array([pa.array(live)])

    def _column(self, field: Field, overlay: list[int]) -> pa.ChunkedArray:
        """Return the values of all generated rows, then those of the written ones."""
        found = self._whole(field)
        if not overlay:
            return found
        extra = self._values(field, [self._written(field, number) for number in overlay])
        return pa.chunked_array([*found.chunks, pc.cast(extra, found.type)], found.type)

    def _written(self, field: Field, number: int) -> Value:
        """Return the value of a written record; all values of a field in a list of records."""
        tree, path = self.state.written[number], self.record.titles(field.name)
        return value_at(tree, path) if self.record.list_around(field.name) is None else list(values_at(tree, path))

    def _kind(self, field: Field) -> Type:
        """Return the type of a field; a field in a list of records has a list of values."""
        kind = self.run.plan.types[self.name, field.name]
        return kind if self.record.list_around(field.name) is None else list_of_type(kind)

    def _values(self, field: Field, values: list[Value]) -> pa.Array:
        """Return values of a field in its type."""
        kind = self._kind(field)
        if kind.name == "list":
            lists = [[text_of_key(one) for one in each] if isinstance(each, list) else None for each in values]
            return pa.array(lists, LISTS)
        zoned = isinstance(field.head, DateTime) and field.head.zone is not None
        return typed(of_values(values), kind, zoned).column.arrow(len(values))

    def _whole(self, field: Field) -> pa.ChunkedArray:
        """Return the values of all generated rows, which are kept."""
        with self._making:
            if field.name not in self._columns:
                if len(self._columns) >= KEPT_COLUMNS:
                    self._columns.popitem(last=False)
                self._columns[field.name] = self._generated(field)
            return self._columns[field.name]

    def _generated(self, field: Field) -> pa.ChunkedArray:
        table, parts = self.run.table(self.name), []
        kind, outer = self._kind(field), outermost_list(self.record, field.name)
        if kind.name == "nested" or (isinstance(field.head, ListOf) and field.head.of_records):
            return pa.chunked_array([pa.nulls(self.state.count)])
        for start in range(0, self.state.count, BLOCK):
            rows = np.arange(start, min(start + BLOCK, self.state.count), dtype=np.uint64)
            column = Resolved(table, rows).field(outer or field.name)
            if outer is not None:
                path = self.record.titles(field.name)[len(self.record.titles(outer)) :]
                parts.append(texts_within(column.arrow(len(rows)), path))
                continue
            if kind.name == "list":
                parts.append(_as_texts(column.arrow(len(rows))))
                continue
            parts.append(column.text(len(rows)) if kind == TEXT else column.arrow(len(rows)))
        return pa.chunked_array(parts or [self._values(field, [])])

    # ---- written records as texts ---------------------------------------------------------------------------------

    def _written_text(self, form: TextFormat, tree: Tree, fields: tuple[str, ...]) -> bytes:
        columns, names = [], []
        for title in fields or tuple(self.titles(form)):
            value = value_at(tree, tuple(title.split(".")) if not form.nests else (title,))
            told = self._token(form, title, value)
            columns.append(pa.array([told], pa.large_string()))
            names.append(title)
        return texts_of(form, self.name, pa.RecordBatch.from_arrays(columns, names=names))[0]

    def _token(self, form: TextFormat, title: str, value: Value) -> str | None:
        """Return a value as it is in a file: in the form of `as`, if the format has that."""
        field = next((each for each in self.record.shown if self.record.column(each.name) == title), None)
        if field is not None and field.shown is not None and not form.typed and not field.shown.always:
            kind = self.run.plan.types[self.name, field.name]
            column = typed(of_values([value]), kind).column
            value = as_shown(column, field.shown.pattern, 1)[0].as_py()
            return None if value is None else form.token(strings([value])[0].as_py())
        return form.token(None if value is NOTHING else value)


def _as_texts(lists: pa.Array) -> pa.Array:
    """Return lists of texts for lists of values."""
    texts = pc.cast(text_of(pc.list_flatten(lists)), pa.string())
    lengths = pc.fill_null(pc.list_value_length(lists), 0).to_numpy(zero_copy_only=False)
    ends = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int32)
    return pa.ListArray.from_arrays(pa.array(ends), texts, mask=pc.is_null(lists))


def value_at(tree: PythonValue, path: Sequence[str]) -> Value:
    """Return a value in a tree; NOTHING if it is not there."""
    for step in path:
        tree = tree.get(step, NOTHING) if isinstance(tree, dict) else NOTHING
    return tree


def text_of_key(value: Value) -> str:
    """Return a key in a tree as a text."""
    return value if isinstance(value, str) else written(value) if value is not NOTHING else ""
