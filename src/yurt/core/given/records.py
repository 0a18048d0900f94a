"""Records with given values: what depends on a given value follows, and what contradicts it is drawn again."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from copy import deepcopy

import numpy as np
import pyarrow as pa

from yurt.core.base.data_classes import dataclass, replace
from yurt.core.base.errors import UsageFault, YurtError
from yurt.core.base.python_values import PythonValue
from yurt.core.columns.column import Column
from yurt.core.engine.blocks import block
from yurt.core.engine.resolved import Resolved, Unmet
from yurt.core.engine.run import Run, RunOptions
from yurt.core.given.ahead import Ahead, RowsAhead, reads_rows_before
from yurt.core.given.apart import as_made, is_right, unread
from yurt.core.given.clock import on_clock
from yurt.core.given.following import draws_more, fields_of
from yurt.core.given.keys import KeyIndex
from yurt.core.given.lists import listed_values
from yurt.core.given.overrides import ATTEMPTS, Given, Parent
from yurt.core.given.paths import by_field, put
from yurt.core.given.schema import with_given
from yurt.core.given.values import Unfit, column_of, plain, shown
from yurt.core.model import Derived, Field, ListOf, Nested, Record, Reference, Schema
from yurt.core.model.expressions import Name, walk
from yurt.core.model.phrases import Ranged
from yurt.core.sampling.streams import Rows

# The draws of a record that may be invalid: what contradicts its values need not be avoided.
FEW = 20
Row = dict[str, PythonValue]


class ValueFault(YurtError):
    """A given value breaks the schema; `record`, `field`, `rule`, and `expected` say how."""

    def __init__(self, record: str, field: str, rule: str, value: str, expected: str, hint: str = "") -> None:
        self.record, self.field, self.rule, self.value, self.expected = record, field, rule, value, expected
        what = f"{record}.{field}" if field else record
        hint = hint or "`allow_invalid=True` makes the record nevertheless"
        super().__init__(f"{what}: {value} breaks the rule `{rule}`; expected {expected}; {hint}")


@dataclass
class _Prepared:
    """A run for given values in certain fields."""

    run: Run
    given: Given
    # The fields whose values are put into the finished record, since nothing can follow from them.
    late: frozenset[str]
    # The rows that are made ahead, where given values are all that changes.
    ahead: Ahead | None


class Records:
    """The records of a schema as Python values, in runs with the same options."""

    def __init__(self, schema: Schema, options: RunOptions | None = None) -> None:
        self.schema, self.options = schema, options or RunOptions()
        # Every run of these records has the same seed and day, also if the schema fixes neither.
        seed = self.options.seed if self.options.seed is not None else schema.seed
        self.options = replace(self.options, seed=schema.drawn_seed if seed is None else seed)
        self._runs: dict[str, Run] = {}
        self._wanted = range(0)
        # What checks these records, once somebody needs that.
        self.checked: object = None
        self._prepared: dict[tuple[str, frozenset[str], frozenset[str], int], _Prepared] = {}
        self._keys: dict[tuple[str, str], KeyIndex] = {}
        self._unread: dict[str, frozenset[str]] = {}

    def run(self, name: str) -> Run:
        """Return the run that makes the records of a type without given values."""
        if name not in self._runs:
            # Conditions that few draws meet are reported by the rows that do not meet them.
            self._runs[name] = Run(self.schema, self._options(name), only=name, unmeasured=name)
        return self._runs[name]

    def count(self, name: str) -> int:
        """Return the number of rows of a record type."""
        return self.run(name).table(name).count

    def unread(self, name: str) -> frozenset[str]:
        """Return the fields of a record type that nothing else in a record depends on."""
        if name not in self._unread:
            self._unread[name] = unread(self.schema, self.schema.records[name])
        return self._unread[name]

    def apart(self, name: str, values: Mapping[str, PythonValue]) -> dict[str, PythonValue] | None:
        """Return given values by field if they can be put into a finished record, because they are right by themselves
        and nothing depends on them; else None.
        """
        record = self.schema.records[name]
        given = by_field(record, values)
        if not given.keys() <= self.unread(name):
            return None
        if not all(is_right(record.by_name[each], value) for each, value in given.items()):
            return None
        return {each: as_made(record.by_name[each], value) for each, value in given.items()}

    def keys(self, name: str, target: str) -> KeyIndex:
        """Return the rows of a record type by their keys, as the records of another type see it."""
        if (name, target) not in self._keys:
            self._keys[name, target] = KeyIndex(self.run(name), target)
        return self._keys[name, target]

    def rows(
        self,
        name: str,
        start: int,
        stop: int,
        values: Mapping[str, PythonValue] | None = None,
        *,
        allow_invalid: bool = False,
        wanted: range | None = None,
    ) -> list[Row]:
        """Return the rows `start` to `stop` (exclusive, counted from 0) with given values.

        Rows that these read, such as those before them, have the values too if they are `wanted`: by default, the
        returned ones are.

        Raises ValueFault for a value of another type, or one that contradicts what no draw can change, unless
        `allow_invalid` is set. What the value is otherwise is up to the caller.
        """
        if not values:
            return _plain_rows(block(self.run(name), name, start, stop))
        record = self.schema.records[name]
        given = by_field(record, values)
        self._wanted = wanted if wanted is not None else range(start, stop)
        if allow_invalid:
            return self._invalid(record, given, start, stop)
        self.check_types(record, given)
        try:
            return self._made(record, given, start, stop, ATTEMPTS)
        except Unmet as fault:
            raise self._unmet(record, given, fault) from None

    def each(self, name: str, start: int, stop: int, values: Mapping[str, PythonValue]) -> dict[int, Row] | RowsAhead:
        """Return some of the rows by number, at least the first, each as if it alone had the given values: those that
        can be made together with it. Raises ValueFault as `rows` does.
        """
        record = self.schema.records[name]
        given = by_field(record, values)
        self.check_types(record, given)
        self._wanted = range(start, stop)
        try:
            prepared = self._prepared_for(record, given, ATTEMPTS)
            found = self._quickly(record, prepared, given, start, stop)
            if found is not None and start in found:
                return found
            prepared.given.wanted = range(start, start + 1)
            alone = self._whole(record, prepared, given, start, start + 1)[0]
            if found is None:
                return {start: alone}
            found.alone[start] = alone
            return found
        except Unmet as fault:
            raise self._unmet(record, given, fault) from None

    def following(self, name: str, values: Mapping[str, PythonValue], wanted: Sequence[str]) -> Row:
        """Return the fields of the first row that follow from given values, which may break the schema: all of the
        record but these fields and helpers.
        """
        record = self.schema.records[name]
        given = by_field(record, values)
        self._wanted = range(1)
        if not draws_more(self.schema, record, wanted):
            with suppress(YurtError):
                prepared = self._prepared_for(record, given, 0)
                if not prepared.late:
                    return fields_of(prepared.run.table(name), wanted)
        row = self._invalid(record, given, 0, 1)[0]
        return {record.by_name[each].title: row[record.by_name[each].title] for each in wanted}

    def _unmet(self, record: Record, given: dict[str, PythonValue], fault: Unmet) -> ValueFault:
        """Return the fault of values for which no draw meets a condition, with the fields that may be given as well."""
        read = next((each for each in fault.names if each in given), next(iter(given)))
        others = [each for each in fault.names if each in record.by_name and each not in given]
        listed = " and ".join(f"`{each}`" for each in others)
        hint = f"no draw out of {ATTEMPTS} fits; give {listed} as well" if others else ""
        own = fault.at >= len(record.always)
        rule = _rule_of(record.by_name[read], fault.names) if own else "always"
        return ValueFault(record.name, read, rule, shown(given[read]), fault.condition, hint)

    def _options(self, name: str) -> RunOptions:
        """Return the options of a run; a count is that of the record type, if it has one of its own."""
        per = self.schema.records[name].count.per
        if per is not None and self.options.count is not None:
            raise UsageFault(f"`{name}` is counted per `{per}`; ask for a count of `{per}`")
        return self.options

    def _made(
        self, record: Record, given: dict[str, PythonValue], start: int, stop: int, attempts: int
    ) -> list[Row]:  # fmt: skip
        """Return rows whose conditions hold after so many draws; with none, no condition has to hold."""
        prepared = self._prepared_for(record, given, attempts)
        if stop - start == 1:
            one = self._quickly(record, prepared, given, start, stop)
            if one is not None and start in one:
                return [one.pop(start)]
        return self._whole(record, prepared, given, start, stop)

    def _whole(
        self, record: Record, prepared: _Prepared, given: dict[str, PythonValue], start: int, stop: int
    ) -> list[Row]:  # fmt: skip
        """Return rows of which every field is made for these values."""
        found = _plain_rows(block(prepared.run, record.name, start, stop))
        return [self._with_late(record, prepared, row, given) for row in found]

    def _quickly(
        self, record: Record, prepared: _Prepared, given: dict[str, PythonValue], start: int, stop: int
    ) -> RowsAhead | None:  # fmt: skip
        """Return those of the rows that follow from rows made ahead."""
        found = prepared.ahead.rows(start, stop) if prepared.ahead is not None else None
        if found is not None:
            found.finish = lambda row: self._with_late(record, prepared, row, given)
        return found

    def _with_late(self, record: Record, prepared: _Prepared, row: Row, given: dict[str, PythonValue]) -> Row:
        for each in prepared.late:
            put(record, row, each, deepcopy(given[each]))
        return row

    def _prepared_for(self, record: Record, given: dict[str, PythonValue], attempts: int) -> _Prepared:
        """Return what makes rows with these values, after so many draws at most."""
        free = not attempts
        seed = self.options.seed if self.options.seed is not None else 0
        listed = listed_values(self.schema, record, given, seed)
        prepared = self._prepare(record, given, frozenset(listed), attempts)
        prepared.given.listed, prepared.given.wanted = listed, self._wanted
        for each, value in given.items():
            field = record.by_name[each]
            if each in prepared.late:
                continue
            if isinstance(field.head, Reference):
                prepared.given.parents[each] = self._parent(record, field, value, free)
            else:
                kind = self.schema.plan.types[record.name, each]
                prepared.given.columns[each] = column_of(on_clock(field, value), kind, self._list_type(record, field))
        return prepared

    def _prepare(
        self, record: Record, given: dict[str, PythonValue], listed: frozenset[str], attempts: int
    ) -> _Prepared:  # fmt: skip
        late = frozenset(each for each, value in given.items() if self._is_late(record, record.by_name[each], value))
        names = frozenset(given) - late | listed
        key = record.name, names, late, attempts
        if key not in self._prepared:
            references = frozenset(each for each in names if isinstance(record.by_name[each].head, Reference))
            schema = with_given(self.schema, record, names, self.count(record.name), free=not attempts)
            run_of = self.run(record.name)

            def plain_values(field: str, rows: Rows) -> Column:
                return Resolved(run_of.table(record.name), rows).field(field)

            own = Given(record.name, plain_values, references_given=references, attempts=attempts or 1)
            existing = {record.name: own}
            run = Run(schema, self._options(record.name), only=record.name, overrides=own, unmeasured=record.name,
                      existing=existing)  # fmt: skip
            alone = not references and not listed and attempts == ATTEMPTS and not in_a_tree(record)
            ahead = Ahead(run, run_of, run.schema.records[record.name], names) if alone else None
            self._prepared[key] = _Prepared(run, own, late, ahead)
        return self._prepared[key]

    def _is_late(self, record: Record, field: Field, value: PythonValue) -> bool:
        """Return whether nothing can follow from a value: nested records, and lists of them."""
        if record.list_around(field.name) is not None:
            whole = record.list_around(field.name)
            raise UsageFault(f"`{field.name}` is in the list `{whole}`; give the whole list")
        records = isinstance(field.head, ListOf) and field.head.of_records
        return isinstance(field.head, Nested) or records or not self._fits(record, field, value)

    def _fits(self, record: Record, field: Field, value: PythonValue) -> bool:
        if isinstance(field.head, Reference):
            return True
        try:
            kind = self.schema.plan.types[record.name, field.name]
            column_of(on_clock(field, value), kind, self._list_type(record, field))
        except Unfit:
            return False
        return True

    def _list_type(self, record: Record, field: Field) -> pa.DataType | None:
        """Return the Arrow type of a field that holds lists."""
        if self.schema.plan.types[record.name, field.name].name != "list":
            return None
        run = self.run(record.name)
        if not run.table(record.name).count:
            return None
        return Resolved(run.table(record.name), np.zeros(1, dtype=np.uint64)).field(field.name).arrow(1).type

    def _parent(self, record: Record, field: Field, value: PythonValue, free: bool) -> Parent | None:
        """Return the row that a given reference points to: by its key, or as a record."""
        assert isinstance(field.head, Reference)
        target = self.schema.records[field.head.record]
        if target.key is None:
            raise UsageFault(f"`{target.name}` has no key, so that `{field.name}` cannot be given")
        value = plain(value)
        if value is None:
            return None
        values = by_field(target, value) if isinstance(value, Mapping) else {target.key.name: value}
        if target.key.name not in values:
            raise UsageFault(f"`{field.name}` is a record of `{target.name}` without its key, `{target.key.name}`")
        key = values[target.key.name]
        row = self.keys(record.name, target.name).row(plain(key))
        if isinstance(value, Mapping) or (row is None and free):
            return Parent(row, {name: each for name, each in values.items() if self._fits_in(target, name, each)})
        if row is None:
            expected = f"the key of a row of `{target.name}`"
            raise ValueFault(record.name, field.name, "reference", shown(key), expected)
        return Parent(row, {})

    def _fits_in(self, record: Record, name: str, value: PythonValue) -> bool:
        return not isinstance(record.by_name[name].head, Nested | ListOf) and self._fits(
            record, record.by_name[name], value
        )

    def check_types(self, record: Record, given: dict[str, PythonValue]) -> None:
        """Refuse a value that is not of its field's type."""
        for name, value in given.items():
            field = record.by_name[name]
            if isinstance(field.head, Reference | Nested) or record.list_around(name) is not None:
                continue
            if isinstance(field.head, ListOf) and field.head.of_records:
                continue
            try:
                kind = self.schema.plan.types[record.name, name]
                column_of(on_clock(field, value), kind, self._list_type(record, field))
            except Unfit as fault:
                raise ValueFault(record.name, name, "type", shown(value), fault.expected) from None

    def _invalid(self, record: Record, given: dict[str, PythonValue], start: int, stop: int) -> list[Row]:
        """Return rows with values that may break the schema; the rest follows from them as far as it can."""
        try:
            return self._made(record, given, start, stop, FEW)
        except YurtError as fault:
            if isinstance(fault, UsageFault):
                raise
        try:
            return self._made(record, given, start, stop, 0)
        except YurtError as fault:
            if isinstance(fault, UsageFault):
                raise
        # Nothing follows from these values: they are put into records without them.
        found = self.rows(record.name, start, stop)
        for row in found:
            for name, value in given.items():
                put(record, row, name, _key_of(self.schema, record, name, value))
        return found


