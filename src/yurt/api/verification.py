"""Validates records in memory and in files; violations are objects."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any

import pyarrow

from yurt.api.arguments import check_record_type, check_schema, check_whole
from yurt.api.data_files import as_a_whole, data_files
from yurt.core.base.errors import UsageFault
from yurt.core.base.nearest import no_record_type
from yurt.core.formats import FILE_FORMATS
from yurt.core.given.values import tree_of
from yurt.core.model import Schema
from yurt.core.reports.verification import text_of
from yurt.core.verify.of_records import data_of
from yurt.core.verify.summary import Summary, summed_up
from yurt.core.verify.verification import Data, Verification
from yurt.core.writing.output import Output

# The violations of each rule and field that are returned as objects; all are counted.
LIMIT = 1000
TOLD = 3


@dataclass(frozen=True, slots=True)
class Violation:
    """One value that breaks a rule: its record type, field, and row (from 1), and what was expected."""

    record_type: str
    field: str
    rule: str
    row: int
    value: str
    expected: str

    def __str__(self) -> str:
        place = f"{self.record_type}.{self.field}, row {self.row}"
        return f"{place}: {self.value} breaks `{self.rule}`; expected {self.expected}"


class Verified:
    """The result of `verify`: true if records were checked and nothing is wrong; as text, the report of `yurt verify`.

    `violations` are the violations, at most `limit` of each rule and field; `count` is the number of all.
    """

    def __init__(self, summary: Summary) -> None:
        self._summary = summary
        self.violations = [
            Violation(each.record, each.field, each.rule, one.row + 1, one.value, one.expected)
            for each in summary.groups
            for one in each.examples
        ]

    def __bool__(self) -> bool:
        return self.clean and self.rows > 0

    def __str__(self) -> str:
        for group in self._summary.groups:
            del group.examples[TOLD:]
        return text_of(self._summary)

    def __repr__(self) -> str:
        return f"<Verified: {self.rows} rows, {self.count} violations>"

    @property
    def clean(self) -> bool:
        """Whether there are no violations, and no faults of files."""
        return self._summary.clean

    @property
    def rows(self) -> int:
        """The number of records that were checked."""
        return sum(each.rows for each in self._summary.reports)

    @property
    def count(self) -> int:
        """The number of violations."""
        return sum(each.count for each in self._summary.groups)

    @property
    def faults(self) -> list[str]:
        """The faults of files themselves, such as a line that is cut off."""
        return [f"{report.name}: {each.message}" for report in self._summary.reports for each in report.faults]

    @property
    def not_checked(self) -> dict[str, str]:
        """What no check could cover, with the reasons."""
        return dict(self._summary.unjudged)

    @property
    def unknown_fields(self) -> dict[str, list[str]]:
        """The names that the schema has no field for, by record type."""
        return {each.record: list(each.strangers) for each in self._summary.reports if each.strangers}


def verify(
    schema: Schema,
    data: Any,
    record_type: str | None = None,
    *,
    partial: bool | None = None,
    safe: bool = False,
    format: str | None = None,  # noqa: A002
    today: date | None = None,
    limit: int = LIMIT,
) -> Verified:
    """Validate records against a schema; the result is true if there are records and nothing is wrong.

    `data` is a record (a dict), a list of records, an Arrow table, a pandas data frame, the path of a file or folder or
    the URL of a database, or a dict of these by record type. `record_type` is needed unless the schema has only one, or
    the data say it. `partial` means that rows may be missing: the default for dicts, but not for tables and files.
    `safe` requires values from the safe ranges. At most `limit` violations of each rule and field are returned.

    >>> schema = read_text("{yurt: 1, seed: 1, records: {hut: {count: 9, fields: {beds: 'integer 8..140'}}}}")
    >>> [str(each) for each in verify(schema, {"beds": 7}).violations]
    ['hut.beds, row 1: 7 breaks `range`; expected 8..140']
    """
    check_schema(schema)
    if record_type is not None:
        check_record_type(schema, record_type)
    check_whole("limit", limit)
    if format is not None and format not in FILE_FORMATS:
        raise UsageFault(f"there is no format `{format}`: {', '.join(FILE_FORMATS)}")
    output = Output(schema, ())
    found = _all_data(schema, data, record_type, output, format)
    whole = all(each.form.name != "records" for each in found.values()) if partial is None else not partial
    read = output.dressed({name: each.form.name for name, each in found.items() if each.form.name != "records"})
    checked = Verification(read, found, today or schema.today or date.today(), whole, safe=safe)
    everything = isinstance(data, str | Path) and as_a_whole((str(data),)) and record_type is None
    return Verified(summed_up(checked, limit, lambda rows: None, everything))


def assert_valid(
    data: Any,
    schema: Schema,
    record_type: str | None = None,
    *,
    partial: bool | None = None,
    safe: bool = False,
    today: date | None = None,
) -> None:
    """Fail with the report of `yurt verify` unless all records are valid. The arguments are those of `verify`.

    Data without any records fail as well, and so does a record with fields that the schema does not have.

    >>> schema = read_text("{yurt: 1, seed: 1, records: {hut: {count: 9, fields: {beds: 'integer 8..140'}}}}")
    >>> assert_valid([{"beds": 12}, {"beds": 7}], schema)
    Traceback (most recent call last):
    AssertionError: records: 2 hut rows, 1 violation
    ...
    """
    __tracebackhide__ = True
    if isinstance(data, Schema):
        raise UsageFault("the data come first: yurt.assert_valid(data, schema, record_type)")
    found = verify(schema, data, record_type, partial=partial, safe=safe, today=today)
    if not found.clean:
        raise AssertionError(str(found))
    if not found.rows:
        raise AssertionError(f"there are no records to check\n{found}")
    if found.unknown_fields:
        raise AssertionError(str(found))


def _all_data(schema: Schema, data: Any, record_type: str | None, output: Output, kind: str | None) -> dict[str, Data]:
    """Return the data by record type. Raises UsageFault for what can be no data, or of no known record type."""
    if isinstance(data, str | Path):
        told = f"{record_type}={data}" if record_type else str(data)
        return data_files((told,), output, kind)
    if isinstance(data, Mapping) and record_type is None and data and set(data) <= set(schema.records):
        found: dict[str, Data] = {}
        for name, each in data.items():
            found |= _all_data(schema, each, str(name), output, kind)
        return found
    if record_type is None:
        if len(schema.records) > 1:
            raise UsageFault(f"which record type is it? Name one of {', '.join(schema.records)}")
        record_type = next(iter(schema.records))
    if record_type not in schema.records:
        raise UsageFault(no_record_type(record_type, schema.records))
    if isinstance(data, Mapping):
        return {record_type: data_of([tree_of(data)])}
    if hasattr(data, "iloc") and hasattr(data, "columns"):
        data = pyarrow.Table.from_pandas(data, preserve_index=False)
    if isinstance(data, pyarrow.RecordBatch):
        data = pyarrow.Table.from_batches([data])
    if isinstance(data, pyarrow.Table):
        return {record_type: _of_table(data, output.format("arrow", record_type))}
    if isinstance(data, Sequence) or hasattr(data, "__iter__"):
        rows = [_record(each, at) for at, each in enumerate(data, 1)]
        return {record_type: data_of(rows)}
    raise UsageFault(
        f"{type(data).__name__} is no data; give a dict, a list of dicts, an Arrow table, a data frame, or a path"
    )


def _record(value: Any, number: int) -> Any:
    if not isinstance(value, Mapping):
        raise UsageFault(f"record {number} is {type(value).__name__}, not a dict")
    return tree_of(value)


def _of_table(table: pyarrow.Table, form: Any) -> Data:
    """Return an Arrow table as a file in memory."""
    out = io.BytesIO()
    with pyarrow.ipc.new_file(out, table.schema) as writer:
        writer.write_table(table)
    whole = out.getvalue()
    return Data("table", lambda: io.BytesIO(whole), form)
