"""Records whose given values are checked by the validator."""

from __future__ import annotations

from collections.abc import Mapping

from yurt.core.base.python_values import PythonValue
from yurt.core.given.records import Records, Row, ValueFault
from yurt.core.given.values import tree_of
from yurt.core.verify.of_records import RecordValidator


class CheckedRecords:
    """Records in which a value that breaks the schema is a fault."""

    def __init__(self, records: Records) -> None:
        self.records = records
        self._validators: dict[str, RecordValidator] = {}

    @classmethod
    def of(cls, records: Records) -> CheckedRecords:
        """Return the checked form of records; the same one every time."""
        if not isinstance(records.checked, cls):
            records.checked = cls(records)
        return records.checked

    def rows(self, name: str, start: int, stop: int, values: Mapping[str, PythonValue]) -> list[Row]:
        """Return the rows `start` to `stop` (exclusive, counted from 0) with given values. Raises ValueFault."""
        found = self.records.rows(name, start, stop, values)
        for each in self._validator(name).broken([tree_of(row) for row in found]):
            # What else is wrong follows from the given values.
            raise ValueFault(name, each.field, each.rule, each.value, each.expected)
        return found

    def _validator(self, name: str) -> RecordValidator:
        if name not in self._validators:
            schema = self.records.schema
            self._validators[name] = RecordValidator(schema, schema.records[name], self.records.run(name).today)
        return self._validators[name]