def reads_own_rows(record: Record) -> bool:
    """Return whether records of a type read other ones of it: running totals, previous values, trees."""
    return in_a_tree(record) or any(map(reads_rows_before, record.fields))


def in_a_tree(record: Record) -> bool:
    """Return whether records of a type refer to other ones of it."""
    return any(isinstance(each.head, Reference) and each.head.record == record.name for each in record.fields)


def _rule_of(field: Field, names: tuple[str, ...]) -> str:
    """Return the rule in a field's own line that needs certain fields."""
    if field.present_if is not None and {each.name for each in walk(field.present_if) if isinstance(each, Name)} & {
        *names
    }:
        return "condition"
    head = field.phrases[0].head
    return "value" if isinstance(head, Derived) else "range" if isinstance(head, Ranged) else "list"


def _key_of(schema: Schema, record: Record, name: str, value: PythonValue) -> PythonValue:
    """Return a value as it stands in a record: the key of a record that a reference points to."""
    head = record.by_name[name].head
    if not isinstance(head, Reference) or not isinstance(value, Mapping):
        return value
    key = schema.records[head.record].key
    return by_field(schema.records[head.record], value).get(key.name) if key is not None else None


def _plain_rows(batch: pa.RecordBatch) -> list[Row]:
    found: list[Row] = batch.to_pylist()
    return found
