"""Validates files against a schema: each in blocks, referenced ones first.

Memory does not grow with the number of rows, except for values that must be compared with other rows: unique fields,
keys that others refer to, and fields that others read through references.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from datetime import date
from functools import partial
from typing import IO

import numpy as np

from yurt.core.base.data_classes import dataclass, field, replace
from yurt.core.base.labels import CASE, paths_of
from yurt.core.base.threads import in_order
from yurt.core.formats import FORMATS
from yurt.core.formats.common.format import Format
from yurt.core.formats.common.raw import Fault, Reading, lines_at
from yurt.core.model import Record, Reference, Schema
from yurt.core.model.plan import Plan
from yurt.core.planning.references import parents_first, referred_later
from yurt.core.verify.cross_row import CrossRowState
from yurt.core.verify.frame import Frame, Parents
from yurt.core.verify.known import OF_CASE, OF_TABLE, Known, members_read
from yurt.core.verify.labels import Label, labels_of
from yurt.core.verify.referred import Referred
from yurt.core.verify.rows_before import RowsBefore
from yurt.core.verify.validator import Validator
from yurt.core.verify.violation import Violation


@dataclass(frozen=True)
class Data:
    """A file with records of one type: its name for messages, how to open it, and its format (or the name of that)."""

    name: str
    open: Callable[[], IO[bytes]]
    format: str | Format

    @property
    def form(self) -> Format:
        """The format."""
        return FORMATS[self.format] if isinstance(self.format, str) else self.format


@dataclass
class Report:
    """The report on one file."""

    data: Data
    rows: int = 0
    faults: list[Fault] = field(default_factory=list)
    strangers: dict[str, str] = field(default_factory=dict)
    unjudged: dict[str, str] = field(default_factory=dict)
    labels: list[Label] = field(default_factory=list)
    # What could not be computed, with the reason, and in how many rows; and the number of rows with any of it.
    undone: dict[tuple[str, str], int] = field(default_factory=dict)
    unsure: int = 0
    # The number of bytes kept to compare rows with one another.
    kept: int = 0
    lines_of: Callable[[list[int]], dict[int, int]] = lambda rows: {}
    # Why a rule cannot be seen to be broken at a target; empty if it can.
    why_not: Callable[[str, str], str] = lambda target, rule: ""


def has_labels(data: Data, record: Record, case: str = CASE) -> bool:
    """Return whether the rows of a file have the labels of cases."""
    paths = paths_of(case)
    with data.open() as stream:
        source = data.form.reading(stream, record, paths)
        first = next(iter(map(source.block, source.pieces())), None)
        columns = first.columns if first is not None else {}
        return any(not columns[f"@{each}"].missing.all() for each in paths if f"@{each}" in columns)


class Verification:
    """One pass over some files."""

    def __init__(
        self, schema: Schema, data: dict[str, Data], today: date, whole: bool = True, workers: int = 0,
        safe: bool = False, case: str = CASE, children: str = "",
    ) -> None:  # fmt: skip
        """`data` is one file per record type; if not `whole`, rows may be missing from them; `safe` means that values
        must be in the safe ranges of their kinds. `case` is the record with the labels of cases. `children` is a record
        type of which each parent has its children in order nevertheless.
        """
        self.safe, self.case = safe, case
        self.schema, self.data, self.today, self.whole = schema, data, today, whole
        self.workers = workers or os.cpu_count() or 1
        # Called with every block of rows after its check.
        self.watch: Callable[[Record, Frame], None] = lambda record, frame: None
        self.plan: Plan = schema.plan
        self.order = parents_first(schema, list(data))
        self.later = referred_later(schema, self.order)
        self.known = Known(schema, set(data), whole, children=children, later=self.later)
        # Each enters the fields that its file shows in part, which others may read.
        for name, each in data.items():
            self._validator(schema.records[name], each)
        self.members = members_read(schema)
        self.parents: dict[str, Parents] = {}
        self.reports: dict[str, Report] = {}

    def run(self, progress: Callable[[int], None] = lambda rows: None) -> Iterator[Violation]:
        """Yield all violations; the reports are complete afterwards."""
        for name in self.order:
            yield from self._file(self.schema.records[name], self.data[name], progress)

    def _source(self, record: Record, data: Data, stream: IO[bytes]) -> Reading:
        return data.form.reading(stream, record, paths_of(self.case))

    def _file(self, record: Record, data: Data, progress: Callable[[int], None]) -> Iterator[Violation]:
        report = self.reports[record.name] = Report(data)
        validator = self._validator(record, data)
        report.why_not = validator.why_not
        with data.open() as stream:
            source = self._source(record, data, stream)
            referred = self._referred(record)
            kept = CrossRowState(record, referred)
            checked = partial(self._checked, source, validator)
            before = RowsBefore(record) if validator.late else None
            for _, (frame, violations) in in_order(checked, source.pieces(), self.workers):
                report.labels += labels_of(frame, report.rows, self.case)
                lost = list(validator.dangling(frame))
                late = validator.in_order(frame, before) if before is not None else ()
                for each in [*violations, *late, *lost]:
                    yield replace(each, rows=each.rows + report.rows)
                self._count(frame, report)
                self.watch(record, frame)
                kept.add(frame, report.rows)
                report.rows += frame.size
                progress(frame.size)
            places = lines_at(stream, [each.at for each in source.faults if each.at is not None])
            faults = (each if each.at is None else Fault(places[each.at], each.message) for each in source.faults)
            report.faults = sorted(faults, key=lambda each: each.line or 0)
            report.strangers = dict(source.strangers)
            report.unjudged = validator.unjudged | {
                f"{what}, in {rows:,} row{'s' * (rows > 1)}": why for (what, why), rows in report.undone.items()
            }
            report.kept = kept.size + (before.kept if before is not None else 0)
            if referred is not None:
                self.parents[record.name] = referred.parents()
            yield from kept.repeated()
            yield from kept.lost()
            yield from kept.too_many(self.parents, self.whole)
            report.lines_of = lambda rows: self._lines(record, data, rows)

    @staticmethod
    def _count(frame: Frame, report: Report) -> None:
        """Count the rows of a block in which something could not be computed."""
        for key, rows in frame.undone.items():
            report.undone[key] = report.undone.get(key, 0) + int(np.count_nonzero(rows))
        if frame.undone:
            report.unsure += int(np.count_nonzero(np.logical_or.reduce(list(frame.undone.values()))))

    def _validator(self, record: Record, data: Data) -> Validator:
        plain = not data.form.typed
        found = Validator(self.schema, record, self.plan, self.known, self.today, plain, self.safe)
        alone = OF_TABLE if not data.form.ordered else ""
        if found.late and (alone or has_labels(data, record, self.case)):
            known = Known(
                self.schema, set(self.data), alone=alone or OF_CASE, children=self.known.children, later=self.later
            )
            return Validator(self.schema, record, self.plan, known, self.today, plain, self.safe)
        return found

    def _checked(self, source: Reading, validator: Validator, piece: object) -> tuple[Frame, list[Violation]]:
        return validator.frame(source.block(piece), self.parents)

    def _lines(self, record: Record, data: Data, rows: list[int]) -> dict[int, int]:
        """Return the line on which each of some rows (counted from 0) begins, by reading the file again."""
        with data.open() as stream:
            source = self._source(record, data, stream)
            if source.lines_of is not None:
                return source.lines_of(stream, rows)
            found: dict[int, int] = {}
            first = 0
            for block in map(source.block, source.pieces()):
                inside = [row for row in rows if first <= row < first + block.size]
                found |= {row: int(block.lines[row - first]) for row in inside} if block.lines is not None else {}
                first += block.size
                if first > max(rows, default=0):
                    break
            return found

    def _referred(self, record: Record) -> Referred | None:
        """Return what collects the rows for the files in this pass that refer to this one by a known key."""
        if self.known.rows(record.name) or record.key is None:
            return None
        others = (self.schema.records[name] for name in self.data)
        if not any(
            isinstance(each.head, Reference) and each.head.record == record.name
            for one in others
            for each in one.fields
        ):
            return None
        return Referred(record, self.members[record.name], self.plan, self.known)
