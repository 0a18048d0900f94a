"""Records whose given values are checked by the validator."""

from __future__ import annotations

from collections.abc import Mapping

from yurt.core.base.python_values import PythonValue
from yurt.core.given.ahead import RowsAhead
from yurt.core.given.apart import SIMPLE, is_right
from yurt.core.given.paths import by_field, put
from yurt.core.given.records import Records, Row, ValueFault
from yurt.core.given.values import tree_of
from yurt.core.model import DateTime, Record, Reference
from yurt.core.verify.of_records import RecordValidator

# The values that are kept as seen.
MOST = 10_000


class CheckedRecords:
    """Records in which a value that breaks the schema is a fault."""

    def __init__(self, records: Records) -> None:
        self.records = records
        self._validators: dict[str, RecordValidator] = {}
        # The values that are right by themselves, as far as they have been seen.
        self._right: set[tuple[str, str, str]] = set()

    @classmethod
    def of(cls, records: Records) -> CheckedRecords:
        """Return the checked form of records; the same one every time."""
        if not isinstance(records.checked, cls):
            records.checked = cls(records)
        return records.checked

    def rows(
        self, name: str, start: int, stop: int, values: Mapping[str, PythonValue], wanted: range | None = None
    ) -> list[Row]:  # fmt: skip
        """Return the rows `start` to `stop` (exclusive, counted from 0) with given values. Raises ValueFault."""
        sure = self._check_values(name, values)
        found = self.records.rows(name, start, stop, values, wanted=wanted)
        return found if sure else self._right_rows(name, found)

    def each(self, name: str, start: int, stop: int, values: Mapping[str, PythonValue]) -> dict[int, Row] | RowsAhead:
        """Return some of the rows by number, at least the first, each as if it alone had the given values. Raises
        ValueFault.
        """
        sure = self._check_values(name, values)
        found = self.records.each(name, start, stop, values)
        if not sure:
            found = found.all() if isinstance(found, RowsAhead) else found
            self._right_rows(name, list(found.values()))
        return found

    def _check_values(self, name: str, values: Mapping[str, PythonValue]) -> bool:
        """Refuse values that are wrong by themselves; return whether all are right by themselves, so that the engine
        makes the rest to fit them.
        """
        record = self.records.schema.records[name]
        given = by_field(record, values)
        self.records.check_types(record, given)
        self._check_alone(record, given)
        simple = all(isinstance(record.by_name[each].head, SIMPLE) for each in given)
        return simple and self._alone(record, given).keys() == given.keys()

    def _right_rows(self, name: str, rows: list[Row]) -> list[Row]:
        """Return rows in which nothing is wrong. Raises ValueFault."""
        for each in self._validator(name).broken([tree_of(row) for row in rows]):
            # What else is wrong follows from the given values.
            raise ValueFault(name, each.field, each.rule, each.value, each.expected)
        return rows

    def _check_alone(self, record: Record, given: Mapping[str, PythonValue]) -> None:
        """Refuse values that no other value of the record could make right, before any is drawn."""
        alone = {
            name: value for name, value in self._alone(record, given).items()
            if not is_right(record.by_name[name], value) and (record.name, name, repr(value)) not in self._right
        }  # fmt: skip
        if not alone or not self.records.count(record.name):
            return
        (row,) = self.records.rows(record.name, 0, 1)
        for name, value in alone.items():
            put(record, row, name, value)
        for each in self._validator(record.name).broken([tree_of(row)]):
            if each.field in alone:
                raise ValueFault(record.name, each.field, each.rule, each.value, each.expected)
        if len(self._right) < MOST:
            self._right |= {(record.name, name, repr(value)) for name, value in alone.items()}

    def _alone(self, record: Record, given: Mapping[str, PythonValue]) -> dict[str, PythonValue]:
        """Return the values that need no other ones to be right or wrong."""
        needs = self.records.schema.plan.needs
        return {
            name: value
            for name, value in given.items()
            if not needs[record.name, name] and not isinstance(record.by_name[name].head, Reference | DateTime)
        }

    def _validator(self, name: str) -> RecordValidator:
        if name not in self._validators:
            schema = self.records.schema
            self._validators[name] = RecordValidator(schema, schema.records[name], self.records.run(name).today)
        return self._validators[name]
