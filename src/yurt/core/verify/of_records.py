"""Validates records that are in memory, as trees of values, like those of a file."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from datetime import date
from typing import IO

from yurt.core.base.data_classes import dataclass
from yurt.core.formats.common.format import Format
from yurt.core.formats.common.raw import Block, Reading, Value
from yurt.core.formats.common.tree import blocks, columns_of, layout_of, with_labels
from yurt.core.model import Record, Schema
from yurt.core.verify.known import Known
from yurt.core.verify.validator import Validator
from yurt.core.verify.verification import Data

ROWS = 1 << 14
NAME = "records"


@dataclass(frozen=True)
class Broken:
    """One value that breaks a rule: its row (from 0), its field, and what was expected."""

    row: int
    field: str
    rule: str
    value: str
    expected: str


def data_of(rows: Sequence[Value], name: str = NAME) -> Data:
    """Return records as data that can be verified; `name` is shown in messages."""

    def read(stream: IO[bytes], record: Record, labels: tuple[str, ...]) -> Reading:
        layout = with_labels(layout_of(record), labels)
        # A line is the number of a record.
        numbered = [(number, row) for number, row in enumerate(rows, 1)]
        source = Reading(lambda: blocks(numbered, layout, source, ROWS), lines_of=lambda stream, rows: {})
        return source

    form = Format(name=NAME, suffixes=(), meaning="records in memory", read=read, typed=True, nests=True)
    return Data(name, io.BytesIO, form)


class RecordValidator:
    """Checks single records of one type quickly: the rules about a record alone, not those across rows or files."""

    def __init__(self, schema: Schema, record: Record, today: date) -> None:
        self.record = record
        self.layout = layout_of(record)
        self.validator = Validator(schema, record, schema.plan, Known(schema, {record.name}), today, plain=False)

    @property
    def unjudged(self) -> dict[str, str]:
        """What is not checked, with the reason."""
        return self.validator.unjudged

    def strangers(self, rows: Sequence[Value]) -> dict[str, str]:
        """Return the names that the record type does not know, with the field that is probably meant."""
        source = Reading(lambda: iter(()))
        columns_of(list(rows), self.layout, source)
        return source.strangers

    def broken(self, rows: Sequence[Value]) -> Iterator[Broken]:
        """Yield every value that breaks a rule."""
        block = Block(len(rows), columns_of(list(rows), self.layout, Reading(lambda: iter(()))))
        for each in self.validator.frame(block, {})[1]:
            for one in each.examples(0, len(each)):
                yield Broken(one.row, each.field, each.rule, one.value, one.expected)
